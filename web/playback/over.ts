import { placeOf, type Sight, titleAt } from '@pendolo/core/film'
import { drawTitle, type Rect, titleBlock, USUAL_TITLE } from '@pendolo/core/picture'
import type { Layer } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'
import type { Picture } from './picture.ts'

/** What a tile is painted on, and where. */
export interface Ground {
  readonly canvas: OffscreenCanvas
  readonly ctx: OffscreenCanvasRenderingContext2D
  readonly place: Rect
}

/** What is laid over the programme's picture. */
export interface Over {
  /** Of two that give way to each other the other one, or what the picture sinks into; null where nothing gives way. */
  readonly giving: { readonly share: number; readonly by: { readonly sample: Picture; readonly sight: Sight } | '#000' | '#fff' } | null
  readonly titles: readonly Layer[]
  readonly master: Flicks
  /** Of black over all. */
  readonly dark: number
  readonly key: string
}

export function filled({ ctx, place }: Ground, colour: string): void {
  ctx.fillStyle = colour
  ctx.fillRect(place.x, place.y, place.width, place.height)
}

let scratch: OffscreenCanvas | null = null

/** Lays over a picture what is laid over it. @param paint draws another picture in the way that it is seen */
export function paintOver(on: Ground, { giving, titles, master, dark }: Over, paint: (on: Ground, sample: Picture, sight: Sight) => void): void {
  const { ctx, place } = on
  ctx.globalAlpha = giving?.share ?? 1
  if (typeof giving?.by === 'string') filled(on, giving.by)
  else if (giving) {
    // By itself first: what is put onto a canvas as pixels takes no share.
    scratch ??= new OffscreenCanvas(place.width, place.height)
    if (scratch.width !== place.width || scratch.height !== place.height) Object.assign(scratch, { width: place.width, height: place.height })
    const own = scratch.getContext('2d', { alpha: false })
    if (own) {
      paint({ canvas: scratch, ctx: own, place: { x: 0, y: 0, width: place.width, height: place.height } }, giving.by.sample, giving.by.sight)
      ctx.drawImage(scratch, place.x, place.y)
    }
  }
  for (const layer of titles) paintTitle(on, layer, master)
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

/** Titles are drawn anew: their fonts have come. */
export function forgetDrawings(): void {
  drawings.clear()
}
