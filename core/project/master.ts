import { original } from 'immer'
import { clipToMaster, type Flicks, flicks, masterToClip, type PlacementMap, secondsToFlicks, ZERO } from '../time/index.ts'
import { inBlocks, pulseOf } from './beat-blocks.ts'
import { drafted, type Reducers } from './drawer.ts'
import type { FileFacts } from './facts.ts'
import { own } from './ids.ts'
import { marksInOrder, pointsInOrder } from './keyed.ts'
import { clipOf, EditError } from './lookup.ts'
import { bounded } from './places.ts'
import { DEFAULT_STRIP, envelopeKey, type MasterJoin, type Piece, type Placement, type ProjectDoc, type Strip } from './types.ts'

export type MasterEdit =
  /** One recording alone is the master. */
  | { type: 'setMaster'; clipId: string }
  /** Several together, the first one's clock being the master's time; none: a free time. */
  | { type: 'masters'; clipIds: string[]; join?: MasterJoin; fade?: Flicks }

export const masterReducers: Reducers<MasterEdit> = {
  setMaster: drafted((doc, { clipId }) => setMasters(doc, [clipOf(doc, clipId).id])),
  masters: drafted((doc, { clipIds, join, fade }) => {
    setMasters(doc, clipIds)
    if (join !== undefined) doc.master.join = join
    if (fade !== undefined) doc.master.fade = fade
  }),
}

/** The clip whose clock is the master's time; null for a free time. */
export function clockOf(doc: Pick<ProjectDoc, 'master'>): string | null {
  return doc.master.clipIds[0] ?? null
}

/** Whether a clip is the master, or one of several that are. */
export function isMaster(doc: Pick<ProjectDoc, 'master'>, clipId: string): boolean {
  return doc.master.clipIds.includes(clipId)
}

/** The strip of a clip: what the user set, else the master is heard and others are not. That of a channel is on unless it was switched off. */
export function stripOf(doc: Pick<ProjectDoc, 'master' | 'strips'>, clipId: string, channel?: string): Strip {
  return own(doc.strips, envelopeKey(clipId, channel)) ?? { ...DEFAULT_STRIP, on: channel !== undefined || isMaster(doc, clipId) }
}

/** The strip of a group: it is on unless it was switched off. */
export function groupStripOf(doc: Pick<ProjectDoc, 'strips'>, groupId: string): Strip {
  return own(doc.strips, groupId) ?? { ...DEFAULT_STRIP, on: true }
}

/**
 * Half-open range of the master's time in which there is a master: from its first recording to its last; in a free
 * time, all that is placed.
 */
export function masterRange(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined): { start: Flicks; end: Flicks } {
  const clips = doc.master.clipIds.length > 0 ? doc.master.clipIds.map((id) => doc.clips[id]) : Object.values(doc.clips).filter((c) => c.state === 'in')
  let [start, end] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY]
  for (const clip of clips) {
    const placement = clip && own(doc.placements, clip.id)
    const facts = clip && factsOf(clip.fileId)
    if (!placement || !facts) continue
    start = Math.min(start, clipToMaster(ZERO, placement))
    end = Math.max(end, clipToMaster(secondsToFlicks(facts.durationSeconds), placement))
  }
  return end > start ? { start: flicks(start), end: flicks(end) } : { start: ZERO, end: ZERO }
}

function setMasters(doc: ProjectDoc, clipIds: readonly string[]): void {
  if (new Set(clipIds).size !== clipIds.length) throw new EditError('a recording can be the master only once')
  const before = [...doc.master.clipIds]
  const [clock] = clipIds
  for (const id of clipIds) clipOf(doc, id).state = 'in'
  for (const id of clipIds.slice(1))
    if (!own(doc.placements, id)) throw new EditError('a recording must be lined up before it can be the master together with others')
  if (clock !== before[0]) {
    // Read before anything changes: the place of the new clock is where all else goes by.
    const there = clock === undefined ? undefined : own(doc.placements, clock)
    if (there?.jumps) throw new EditError('this recording lost time in its middle, so its clock cannot be the master’s; choose another one')
    const to: PlacementMap | null = there ? { start: there.start, rate: there.rate } : null
    if (before[0] !== undefined) leaveClock(doc, before[0], clock !== undefined && to === null)
    if (to) retime(doc, to)
    else if (clock !== undefined && before.length > 0) doubt(doc)
    if (clock !== undefined) becomeClock(doc, clock)
  }
  doc.master.clipIds = [...clipIds]
  keepHeard(doc, before)
}

const CLOCK = { method: 'master', verdict: 'sure', confidence: 1, why: [{ code: 'master' }], locked: true } as const satisfies Partial<Placement>

