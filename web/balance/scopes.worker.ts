import { colourScope, falseColours, histogram, type Scope, waveformScope } from '@pendolo/core/picture'
import { SCOPES, type ScopeName, type ToScopes } from './scope-names.ts'

const canvases = new Map<ScopeName, OffscreenCanvasRenderingContext2D>()
/** The colours of the histogram: red, green, blue; where all are it is light. */
const CHANNELS = ['#d2604f', '#6fae5a', '#5b8fd6']
const GROUND = '#101113'
const LINES = 'rgb(243 234 215 / 0.22)'

function ground(ctx: OffscreenCanvasRenderingContext2D): void {
  ctx.globalCompositeOperation = 'source-over'
  ctx.fillStyle = GROUND
  ctx.fillRect(0, 0, ctx.canvas.width, ctx.canvas.height)
}

/** Draws how often each place was met, the rarest still to be seen. */
function drawCounts(ctx: OffscreenCanvasRenderingContext2D, { counts, width, height }: Scope, full: number): void {
  const image = new ImageData(width, height)
  for (const [i, count] of counts.entries()) {
    if (count === 0) continue
    const light = Math.min(1, 0.25 + 0.75 * Math.sqrt(count / full))
    image.data.set([120 + 123 * light, 160 + 74 * light, 120 + 95 * light, 255 * light], 4 * i)
  }
  const own = new OffscreenCanvas(width, height)
  own.getContext('2d')?.putImageData(image, 0, 0)
  ground(ctx)
  ctx.drawImage(own, 0, 0, ctx.canvas.width, ctx.canvas.height)
}

/** Lines at parts of the width and height. */
function ruled(ctx: OffscreenCanvasRenderingContext2D, across: readonly number[], down: readonly number[]): void {
  const { width, height } = ctx.canvas
  ctx.fillStyle = LINES
  for (const y of across) ctx.fillRect(0, Math.round(y * (height - 1)), width, 1)
  for (const x of down) ctx.fillRect(Math.round(x * (width - 1)), 0, 1, height)
}

const DRAW: Readonly<Record<ScopeName, (ctx: OffscreenCanvasRenderingContext2D, pixels: Uint32Array, width: number, height: number) => void>> = {
  brightness: (ctx, pixels, width, height) => {
    drawCounts(ctx, waveformScope(pixels, width, ctx.canvas.width), height / 6)
    ruled(ctx, [0, 0.25, 0.5, 0.75, 1], [])
  },
  colours: (ctx, pixels) => {
    drawCounts(ctx, colourScope(pixels), pixels.length / 400)
    ruled(ctx, [0.5], [0.5])
  },
  histogram: (ctx, pixels) => {
    const { width, height } = ctx.canvas
    ground(ctx)
    ctx.globalCompositeOperation = 'lighter'
    for (const [c, counts] of histogram(pixels).entries()) {
      ctx.fillStyle = CHANNELS[c]
      for (let x = 0; x < width; x++) {
        const [from, to] = [Math.floor((x * 256) / width), Math.max(Math.floor((x * 256) / width) + 1, Math.floor(((x + 1) * 256) / width))]
        const share = counts.subarray(from, to).reduce((a, b) => a + b, 0) / pixels.length / (to - from)
        const tall = Math.min(height, Math.round(height * 4 * Math.sqrt(share)))
        ctx.fillRect(x, height - tall, 1, tall)
      }
    }
  },
  exposure: (ctx, pixels, width, height) => {
    const image = new ImageData(width, height)
    const own = new Uint32Array(image.data.buffer)
    own.set(pixels)
    falseColours(own)
    const small = new OffscreenCanvas(width, height)
    small.getContext('2d')?.putImageData(image, 0, 0)
    ground(ctx)
    const share = Math.min(ctx.canvas.width / width, ctx.canvas.height / height)
    ctx.drawImage(small, (ctx.canvas.width - width * share) / 2, (ctx.canvas.height - height * share) / 2, width * share, height * share)
  },
}

self.addEventListener('message', ({ data }: MessageEvent<ToScopes>) => {
  if (data.type === 'canvas') {
    const ctx = data.canvas.getContext('2d', { alpha: false })
    if (ctx) canvases.set(data.name, ctx)
    return
  }
  const { picture } = data
  const { width, height } = picture
  const read = new OffscreenCanvas(width, height).getContext('2d', { alpha: false, willReadFrequently: true })
  read?.drawImage(picture, 0, 0)
  picture.close()
  const pixels = read && new Uint32Array(read.getImageData(0, 0, width, height).data.buffer)
  for (const name of SCOPES) {
    const ctx = canvases.get(name)
    if (ctx && pixels) DRAW[name](ctx, pixels, width, height)
  }
  // The next one is asked for when this one has been drawn.
  postMessage(null)
})
