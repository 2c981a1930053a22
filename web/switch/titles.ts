import type { Stretch } from '@pendolo/core/cut'
import { type InsetEdge, type TitleStyle, USUAL_KEY, USUAL_TITLE } from '@pendolo/core/picture'
import type { Edit, Layer } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'

/** Where titles stand: what is asked for by name, and how it is aligned there. */
export const TITLE_PLACES = [
  { name: 'lower third', place: { x: 0.06, y: 0.74, width: 0.88, height: 0.16 }, style: { align: 'left' } },
  { name: 'middle', place: { x: 0.08, y: 0.3, width: 0.84, height: 0.4 }, style: { align: 'center' } },
  { name: 'upper edge', place: { x: 0.06, y: 0.06, width: 0.88, height: 0.14 }, style: { align: 'center' } },
  { name: 'rolling names', place: { x: 0.15, y: 0, width: 0.7, height: 1 }, style: { align: 'center', rolls: true } },
] as const satisfies readonly (Place & { style: Partial<TitleStyle> })[]

/** Where something lies in the frame, by name. */
export interface Place {
  readonly name: string
  readonly place: Layer['place']
}

/** Above all that lies there already. */
const above = (others: readonly Layer[]): number => Math.max(0, ...others.map((l) => l.height + 1))

/** A title comes and goes so fast, unless it is said otherwise. */
const USUAL_FADE = flicks(FLICKS_PER_SECOND / 2)

/** A title over a range, above all that lies there already. */
export function newTitle(id: string, { from, to }: Stretch, others: readonly Layer[]): Layer {
  const [{ place, style }] = TITLE_PLACES
  const fade = flicks(Math.min(USUAL_FADE, (to - from) / 4))
  return { id, kind: 'title', from, to, height: above(others), place, text: 'Title', title: { ...USUAL_TITLE, ...style }, fadeIn: fade, fadeOut: fade }
}

/** Where insets stand. */
export const INSET_PLACES = [
  { name: 'lower right', place: { x: 0.67, y: 0.66, width: 0.29, height: 0.29 } },
  { name: 'lower left', place: { x: 0.04, y: 0.66, width: 0.29, height: 0.29 } },
  { name: 'upper right', place: { x: 0.67, y: 0.05, width: 0.29, height: 0.29 } },
  { name: 'upper left', place: { x: 0.04, y: 0.05, width: 0.29, height: 0.29 } },
  { name: 'right half', place: { x: 0.5, y: 0, width: 0.5, height: 1 } },
  { name: 'left half', place: { x: 0, y: 0, width: 0.5, height: 1 } },
] as const

/** An inset of an angle over a range, above all that lies there already. */
export function newInset(id: string, angleId: string, { from, to }: Stretch, others: readonly Layer[]): Layer {
  return {
    id,
    kind: 'inset',
    from,
    to,
    height: above(others),
    place: INSET_PLACES[0].place,
    angleId,
    edge: { round: 0.06, border: { width: 0.004, colour: '#f3ead7' }, shadow: 0.5 },
  }
}

/** Where stills lie: a logo in a corner, a picture over all of it. */
export const STILL_PLACES = [
  { name: 'upper right', place: { x: 0.82, y: 0.05, width: 0.14, height: 0.14 } },
  { name: 'upper left', place: { x: 0.04, y: 0.05, width: 0.14, height: 0.14 } },
  { name: 'lower right', place: { x: 0.82, y: 0.81, width: 0.14, height: 0.14 } },
  { name: 'lower left', place: { x: 0.04, y: 0.81, width: 0.14, height: 0.14 } },
  { name: 'middle', place: { x: 0.2, y: 0.2, width: 0.6, height: 0.6 } },
  { name: 'all of the frame', place: { x: 0, y: 0, width: 1, height: 1 } },
] as const

/** A still over a range, above all that lies there already: a logo in the corner, until it is put elsewhere. */
export function newStill(id: string, fileId: string, { from, to }: Stretch, others: readonly Layer[]): Layer {
  return { id, kind: 'still', from, to, height: above(others), place: STILL_PLACES[0].place, fileId }
}

/** A place so many times as large, around its middle. */
export function grown({ x, y, width, height }: Layer['place'], by: number): Layer['place'] {
  return { x: x + (width * (1 - by)) / 2, y: y + (height * (1 - by)) / 2, width: width * by, height: height * by }
}

/** A background of an angle over a range, below all that lies there already. */
export function newBackground(id: string, angleId: string, { from, to }: Stretch, others: readonly Layer[]): Layer {
  const height = Math.min(0, ...others.map((l) => l.height - 1))
  return { id, kind: 'background', from, to, height, place: { x: 0, y: 0, width: 1, height: 1 }, angleId, key: USUAL_KEY }
}

const samePlace = (a: Layer['place'], b: Layer['place']) => a.x === b.x && a.y === b.y && a.width === b.width && a.height === b.height
/** The usual one of the places that a layer is in; null for any other. */
export const nameOfPlace = ({ place }: Layer, places: readonly Place[]): string | null => places.find((p) => samePlace(p.place, place))?.name ?? null

/** Corners of insets by name. */
export const CORNERS = [
  { name: 'square', round: 0 },
  { name: 'soft', round: 0.06 },
  { name: 'round', round: 0.5 },
] as const
export const cornersOf = ({ round }: InsetEdge): string => (round === 0 ? 'square' : round < 0.25 ? 'soft' : 'round')

/** A place of another height, its shape and the edges of the frame that it lies at kept. */
export function resized({ x, y, width, height }: Layer['place'], to: number): Layer['place'] {
  const by = to / height
  const [w, h] = [Math.min(1, width * by), Math.min(1, to)]
  // What lies nearer to the right or the lower edge stays as far from that.
  const left = x + width / 2 > 0.5 ? x + width - w : x
  const top = y + height / 2 > 0.5 ? y + height - h : y
  return { x: Math.max(0, Math.min(1 - w, left)), y: Math.max(0, Math.min(1 - h, top)), width: w, height: h }
}

/** Puts a title in one of the usual places; what rolls takes the time it has. */
export function placed(layer: Layer, name: string): Layer {
  const found = TITLE_PLACES.find((p) => p.name === name)
  if (!found) return layer
  const { rolls: _, ...style } = layer.title ?? USUAL_TITLE
  return { ...layer, place: found.place, title: { ...style, ...found.style } }
}

/** The usual place that a title is in; null for any other. */
export function placeName({ place, title }: Layer): string | null {
  const same = (p: (typeof TITLE_PLACES)[number]) => samePlace(p.place, place) && 'rolls' in p.style === (title?.rolls === true)
  return TITLE_PLACES.find(same)?.name ?? null
}

export const layerEdit = (cutId: string, layer: Layer): Edit => ({ type: 'layers', cutId, layers: [layer] })