function becomeClock(doc: ProjectDoc, id: string): void {
  const old = own(doc.placements, id)
  // One that had been the clock before knows no other place than that.
  const was = old && old.why[0]?.code !== LEFT && { method: old.method, verdict: old.verdict, confidence: old.confidence, why: old.why, locked: old.locked }
  doc.placements[id] = { start: ZERO, rate: 1, ...CLOCK, why: [...CLOCK.why], ...(was && { was }) }
  delete doc.loose[id]
}

const LEFT = 'master-before'

/** The former clock is a device like others, placed as it was before it became the clock. */
function leaveClock(doc: ProjectDoc, id: string, doubtful: boolean): void {
  const { was, ...placement } = doc.placements[id]
  const how: Placement['was'] = was ?? {
    method: 'sound',
    verdict: doubtful ? 'check' : 'sure',
    confidence: doubtful ? 0 : 1,
    why: [{ code: LEFT }],
    locked: false,
  }
  doc.placements[id] = { ...placement, ...how }
}

/**
 * The new clock was never placed, so nobody knows where the others lie on it: they stay where they are, to be looked at. A
 * former clock to which nothing was placed has no place at all.
 */
function doubt(doc: ProjectDoc): void {
  if (Object.keys(doc.placements).length === 1) {
    doc.placements = {}
    return
  }
  for (const placement of Object.values(doc.placements))
    if (!placement.locked) Object.assign(placement, { verdict: 'check', why: [{ code: 'master-changed' }] satisfies Placement['why'] })
}

/** What is on and what is not follows the master; levels stay. */
function keepHeard(doc: ProjectDoc, before: readonly string[]): void {
  for (const id of new Set([...before, ...doc.master.clipIds])) {
    const strip = own(doc.strips, id)
    const now = isMaster(doc, id)
    if (!strip || before.includes(id) === now) continue
    const { on: _, ...rest } = strip
    const plain = Object.entries(rest).every(([key, value]) => DEFAULT_STRIP[key as keyof Strip] === value)
    if (plain) delete doc.strips[id]
    else doc.strips[id] = { ...strip, on: now }
  }
}

/**
 * Moves all that stands on the master's time to another clock, which lies there by `to`. Whole flicks: for a clock
 * of the same speed exactly, else to the nearest one.
 */
function retime(doc: ProjectDoc, to: PlacementMap): void {
  const at = (time: Flicks): Flicks => masterToClip(time, to)
  const length = (time: Flicks): Flicks => flicks(Math.round(time / to.rate))
  const range = <R extends { from: Flicks; to: Flicks }>(r: R): R => ({ ...r, from: at(r.from), to: at(r.to) })
  const keyed = <V>(record: Record<string, V>): Record<string, V> =>
    Object.fromEntries(Object.entries(record).map(([time, value]) => [String(at(flicks(Number(time)))), value]))
  const mapped = <V>(record: Record<string, V>, change: (value: V) => V): Record<string, V> =>
    Object.fromEntries(Object.entries(record).map(([key, value]) => [key, change(value)]))
  doc.placements = mapped(doc.placements, (p) =>
    bounded({ ...p, start: at(p.start), rate: p.rate / to.rate, ...(p.jumps && { jumps: p.jumps.map((j) => ({ ...j, by: length(j.by) })) }) }),
  )
  // Lists of thousands are read as they are, for a draft of each entry takes long.
  const { marks, cuts } = original(doc as object) as ProjectDoc
  doc.marks = marksInOrder(marks.map((m) => (m.clipId !== undefined ? m : { ...m, time: at(m.time), ...(m.end !== undefined && { end: at(m.end) }) })))
  if (doc.spans) doc.spans = doc.spans.map(range)
  const piece = (p: Piece): Piece => (p.kind === 'range' ? { ...p, from: p.from === null ? null : at(p.from), to: p.to === null ? null : at(p.to) } : p)
  for (const [i, cut] of doc.cuts.entries()) {
    cut.points = pointsInOrder(cuts[i].points.map((p) => ({ ...p, time: at(p.time) })))
    cut.pieces = cut.pieces.map(piece)
    cut.layers = mapped(cut.layers, range)
  }
  doc.mixRanges = mapped(doc.mixRanges, range)
  doc.exceptions = mapped(doc.exceptions, range)
  doc.envelopes = mapped(doc.envelopes, keyed)
  const pulse = pulseOf(doc)
  if (pulse)
    doc.pulse = inBlocks({
      ...pulse,
      tempoBpm: pulse.tempoBpm * to.rate,
      beats: pulse.beats.map(at),
      ...(pulse.hits && { hits: pulse.hits.map(at) }),
      ...(pulse.locked && { locked: pulse.locked.map(range) }),
      ...(pulse.clarity && { clarityFrom: at(pulse.clarityFrom ?? ZERO) }),
      ...(pulse.clarityStep !== undefined && { clarityStep: pulse.clarityStep / to.rate }),
    })
}
