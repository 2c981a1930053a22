import type { Fact, Why } from '../lineup/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '../time/index.ts'
import { own } from './ids.ts'
import { angleOf, clipOf, EditError, placementOf } from './lookup.ts'
import type { Recorder } from './recorder.ts'
import type { Angle, Method, Placement, PointKind, ProjectDoc } from './types.ts'

/** search = all clips were tried; asked = the user had just this clip searched for; hand = the user said where. */
export const PLACED_BY = ['search', 'asked', 'hand'] as const

/** Where a search or a person says that clips lie, and why others have no place. */
export interface Placing {
  by: (typeof PLACED_BY)[number]
  placements: Record<string, Placement>
  loose: Record<string, Why>
  /** Names of the proofs that go with them, by clip. */
  proofs?: Record<string, string>
}

/** Ways by which the user said where a clip lies; a search of all clips leaves them. */
export const SET_BY_HAND: ReadonlySet<Method> = new Set(['hand', 'mark', 'points', 'exchange'])

/** Ways whose start was measured in the camera's sound. */
const BY_SOUND: ReadonlySet<Method> = new Set(['sound', 'through'])

/** Speed of sound at 20 °C, m/s (ISO 9613-1). */
export const SOUND_SPEED = 343.2

/** How late sound is over a distance in metres. */
function soundDelay(metres: number): Flicks {
  return flicks(Math.round((metres / SOUND_SPEED) * FLICKS_PER_SECOND))
}

/** No time of a project lies further from the master's beginning: a week, which whole flicks hold with any speed. */
export const MOST_TIME = 7 * 86_400 * FLICKS_PER_SECOND

/** @throws EditError beyond {@link MOST_TIME} */
export function bounded(placement: Placement): Placement {
  if (Math.abs(placement.start) > MOST_TIME) throw new EditError('a clip cannot lie more than a week from the master')
  return placement
}

export function moveClips(doc: ProjectDoc, clipIds: string[], angle: Angle | { id: string }): void {
  const clips = clipIds.map((id) => clipOf(doc, id))
  if (!doc.angles.some((a) => a.id === angle.id)) {
    if (!('name' in angle)) throw new EditError('this angle is gone')
    doc.angles.push(angle)
  }
  if (angleOf(doc, angle.id).of !== undefined) throw new EditError('a second framing shows the clips of another angle and has none of its own')
  const left = new Set(clips.map((c) => c.angleId))
  for (const clip of clips) clip.angleId = angle.id
  // An angle whose last file has gone leaves nothing behind to tidy up.
  doc.angles = doc.angles.filter((a) => !left.has(a.id) || Object.values(doc.clips).some((c) => c.angleId === a.id))
  // What showed the clips that are gone shows them where they are now.
  for (const a of doc.angles) if (a.of !== undefined && !doc.angles.some((b) => b.id === a.of)) a.of = angle.id
}

export function place(doc: ProjectDoc, edit: Placing): void {
  for (const [id, placement] of Object.entries(edit.placements)) {
    if (!isThere(doc, id, edit.by)) continue
    bounded(placement)
    const old = own(doc.placements, id)
    // A search that ran for a while must not undo what was locked or placed by hand meanwhile.
    if (old && (old.locked || (edit.by === 'search' && SET_BY_HAND.has(old.method)))) {
      if (edit.by === 'hand') throw new EditError('this clip is locked; unlock it first')
      continue
    }
    doc.placements[id] = placement
    // Sound that came late put the whole clip too early: the picture follows the light.
    const distance = doc.angles.find((a) => a.id === doc.clips[id].angleId)?.distance
    if (distance && edit.by !== 'hand' && BY_SOUND.has(placement.method))
      doc.placements[id] = { ...placement, start: flicks(placement.start + soundDelay(distance)) }
    doc.clips[id].state = 'in'
    delete doc.loose[id]
    proven(doc, id, edit)
  }
  for (const [id, why] of Object.entries(edit.loose)) {
    if (!isThere(doc, id, edit.by)) continue
    const old = own(doc.placements, id)
    if (old && (old.locked || SET_BY_HAND.has(old.method))) continue
    delete doc.placements[id]
    doc.loose[id] = why
    proven(doc, id, edit)
  }
}

function proven(doc: ProjectDoc, id: string, { proofs = {} }: Placing): void {
  const proof = own(proofs, id)
  if (proof !== undefined) doc.proofs[id] = proof
}

