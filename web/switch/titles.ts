import type { Stretch } from '@pendolo/core/cut'
import { type TitleStyle, USUAL_TITLE } from '@pendolo/core/picture'
import type { Edit, Layer } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'

/** Where titles stand: what is asked for by name, and how it is aligned there. */
export const TITLE_PLACES = [
  { name: 'lower third', place: { x: 0.06, y: 0.74, width: 0.88, height: 0.16 }, style: { align: 'left' } },
  { name: 'middle', place: { x: 0.08, y: 0.3, width: 0.84, height: 0.4 }, style: { align: 'center' } },
  { name: 'upper edge', place: { x: 0.06, y: 0.06, width: 0.88, height: 0.14 }, style: { align: 'center' } },
  { name: 'rolling names', place: { x: 0.15, y: 0, width: 0.7, height: 1 }, style: { align: 'center', rolls: true } },
] as const satisfies readonly { name: string; place: Layer['place']; style: Partial<TitleStyle> }[]

/** A title comes and goes so fast, unless it is said otherwise. */
const USUAL_FADE = flicks(FLICKS_PER_SECOND / 2)

/** A title over a range, above all that lies there already. */
export function newTitle(id: string, { from, to }: Stretch, others: readonly Layer[]): Layer {
  const [{ place, style }] = TITLE_PLACES
  const height = Math.max(0, ...others.map((l) => l.height + 1))
  const fade = flicks(Math.min(USUAL_FADE, (to - from) / 4))
  return { id, kind: 'title', from, to, height, place, text: 'Title', title: { ...USUAL_TITLE, ...style }, fadeIn: fade, fadeOut: fade }
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
  const same = (p: (typeof TITLE_PLACES)[number]) =>
    p.place.x === place.x &&
    p.place.y === place.y &&
    p.place.width === place.width &&
    p.place.height === place.height &&
    'rolls' in p.style === (title?.rolls === true)
  return TITLE_PLACES.find(same)?.name ?? null
}

export const layerEdit = (cutId: string, layer: Layer): Edit => ({ type: 'layers', cutId, layers: [layer] })
