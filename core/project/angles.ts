import type { Framing } from '../picture/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { angleOf, EditError, named } from './lookup.ts'
import { setDistance } from './places.ts'
import { type Angle, HUE_COUNT } from './types.ts'

export type AngleEdit =
  | { type: 'renameAngle'; angleId: string; name: string }
  | { type: 'orderAngles'; angleIds: string[] }
  | { type: 'frameAngle'; angleId: string; framing: Framing }
  | { type: 'angleDistance'; angleId: string; metres: number }

export const angleReducers: Reducers<AngleEdit> = {
  renameAngle: drafted((doc, { angleId, name }) => {
    angleOf(doc, angleId).name = named(name, 'an angle')
  }),
  orderAngles: drafted((doc, { angleIds }) => {
    const byId = new Map(doc.angles.map((a) => [a.id, a]))
    if (angleIds.length !== byId.size || !angleIds.every((id) => byId.has(id))) throw new EditError('the new order must name every angle once')
    doc.angles = angleIds.map((id) => byId.get(id) as Angle)
  }),
  frameAngle: drafted((doc, { angleId, framing }) => {
    angleOf(doc, angleId).framing = framing
  }),
  angleDistance: drafted((doc, { angleId, metres }) => setDistance(doc, angleId, metres)),
}

/** A hue for a new angle: the least used one, in order. */
export function nextHue(angles: readonly Angle[]): number {
  const used = Array.from({ length: HUE_COUNT }, (_, hue) => angles.filter((a) => a.hue === hue).length)
  return used.indexOf(Math.min(...used))
}
