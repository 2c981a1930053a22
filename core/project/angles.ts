import type { Framing } from '../picture/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { angleOf, EditError, named } from './lookup.ts'
import { setDistance } from './places.ts'
import { type Angle, HUE_COUNT, type ProjectDoc } from './types.ts'

export type AngleEdit =
  | { type: 'renameAngle'; angleId: string; name: string }
  | { type: 'orderAngles'; angleIds: string[] }
  | { type: 'colourAngle'; angleId: string; hue: number }
  | { type: 'sideAngle'; angleId: string; side: 'left' | 'right' | null }
  | { type: 'frameAngle'; angleId: string; framing: Framing }
  | { type: 'angleDistance'; angleId: string; metres: number }
  /** The clips of an angle are seen a second time, as an angle of its own that begins as this one is seen. */
  | { type: 'seeTwice'; angleId: string; id: string; name: string }
  /** What it was chosen for shows the angle whose clips it had. */
  | { type: 'seeOnce'; angleId: string }

export const angleReducers: Reducers<AngleEdit> = {
  renameAngle: drafted((doc, { angleId, name }) => {
    angleOf(doc, angleId).name = named(name, 'an angle')
  }),
  orderAngles: drafted((doc, { angleIds }) => {
    const byId = new Map(doc.angles.map((a) => [a.id, a]))
    if (angleIds.length !== byId.size || !angleIds.every((id) => byId.has(id))) throw new EditError('the new order must name every angle once')
    doc.angles = angleIds.map((id) => byId.get(id) as Angle)
  }),
  colourAngle: drafted((doc, { angleId, hue }) => {
    if (!Number.isInteger(hue) || hue < 0 || hue >= HUE_COUNT) throw new EditError(`there are ${HUE_COUNT} colours, from 0 to ${HUE_COUNT - 1}`)
    angleOf(doc, angleId).hue = hue
  }),
  sideAngle: drafted((doc, { angleId, side }) => {
    const angle = angleOf(doc, angleId)
    if (side === null) delete angle.side
    else angle.side = side
  }),
  frameAngle: drafted((doc, { angleId, framing }) => {
    angleOf(doc, angleId).framing = framing
  }),
  seeTwice: drafted((doc, { angleId, id, name }) => {
    const { of = angleId, framing, cutout, look } = angleOf(doc, angleId)
    if (doc.angles.some((a) => a.id === id)) throw new EditError('there is an angle of this name already')
    doc.angles.push({ id, name: named(name, 'an angle'), hue: nextHue(doc.angles), framing, of, ...(cutout && { cutout }), ...(look && { look }) })
  }),
  seeOnce: (recorder, { angleId }) => {
    const { of } = angleOf(recorder.doc, angleId)
    if (of === undefined) throw new EditError('this angle has clips of its own; move them, or set them aside')
    for (const [i, { points }] of recorder.doc.cuts.entries())
      for (const point of points.filter((p) => p.angleId === angleId)) recorder.set(['cuts', i, 'points', String(point.time)], { ...point, angleId: of })
    recorder.draft((doc) => {
      doc.angles = doc.angles.filter((a) => a.id !== angleId)
      for (const { layers } of doc.cuts) for (const layer of Object.values(layers)) if (layer.angleId === angleId) layer.angleId = of
      for (const { id } of Object.values(doc.exceptions).filter((e) => e.angleId === angleId)) delete doc.exceptions[id]
      if (doc.settings.safeAngle === angleId) doc.settings.safeAngle = of
    })
  },
  angleDistance: drafted((doc, { angleId, metres }) => setDistance(doc, angleId, metres)),
}

const used = new WeakMap<ProjectDoc['clips'], { angles: readonly Angle[]; found: readonly Angle[] }>()

/**
 * Angles that have a tile, a lane and a key, in their order: all but those whose clips are all aside.
 * Found once for each state of a project.
 */
export function anglesInUse({ angles, clips }: Pick<ProjectDoc, 'angles' | 'clips'>): readonly Angle[] {
  const before = used.get(clips)
  if (before?.angles === angles) return before.found
  const all = Object.values(clips)
  const inUse = new Set(all.filter((c) => c.state !== 'aside').map((c) => c.angleId))
  const aside = new Set(all.map((c) => c.angleId).filter((id) => !inUse.has(id)))
  const found = aside.size === 0 ? angles : angles.filter(({ id, of = id }) => !aside.has(of))
  used.set(clips, { angles, found })
  return found
}

/** A hue for a new angle: the least used one, in order. */
export function nextHue(angles: readonly Angle[]): number {
  const counts = Array.from({ length: HUE_COUNT }, (_, hue) => angles.filter((a) => a.hue === hue).length)
  return counts.indexOf(Math.min(...counts))
}

/** Angles in the order in which they stand in for one that has no picture: the safe one first. */
export function standInOrder({ angles, settings }: Pick<ProjectDoc, 'angles' | 'settings'>): string[] {
  const ids = angles.map((a) => a.id)
  return settings.safeAngle !== undefined && ids.includes(settings.safeAngle) ? [settings.safeAngle, ...ids.filter((id) => id !== settings.safeAngle)] : ids
}
