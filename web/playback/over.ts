import { layerAt, placeOf, type Sight, stillPlaceAt, titleAt } from '@pendolo/core/film'
import {
  drawTitle,
  edgeDrawing,
  keyPixels,
  type Rect,
  roundMask,
  SQUARE_EDGE,
  sharpenPixels,
  titleBlock,
  USUAL_KEY,
  USUAL_TITLE,
  type Vignette,
  vignetteMask,
} from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'
import type { Picture } from './picture.ts'

/** What a tile is painted on, and where. */
export interface Ground {
  readonly canvas: OffscreenCanvas
  readonly ctx: OffscreenCanvasRenderingContext2D
  readonly place: Rect
}

/** A picture, how it is seen, and the one that it gives way to as it runs slower, by a share; null where it does not. */
export interface Shown {
  readonly sample: Picture
  readonly sight: Sight
  readonly next: { readonly sample: Picture; readonly share: number } | null
}

/** Draws a picture in the way that it is seen. */
type Paint = (on: Ground, shown: Shown) => void

/** What is laid over the programme's picture. */
export interface Over {
  /** Of two that give way to each other the other one, or what the picture sinks into; null where nothing gives way. */
  readonly giving: { readonly share: number; readonly by: Shown | '#000' | '#fff' } | null
  /** From the lowest to the highest; insets with the picture of their angle, as far as it has one. */
  readonly layers: readonly { readonly layer: Layer; readonly picture: Shown | null }[]
  readonly master: Flicks
  /** Of black over all. */
  readonly dark: number
  readonly key: string
}

export function filled({ ctx, place }: Ground, colour: string): void {
  ctx.fillStyle = colour
  ctx.fillRect(place.x, place.y, place.width, place.height)
}

/** Vignettes as canvases, by what they are and the size. */
const vignettes = new Map<string, OffscreenCanvas>()
/** A wall of angles has two sizes of each. */
const MOST_VIGNETTES = 64

/** Darkens a picture towards its edges. */
export function darkened({ ctx, place }: Ground, vignette: Vignette): void {
  const { width, height } = place
  const key = JSON.stringify([vignette, width, height])
  let canvas = vignettes.get(key)
  if (!canvas) {
    if (vignettes.size >= MOST_VIGNETTES) vignettes.clear()
    const pixels = new Uint8ClampedArray(4 * width * height)
    for (const [i, left] of vignetteMask(width, height, vignette).entries()) pixels.set([left, left, left, 255], 4 * i)
    canvas = canvasOf(new ImageData(pixels, width, height))
    vignettes.set(key, canvas)
  }
  ctx.globalCompositeOperation = 'multiply'
  ctx.drawImage(canvas, place.x, place.y)
  ctx.globalCompositeOperation = 'source-over'
}

/** Makes a picture sharper or softer. */
export function sharpened({ ctx, place: { x, y, width, height } }: Ground, sharpness: number): void {
  const image = ctx.getImageData(x, y, width, height)
  sharpenPixels(new Uint32Array(image.data.buffer), width, height, sharpness)
  ctx.putImageData(image, x, y)
}

/** What is wanted by itself before it is put over something: a picture of a transition, and one that another gives way to within it. */
const scratches: { [use in 'over' | 'between']?: OffscreenCanvas } = {}

/** A canvas of the size of a place, used again and again. */
export function scratchOf({ width, height }: Rect, use: 'over' | 'between'): Ground | null {
  const canvas = scratches[use] ?? new OffscreenCanvas(width, height)
  scratches[use] = canvas
  if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height })
  const ctx = canvas.getContext('2d', { alpha: false })
  return ctx && { canvas, ctx, place: { x: 0, y: 0, width, height } }
}

/** Lays over a picture what is laid over it. @param paint draws another picture in the way that it is seen */
export function paintOver(on: Ground, { giving, layers, master, dark }: Over, paint: Paint): void {
  const { ctx, place } = on
  ctx.globalAlpha = giving?.share ?? 1
  if (typeof giving?.by === 'string') filled(on, giving.by)
  else if (giving) {
    // By itself first: what is put onto a canvas as pixels takes no share.
    const own = scratchOf(place, 'over')
    if (own) {
      paint(own, giving.by)
      ctx.drawImage(own.canvas, place.x, place.y)
    }
  }
  for (const { layer, picture } of layers) {
    if (layer.kind === 'title') paintTitle(on, layer, master)
    else if (layer.kind === 'still') paintStill(on, layer, master)
    else if (picture && layer.kind === 'background') paintBehind(on, layer, master, picture, paint)
    else if (picture) paintInset(on, layer, master, picture, paint)
  }
  ctx.globalAlpha = dark
  if (dark > 0) filled(on, '#000')
  ctx.globalAlpha = 1
}

/** Titles as they are drawn, by their words, how these are drawn, and the size; few are kept. */
const drawings = new Map<string, OffscreenCanvas>()
const MOST_DRAWINGS = 24

function drawingOf({ text = '', title = USUAL_TITLE, place: within }: Layer, place: Rect): OffscreenCanvas {
  const { width, height } = placeOf(within, place)
  const key = JSON.stringify([text, title, width, height, place.height])
  const known = drawings.get(key)
  if (known) return known
  const canvas = new OffscreenCanvas(width, height)
  const ink = () => canvas.getContext('2d') as OffscreenCanvasRenderingContext2D
  const measured = titleBlock(ink(), text, title, width, place.height)
  if (title.rolls) canvas.height = measured.height
  drawTitle(ink(), measured, title, width, canvas.height)
  if (drawings.size >= MOST_DRAWINGS) drawings.clear()
  drawings.set(key, canvas)
  return canvas
}

