import {
  type Affine,
  type ColourTable,
  followed,
  type PlaneColour,
  type Planes,
  pixelsThrough,
  planesToPixels,
  type Rect,
  throughTable,
} from '@pendolo/core/picture'
import type { VideoSample } from 'mediabunny'

/** A decoded picture that can be drawn. */
export type Picture = Pick<VideoSample, 'timestamp' | 'displayWidth' | 'displayHeight' | 'close'> & {
  draw(ctx: OffscreenCanvasRenderingContext2D, sx: number, sy: number, sw: number, sh: number, dx: number, dy: number, dw: number, dh: number): void
  /** As `draw`, with its colours brought through a table; absent where the browser draws it. */
  drawThrough?(ctx: OffscreenCanvasRenderingContext2D, from: Rect, to: Rect, table: ColourTable): void
  /** Draws it as {@link drawPlaced} does; absent where the browser draws it. */
  drawPlaced?(ctx: OffscreenCanvasRenderingContext2D, by: Placed, table: ColourTable | null): void
}

/** A picture that is moved, sized and turned. */
export interface Placed {
  /** From its pixels to those of the surface. */
  readonly map: Affine
  /** What of it is seen, in its pixels. */
  readonly kept: Rect
  /** Whole pixels of the surface that it is seen within; the rest of these is black. */
  readonly place: Rect
}

/** Draws a part of a picture on a place, its colours through a table where there is one. */
export function drawPicture(ctx: OffscreenCanvasRenderingContext2D, picture: Picture, from: Rect, to: Rect, table: ColourTable | null): void {
  if (table && picture.drawThrough) {
    picture.drawThrough(ctx, from, to, table)
    return
  }
  picture.draw(ctx, from.x, from.y, from.width, from.height, to.x, to.y, to.width, to.height)
  if (!table) return
  const [x, y] = [Math.round(to.x), Math.round(to.y)]
  const image = ctx.getImageData(x, y, Math.max(1, Math.round(to.x + to.width) - x), Math.max(1, Math.round(to.y + to.height) - y))
  throughTable(table, new Uint32Array(image.data.buffer))
  ctx.putImageData(image, x, y)
}

/** Draws a picture where a map brings it, its colours through a table where there is one. */
export function drawPlaced(ctx: OffscreenCanvasRenderingContext2D, picture: Picture, by: Placed, table: ColourTable | null): void {
  if (picture.drawPlaced) {
    picture.drawPlaced(ctx, by, table)
    return
  }
  const { map, kept, place } = by
  ctx.save()
  ctx.beginPath()
  ctx.rect(place.x, place.y, place.width, place.height)
  ctx.clip()
  ctx.fillStyle = '#000'
  ctx.fillRect(place.x, place.y, place.width, place.height)
  ctx.setTransform(...map)
  if (table) {
    // Before it is turned, so that what lies beside it stays black.
    const scratch = new OffscreenCanvas(Math.max(1, Math.round(kept.width)), Math.max(1, Math.round(kept.height)))
    const own = scratch.getContext('2d', { willReadFrequently: true }) as OffscreenCanvasRenderingContext2D
    drawPicture(own, picture, kept, { x: 0, y: 0, width: scratch.width, height: scratch.height }, table)
    ctx.drawImage(scratch, kept.x, kept.y, kept.width, kept.height)
  } else picture.draw(ctx, kept.x, kept.y, kept.width, kept.height, kept.x, kept.y, kept.width, kept.height)
  ctx.restore()
}

/** Pixels on their way to a canvas, by their size; what is put there is copied at once. */
const images = new Map<string, { readonly image: ImageData; readonly pixels: Uint32Array }>()
/** Sizes that are kept; a stage has two or three. */
const MOST_SIZES = 12

function imageOf(width: number, height: number) {
  const key = `${width}x${height}`
  let held = images.get(key)
  if (!held) {
    if (images.size >= MOST_SIZES) images.clear()
    const image = new ImageData(width, height)
    held = { image, pixels: new Uint32Array(image.data.buffer) }
    images.set(key, held)
  }
  return held
}

/**
 * Whether pictures are to be brought to the canvas by our own hands. Without a graphics card the browser asks the page's main thread at
 * each of them, and waits while that is busy; half a thousand pictures a second keep both from what they should do.
 */
