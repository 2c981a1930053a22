import { ALL_FORMATS, Input, UrlSource, VideoSampleSink } from 'mediabunny'
import type { FromThumbs, ThumbWish, ToThumbs } from './types.ts'

/** Height of what is made, px. */
const HEIGHT = 96
/** Copies that are kept open. */
const MOST_OPEN = 24

const open = new Map<string, { input: Input; sink: Promise<VideoSampleSink | null> }>()
let wishes: readonly ThumbWish[] = []
let busy = false

function sinkOf(url: string): Promise<VideoSampleSink | null> {
  let entry = open.get(url)
  if (entry) open.delete(url)
  else {
    const input = new Input({ formats: ALL_FORMATS, source: new UrlSource(url) })
    entry = { input, sink: input.getPrimaryVideoTrack().then((track) => track && new VideoSampleSink(track)) }
  }
  // What was used last stands last.
  open.set(url, entry)
  for (const [old, { input }] of open) {
    if (open.size <= MOST_OPEN) break
    input.dispose()
    open.delete(old)
  }
  return entry.sink
}

async function make({ url, seconds }: ThumbWish): Promise<ImageBitmap | null> {
  const sink = await sinkOf(url)
  const sample = await sink?.getSample(Math.max(0, seconds))
  if (!sample) return null
  const canvas = new OffscreenCanvas(Math.max(1, Math.round((HEIGHT * sample.displayWidth) / sample.displayHeight)), HEIGHT)
  const ctx = canvas.getContext('2d', { alpha: false })
  if (ctx) sample.draw(ctx, 0, 0, canvas.width, canvas.height)
  sample.close()
  return canvas.transferToImageBitmap()
}

async function work(): Promise<void> {
  if (busy) return
  busy = true
  for (let wish = wishes[0]; wish; wish = wishes[0]) {
    wishes = wishes.slice(1)
    const picture = await make(wish).catch(() => null)
    postMessage({ key: wish.key, picture } satisfies FromThumbs, { transfer: picture ? [picture] : [] })
  }
  busy = false
}

self.addEventListener('message', (event: MessageEvent<ToThumbs>) => {
  wishes = event.data.wishes
  void work()
})
