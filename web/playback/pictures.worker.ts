import { clipShownAt, pointAt } from '@pendolo/core/cut'
import { framedRect } from '@pendolo/core/picture'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameShownAt, rateToNumber } from '@pendolo/core/time'
import type { VideoSample } from 'mediabunny'
import { FrameStream } from './stream.ts'
import type { ClockMap, FromWorker, PictureHealth, PictureModel, PlayClip, TileSource, ToWorker } from './types.ts'

/** A canvas and what it shows. */
interface Tile {
  source: TileSource
  readonly canvas: OffscreenCanvas
  readonly ctx: OffscreenCanvasRenderingContext2D
  /** Frame counted as due last, so that each counts once. */
  dueKey: string
  drawnKey: string
}

/** Streams not looked at for this long are closed, ms. */
const IDLE = 4000
/** From drawing to being seen passes about one refresh of the screen, ms. */
const UNTIL_SEEN = 17
/** Health is told at most this often, ms. */
const TELL_EVERY = 100

const tiles = new Map<string, Tile>()
const streams = new Map<string, { stream: FrameStream; used: number }>()
let model: PictureModel = { angles: [], clips: [], points: [], standIn: 'next' }
let clock: ClockMap = { playing: false, time: 0, wall: 0, speed: 1 }
/** A choice that was pressed and whose cut lies a little ahead. */
let preview: { angleId: string; until: number } | null = null
let due = 0
let late = 0
let dirty = true
let told = 0
let untold = true
let ticking = false
let programme: PictureHealth['programme'] = { angleId: null, since: 0, standIn: false }
const shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }> = {}

const wall = () => performance.timeOrigin + performance.now()

function masterTime(): Flicks {
  if (!clock.playing) return flicks(Math.round(clock.time))
  return flicks(Math.round(clock.time + ((wall() + UNTIL_SEEN - clock.wall) / 1000) * clock.speed * FLICKS_PER_SECOND))
}

function streamOf(clip: PlayClip, sharp: boolean): FrameStream | null {
  const url = sharp ? clip.sharpUrl : clip.tileUrl
  if (!url) return null
  let entry = streams.get(url)
  if (!entry) {
    entry = {
      stream: new FrameStream(url, rateToNumber(clip.grid.rate), clip.grid.count, redraw),
      used: 0,
    }
    streams.set(url, entry)
  }
  entry.used = performance.now()
  return entry.stream
}

function programmeClip(time: Flicks): { clip: PlayClip | null; standIn: boolean } {
  if (preview && (!clock.playing || time >= preview.until)) preview = null
  const point = preview ? { angleId: preview.angleId, clipId: undefined } : model.points[pointAt(model.points, time)]
  const byId = (id: string | undefined) => model.clips.find((c) => c.clipId === id) ?? null
  if (point) {
    const own = clipShownAt(model.clips, point.angleId, time, point.clipId)
    if (own) return { clip: byId(own.clipId), standIn: false }
  }
  if (model.standIn === 'next') {
    for (const angle of model.angles) {
      const other = clipShownAt(model.clips, angle.id, time)
      if (other) return { clip: byId(other.clipId), standIn: true }
    }
  }
  return { clip: null, standIn: true }
}

function clipFor(tile: Tile, time: Flicks): { clip: PlayClip | null; time: Flicks } {
  const { source } = tile
  if (source.kind === 'clip') {
    return { clip: model.clips.find((c) => c.clipId === source.clipId) ?? null, time: flicks(time + source.offset) }
  }
  if (source.kind === 'programme') return { clip: programmeClip(time).clip, time }
  const span = clipShownAt(model.clips, source.angleId, time)
  return { clip: span ? (model.clips.find((c) => c.clipId === span.clipId) ?? null) : null, time }
}