export function withoutGraphics(): boolean {
  const gl = new OffscreenCanvas(1, 1).getContext('webgl2', { failIfMajorPerformanceCaveat: true })
  if (!gl) return true
  // Browsers give a context without a card too; only its name tells.
  const named = gl.getExtension('WEBGL_debug_renderer_info')
  const name = String(gl.getParameter(named?.UNMASKED_RENDERER_WEBGL ?? gl.RENDERER))
  gl.getExtension('WEBGL_lose_context')?.loseContext()
  return /swiftshader|llvmpipe|softpipe|software|basic render/i.test(name)
}

/** Memory of pictures that are done with, to be used again: at hundreds of pictures a second nothing else is fast enough. */
const spare: Uint8Array[] = []
const MOST_SPARE = 64

function memoryOf(bytes: number): Uint8Array {
  const at = spare.findLastIndex((s) => s.length === bytes)
  return at >= 0 ? spare.splice(at, 1)[0] : new Uint8Array(bytes)
}

/** Whether pictures are brought to canvases in half the detail. */
let roughly = false
export function drawRoughly(on: boolean): void {
  roughly = on
}

/** Where pictures lie in half their detail before they are drawn, by their size. */
const halves = new Map<string, OffscreenCanvasRenderingContext2D>()

function halfOf(width: number, height: number): OffscreenCanvasRenderingContext2D | null {
  const key = `${width}x${height}`
  const known = halves.get(key)
  if (known) return known
  if (halves.size >= MOST_SIZES) halves.clear()
  const ctx = new OffscreenCanvas(width, height).getContext('2d', { alpha: false })
  if (ctx) halves.set(key, ctx)
  return ctx
}

/** Fills whole pixels of a canvas, or a quarter as many and these drawn larger. @param fill writes pixels for a size */
function filledWith(
  ctx: OffscreenCanvasRenderingContext2D,
  { x, y, width, height }: Rect,
  fill: (pixels: Uint32Array, width: number, height: number) => void,
): void {
  const [w, h] = roughly ? [Math.ceil(width / 2), Math.ceil(height / 2)] : [width, height]
  const { image, pixels } = imageOf(w, h)
  fill(pixels, w, h)
  const half = roughly ? halfOf(w, h) : null
  half?.putImageData(image, 0, 0)
  if (half) ctx.drawImage(half.canvas, x, y, width, height)
  else ctx.putImageData(image, x, y)
}

/** A picture as its planes, brought to the canvas by {@link planesToPixels}; what cannot be is left to the browser. */
export async function asPlanes(sample: VideoSample): Promise<Picture> {
  const { timestamp, displayWidth, displayHeight, colorSpace, visibleRect } = sample
  if (sample.format !== 'I420' || sample.rotation !== 0 || visibleRect.width !== displayWidth || visibleRect.height !== displayHeight) return sample
  let data: Uint8Array | null = memoryOf(sample.allocationSize())
  await sample.copyTo(data)
  sample.close()
  const planes: Planes = { data, width: displayWidth, height: displayHeight }
  const colour: PlaneColour = { matrix: isOld(colorSpace.matrix, displayHeight) ? 'bt601' : 'bt709', full: colorSpace.fullRange === true }
  const put = (ctx: OffscreenCanvasRenderingContext2D, from: Rect, to: Rect, table: ColourTable | null) => {
    if (!data) return
    const [x, y] = [Math.round(to.x), Math.round(to.y)]
    const [width, height] = [Math.max(1, Math.round(to.x + to.width) - x), Math.max(1, Math.round(to.y + to.height) - y)]
    filledWith(ctx, { x, y, width, height }, (pixels, w, h) => {
      planesToPixels(planes, colour, from, pixels, w, h)
      if (table) throughTable(table, pixels, w * h)
    })
  }
  return {
    timestamp,
    displayWidth,
    displayHeight,
    draw: (ctx, sx, sy, sw, sh, dx, dy, dw, dh) => put(ctx, { x: sx, y: sy, width: sw, height: sh }, { x: dx, y: dy, width: dw, height: dh }, null),
    drawThrough: put,
    drawPlaced: (ctx, { map, kept, place }, table) => {
      if (!data) return
      filledWith(ctx, place, (pixels, w, h) => {
        const [across, down] = [w / place.width, h / place.height]
        pixelsThrough(planes, colour, followed(map, [across, 0, 0, down, -place.x * across, -place.y * down]), kept, pixels, w, h, table)
      })
    },
    close: () => {
      if (data && spare.length < MOST_SPARE) spare.push(data)
      data = null
    },
  }
}

/** Whether a matrix is that of standard definition; untagged, the size decides. */
function isOld(matrix: string | null | undefined, height: number): boolean {
  if (matrix === 'bt709') return false
  return matrix === 'smpte170m' || matrix === 'bt470bg' || height < 720
}