function paintTitle({ ctx, place }: Ground, layer: Layer, master: Flicks): void {
  const drawing = drawingOf(layer, place)
  const { share, left, top, clip } = titleAt(layer, master, place, drawing.height)
  ctx.save()
  ctx.beginPath()
  ctx.rect(place.x + clip.x, place.y + clip.y, clip.width, clip.height)
  ctx.clip()
  ctx.globalAlpha = share
  ctx.drawImage(drawing, place.x + left, place.y + top)
  ctx.restore()
}

/** Stills by their addresses: as they came, or null while they are waited for. */
const images = new Map<string, ImageBitmap | null>()
let addresses: Readonly<Record<string, string>> = {}

/** Where the stills are that layers show, by their files. */
export function knowStills(urls: Readonly<Record<string, string>>): void {
  addresses = urls
  const used = new Set(Object.values(urls))
  for (const [url, image] of images) {
    if (used.has(url)) continue
    image?.close()
    images.delete(url)
  }
}

/** The still of a layer, as far as it is here; what is not is fetched. @param come told when it has come */
export function stillOf({ fileId = '' }: Layer, come: () => void): ImageBitmap | null {
  const url = addresses[fileId]
  if (url === undefined) return null
  const known = images.get(url)
  if (known !== undefined) return known
  images.set(url, null)
  fetch(url)
    .then(async (response) => {
      if (!response.ok) throw new Error('no still')
      images.set(url, await createImageBitmap(await response.blob()))
      come()
    })
    // It is asked for again when it is wanted again.
    .catch(() => images.delete(url))
  return null
}

function paintStill({ ctx, place }: Ground, layer: Layer, master: Flicks): void {
  const image = images.get(addresses[layer.fileId ?? ''] ?? '')
  if (!image) return
  const { share, x, y, width, height } = stillPlaceAt(layer, master, place, image)
  ctx.save()
  ctx.beginPath()
  ctx.rect(place.x, place.y, place.width, place.height)
  ctx.clip()
  ctx.globalAlpha = share
  ctx.imageSmoothingQuality = 'high'
  ctx.drawImage(image, place.x + x, place.y + y, width, height)
  ctx.restore()
}

/** Titles are drawn anew: their fonts have come. */
export function forgetDrawings(): void {
  drawings.clear()
}

function paintBehind(on: Ground, layer: Layer, master: Flicks, picture: Shown, paint: Paint): void {
  const { ctx, place } = on
  const { share } = layerAt(layer, master)
  const own = scratchOf(place, 'over')
  if (!own || share === 0) return
  paint(own, picture)
  const behind = own.ctx.getImageData(0, 0, place.width, place.height)
  const keyed = ctx.getImageData(place.x, place.y, place.width, place.height)
  keyPixels(layer.key ?? USUAL_KEY, new Uint32Array(keyed.data.buffer), new Uint32Array(behind.data.buffer))
  own.ctx.putImageData(keyed, 0, 0)
  ctx.globalAlpha = share
  ctx.drawImage(own.canvas, place.x, place.y)
  ctx.globalAlpha = 1
}

/** What inset pictures are painted on before their corners are taken off. */
let small: OffscreenCanvas | null = null
/** Masks and edges of insets as canvases, by their sizes. */
const shapes = new Map<string, { readonly mask: OffscreenCanvas | null; readonly edge: OffscreenCanvas | null; readonly around: number }>()

function shapeOf({ edge = SQUARE_EDGE }: Layer, width: number, height: number, frameHeight: number) {
  const key = JSON.stringify([edge, width, height, frameHeight])
  let shape = shapes.get(key)
  if (!shape) {
    if (shapes.size >= MOST_DRAWINGS) shapes.clear()
    const drawn = edgeDrawing(width, height, edge, frameHeight)
    const cover = edge.round > 0 ? roundMask(width, height, edge.round * Math.min(width, height)) : null
    const pixels = cover && new Uint8ClampedArray(4 * width * height)
    if (cover && pixels) for (const [i, part] of cover.entries()) pixels[4 * i + 3] = part
    shape = {
      mask: pixels && canvasOf(new ImageData(pixels, width, height)),
      edge: drawn && canvasOf(new ImageData(drawn.data, drawn.width, drawn.height)),
      around: drawn?.around ?? 0,
    }
    shapes.set(key, shape)
  }
  return shape
}

function canvasOf(image: ImageData): OffscreenCanvas {
  const canvas = new OffscreenCanvas(image.width, image.height)
  canvas.getContext('2d')?.putImageData(image, 0, 0)
  return canvas
}

function paintInset(on: Ground, layer: Layer, master: Flicks, picture: Shown, paint: Paint): void {
  const { ctx, place } = on
  const own = placeOf(layer.place, place)
  const { mask, edge, around } = shapeOf(layer, own.width, own.height, place.height)
  small ??= new OffscreenCanvas(own.width, own.height)
  if (small.width !== own.width || small.height !== own.height) Object.assign(small, { width: own.width, height: own.height })
  const inner = small.getContext('2d')
  if (!inner) return
  inner.globalCompositeOperation = 'source-over'
  // It fills its place, however its angle is framed in the large picture.
  const sight: Sight = { framing: 'fill', cutout: null, look: picture.sight.look }
  paint({ canvas: small, ctx: inner, place: { x: 0, y: 0, width: own.width, height: own.height } }, { ...picture, sight })
  inner.globalCompositeOperation = 'destination-in'
  if (mask) inner.drawImage(mask, 0, 0)
  ctx.save()
  ctx.beginPath()
  ctx.rect(place.x, place.y, place.width, place.height)
  ctx.clip()
  ctx.globalAlpha = layerAt(layer, master).share
  if (edge) ctx.drawImage(edge, place.x + own.x - around, place.y + own.y - around)
  ctx.drawImage(small, place.x + own.x, place.y + own.y)
  ctx.restore()
}