function draw(tile: Tile, key: string, time: Flicks): void {
  const { clip, time: at } = clipFor(tile, time)
  if (tile.source.kind === 'programme') noteProgramme(time)
  const frame = clip ? frameShownAt(at, clip.map, clip.grid) : null
  const wantedKey = clip && frame !== null ? `${clip.clipId}:${frame}` : 'none'
  if (!clip || frame === null) {
    if (tile.drawnKey !== 'none') blank(tile)
    tile.drawnKey = 'none'
    shown[key] = { clipId: null, frame: null, wanted: null }
    return
  }
  const playing = clock.playing
  const isProgramme = tile.source.kind !== 'angle'
  let sample: VideoSample | null = null
  let got: number | null = frame
  const light = streamOf(clip, false)
  if (playing) {
    sample = light?.playing(frame, clock.speed) ?? null
    if (wantedKey !== tile.dueKey) {
      // Each picture that becomes due counts once; whether it was late is known when the next one is due.
      if (tile.dueKey !== 'none' && tile.source.kind === 'angle') {
        due++
        if (tile.drawnKey !== tile.dueKey) late++
      }
      tile.dueKey = wantedKey
    }
    if (!sample) {
      const near = light?.nearest(frame)
      sample = near?.sample ?? null
      got = near?.frame ?? null
    }
  } else {
    // Standing, the programme is shown from the sharper copy; the tile's picture serves until it is there.
    sample = (isProgramme ? streamOf(clip, true)?.still(frame) : null) ?? light?.still(frame) ?? null
    if (!sample) return
  }
  const drawKey = sample && got !== null ? `${clip.clipId}:${got}` : 'wait'
  if (sample && (drawKey !== tile.drawnKey || dirty || (isProgramme && !playing))) {
    paint(tile, sample, clip.angleId)
    tile.drawnKey = drawKey
  } else if (!sample && !tile.drawnKey.startsWith(clip.clipId)) {
    // Nothing of this clip is decoded yet and what is seen belongs to another one.
    blank(tile)
    tile.drawnKey = 'wait'
  }
  shown[key] = { clipId: clip.clipId, frame: sample ? got : null, wanted: frame }
}

function noteProgramme(time: Flicks): void {
  const { clip, standIn } = programmeClip(time)
  const angleId = clip?.angleId ?? null
  if (angleId !== programme.angleId || standIn !== programme.standIn) programme = { angleId, since: wall(), standIn }
}

function blank(tile: Tile): void {
  tile.ctx.fillStyle = '#000'
  tile.ctx.fillRect(0, 0, tile.canvas.width, tile.canvas.height)
}

function paint(tile: Tile, sample: VideoSample, angleId: string): void {
  const { canvas, ctx } = tile
  const framing = model.angles.find((a) => a.id === angleId)?.framing ?? 'fit'
  const rect = framedRect(sample.displayWidth, sample.displayHeight, canvas.width, canvas.height, framing)
  if (rect.x > 0.5 || rect.y > 0.5) blank(tile)
  sample.draw(ctx, rect.x, rect.y, rect.width, rect.height)
}

/** Draws at the next refresh; while nothing plays and nothing changes, nothing is drawn and nothing is told. */
function redraw(): void {
  dirty = true
  if (ticking) return
  ticking = true
  requestAnimationFrame(tick)
}

function tick(): void {
  const time = masterTime()
  if (clock.playing || dirty) {
    dirty = false
    untold = true
    for (const [key, tile] of tiles) draw(tile, key, time)
  }
  const now = performance.now()
  if (untold && now - told > TELL_EVERY) {
    told = now
    untold = false
    postMessage({ type: 'health', health: { due, late, shown: { ...shown }, programme } } satisfies FromWorker)
    for (const [url, { stream, used }] of streams) {
      if (now - used > IDLE && clock.playing) {
        stream.close()
        streams.delete(url)
      }
    }
  }
  ticking = clock.playing || dirty || untold
  if (ticking) requestAnimationFrame(tick)
}

self.addEventListener('message', (event: MessageEvent<ToWorker>) => {
  const message = event.data
  switch (message.type) {
    case 'model': {
      model = message.model
      const urls = new Set(model.clips.flatMap((c) => [c.tileUrl, c.sharpUrl]))
      for (const [url, { stream }] of streams) {
        if (urls.has(url)) continue
        stream.close()
        streams.delete(url)
      }
      break
    }
    case 'clock':
      if (!clock.playing && message.clock.playing) for (const tile of tiles.values()) tile.dueKey = 'none'
      clock = message.clock
      break
    case 'tile': {
      const ctx = message.canvas.getContext('2d', { alpha: false })
      if (ctx) tiles.set(message.key, { source: message.source, canvas: message.canvas, ctx, dueKey: 'none', drawnKey: '' })
      break
    }
    case 'size': {
      const tile = tiles.get(message.key)
      if (tile && (tile.canvas.width !== message.width || tile.canvas.height !== message.height)) {
        tile.canvas.width = message.width
        tile.canvas.height = message.height
        tile.drawnKey = ''
      }
      break
    }
    case 'source': {
      const tile = tiles.get(message.key)
      if (tile) tile.source = message.source
      break
    }
    case 'drop':
      tiles.delete(message.key)
      delete shown[message.key]
      break
    case 'preview':
      preview = { angleId: message.angleId, until: message.until }
      // At once, not at the next screen refresh: a pressed key is waited for.
      for (const [key, tile] of tiles) if (tile.source.kind === 'programme') draw(tile, key, masterTime())
      break
    case 'reset':
      due = 0
      late = 0
      break
  }
  redraw()
})