/** A search may end after a clip has gone or has become the master; a person names only clips that can be placed. */
function isThere(doc: ProjectDoc, id: string, by: Placing['by']): boolean {
  if (id === doc.master.clipIds[0]) {
    // All others lie by its clock: it has its place by being the master.
    if (by === 'hand') throw new EditError('the master has no other place; choose another master first')
    return false
  }
  if (own(doc.clips, id)) return true
  if (by === 'hand') throw new EditError('this clip is not in the project')
  return false
}

const POINT_TEXT: Record<PointKind, string> = { mark: 'mark', in: 'in point', out: 'out point' }

export function placeByPoint(doc: ProjectDoc, clipIds: readonly string[], point: PointKind): void {
  const clock = doc.master.clipIds[0] ?? null
  const master = clock === null ? null : clipOf(doc, clock)
  const at = master?.points?.[point]
  if (!master || at === undefined) throw new EditError(`the master has no ${POINT_TEXT[point]} yet; set it where the playhead stands`)
  for (const id of clipIds) {
    const clip = clipOf(doc, id)
    const there = clip.points?.[point]
    const old = own(doc.placements, id)
    if (id === master.id) continue
    if (there === undefined) throw new EditError(`a chosen clip has no ${POINT_TEXT[point]} yet`)
    if (old?.locked) throw new EditError('this clip is locked; unlock it first')
    const rate = old?.rate ?? 1
    doc.placements[id] = bounded({
      start: flicks(Math.round(at - rate * there)),
      rate,
      method: point === 'mark' ? 'mark' : 'points',
      verdict: 'sure',
      confidence: 0.9,
      why: [{ code: 'point', point }],
      locked: false,
    })
    clip.state = 'in'
    delete doc.loose[id]
  }
}

/** Takes cuts to angles that are gone out of all versions. */
export function dropUnknownChoices(recorder: Recorder): void {
  const known = new Set(recorder.doc.angles.map((a) => a.id))
  for (const [i, { points }] of recorder.doc.cuts.entries())
    for (const { time } of points.filter((p) => !known.has(p.angleId))) recorder.remove(['cuts', i, 'points', String(time)])
}

function unlocked(doc: ProjectDoc, clipIds: string[]): Placement[] {
  return clipIds.map((id) => {
    const placement = placementOf(doc, id)
    if (placement.locked) throw new EditError('a locked clip does not move; unlock it first')
    return placement
  })
}

/** A reason with a fact at its end, said once. */
const lastly = (why: Why, fact: Fact): Why => [...why.filter((f) => f.code !== fact.code), fact]

export function nudge(doc: ProjectDoc, clipIds: string[], by: Flicks): void {
  for (const placement of unlocked(doc, clipIds)) {
    placement.start = flicks(placement.start + by)
    bounded(placement)
    placement.method = 'hand'
    placement.why = lastly(placement.why, { code: 'moved' })
  }
}

/** Sets how far an angle stands from the sound, and moves what was placed by it. */
export function setDistance(doc: ProjectDoc, angleId: string, metres: number): void {
  const angle = angleOf(doc, angleId)
  const later = soundDelay(metres) - soundDelay(angle.distance ?? 0)
  if (metres > 0) angle.distance = metres
  else delete angle.distance
  for (const clip of Object.values(doc.clips)) {
    const placement = doc.placements[clip.id]
    if (clip.angleId === angle.id && placement && BY_SOUND.has(placement.method) && !placement.locked) placement.start = flicks(placement.start + later)
  }
}

export function accept(doc: ProjectDoc, clipIds: string[]): void {
  for (const id of clipIds) {
    const placement = placementOf(doc, id)
    placement.verdict = 'sure'
    placement.why = lastly(placement.why, { code: 'accepted' })
  }
}

export function park(doc: ProjectDoc, clipIds: string[], parked: boolean): void {
  for (const id of clipIds) {
    if (doc.master.clipIds.includes(id)) throw new EditError('the master cannot be parked; choose another master first')
    const clip = clipOf(doc, id)
    if (parked && own(doc.placements, id)?.locked) throw new EditError('a locked clip cannot be parked; unlock it first')
    clip.state = parked ? 'parked' : 'in'
    if (parked) delete doc.placements[id]
  }
}

export function setPoint(doc: ProjectDoc, clipId: string, point: PointKind, time: Flicks | null): void {
  const clip = clipOf(doc, clipId)
  const { [point]: _, ...others } = clip.points ?? {}
  clip.points = time === null ? others : { ...others, [point]: time }
}
