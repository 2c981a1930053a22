import { applyPatches, enablePatches, type Patch, produceWithPatches } from 'immer'
import { type Choice, choose, join, paint, reassign, roll, type SwitchPoint } from '../cut/index.ts'
import {
  clearBeats,
  countFrom,
  doubleGrid,
  dragBeat,
  EVERYWHERE,
  type Grid,
  halveGrid,
  keepLocked,
  lockStretch,
  nearestBeat,
  type Range,
  shiftGrid,
  tapStretch,
  usualDistance,
} from '../grid/index.ts'
import type { Framing } from '../picture/index.ts'
import { clipToMaster, FLICKS_PER_SECOND, type Flicks, flicks, frameStart, masterToClip, type Rate, ZERO } from '../time/index.ts'
import {
  type Angle,
  type Clip,
  DEFAULT_STRIP,
  HUE_COUNT,
  type Mark,
  type MarkKind,
  type Method,
  type Placement,
  type PointKind,
  type ProjectDoc,
  type Pulse,
  type Settings,
  type SoundSpan,
  type Strip,
} from './types.ts'

enablePatches()

/** Every change a user or a job can make to a project. One list of them is one transaction and one step of undo. */
export type Edit =
  | { type: 'settings'; change: Partial<Settings> }
  | { type: 'addClips'; angles: Angle[]; clips: Clip[] }
  | { type: 'setMaster'; clipId: string }
  | { type: 'renameAngle'; angleId: string; name: string }
  | { type: 'orderAngles'; angleIds: string[] }
  | { type: 'moveClips'; clipIds: string[]; angle: Angle | { id: string } }
  | { type: 'setAside'; clipIds: string[]; aside: boolean }
  | { type: 'frameAngle'; angleId: string; framing: Framing }
  | { type: 'place'; by: (typeof PLACED_BY)[number]; placements: Record<string, Placement>; loose: Record<string, string> }
  | { type: 'nudge'; clipIds: string[]; by: Flicks }
  | { type: 'clipPoint'; clipId: string; point: PointKind; time: Flicks | null }
  | { type: 'placeByPoint'; clipIds: string[]; point: PointKind }
  | { type: 'angleDistance'; angleId: string; metres: number }
  | { type: 'lock'; clipIds: string[]; locked: boolean }
  | { type: 'accept'; clipIds: string[] }
  | { type: 'park'; clipIds: string[]; parked: boolean }
  | { type: 'setPulse'; pulse: Pulse | null }
  | { type: 'correctPulse'; act: PulseAct }
  | { type: 'addMarks'; marks: Mark[] }
  | { type: 'changeMark'; markId: string; change: Partial<Pick<Mark, 'time' | 'kind' | 'name' | 'hue' | 'text'>> & { end?: Flicks | null } }
  | { type: 'standMarks'; markIds: string[]; clipId: string | null }
  | { type: 'removeMarks'; markIds: string[] }
  | { type: 'found'; kinds: MarkKind[]; marks: Mark[]; spans?: SoundSpan[] }
  | { type: 'choose'; cutId: string; time: Flicks; choice: Choice; since?: Flicks }
  | { type: 'reassign'; cutId: string; time: Flicks; choice: Choice }
  | { type: 'paint'; cutId: string; from: Flicks; to: Flicks; choice: Choice }
  | { type: 'roll'; cutId: string; time: Flicks; to: Flicks }
  | { type: 'join'; cutId: string; time: Flicks }
  | { type: 'addCut'; cutId: string; name: string; from: string | null }
  | { type: 'renameCut'; cutId: string; name: string }
  | { type: 'removeCut'; cutId: string }
  | { type: 'activeCut'; cutId: string }
  | { type: 'keep'; start?: Flicks | null; end?: Flicks | null }
  | { type: 'strip'; clipId: string; change: Partial<Strip> }

/** What a hand can do to beats and bars; without a range it is done everywhere. */
export type PulseAct =
  | { do: 'shift'; by: Flicks; range?: Stretch }
  | { do: 'double' | 'halve'; range?: Stretch }
  | { do: 'clear'; range: Stretch }
  | { do: 'count'; at: Flicks; metre: number; range?: Stretch }
  | { do: 'drag'; at: Flicks; to: Flicks }
  | { do: 'taps'; taps: Flicks[]; lag: Flicks }
  | { do: 'lock' | 'unlock'; range: Stretch }

interface Stretch {
  from: Flicks
  to: Flicks
}

/** search = all clips were tried; asked = the user had just this clip searched for; hand = the user said where. */
export const PLACED_BY = ['search', 'asked', 'hand'] as const

export type EditType = Edit['type']

/** An edit that does not fit the project as it is now; the message is for people. */
export class EditError extends Error {
  readonly code = 'edit'
}

export interface EditResult {
  readonly doc: ProjectDoc
  readonly forward: Patch[]
  readonly backward: Patch[]
}

/**
 * Applies a list of edits as one step; either all of them or none.
 * @returns the new project with the patches forwards and backwards (both empty when nothing changed)
 * @throws EditError or CutError when one does not fit; the project given stays as it was
 */
export function applyEdits(doc: ProjectDoc, edits: readonly Edit[]): EditResult {
  const [next, forward, backward] = produceWithPatches(doc, (draft) => {
    for (const edit of edits) change(draft as ProjectDoc, edit)
  })
  return { doc: next, forward, backward }
}

/** Applies kept patches: undo with the backward ones, redo with the forward ones. */
export function applyKeptPatches(doc: ProjectDoc, patches: Patch[]): ProjectDoc {
  return applyPatches(doc, patches)
}

function change(doc: ProjectDoc, edit: Edit): void {
  switch (edit.type) {
    case 'settings':
      Object.assign(doc.settings, edit.change)
      return
    case 'addClips':
      doc.angles.push(...edit.angles)
      for (const clip of edit.clips) doc.clips[clip.id] = clip
      return
    case 'setMaster':
      setMaster(doc, clipOf(doc, edit.clipId))
      return
    case 'renameAngle':
      angleOf(doc, edit.angleId).name = named(edit.name, 'an angle')
      return
    case 'orderAngles': {
      const byId = new Map(doc.angles.map((a) => [a.id, a]))
      if (edit.angleIds.length !== byId.size || !edit.angleIds.every((id) => byId.has(id))) throw new EditError('the new order must name every angle once')
      doc.angles = edit.angleIds.map((id) => byId.get(id) as Angle)
      return
    }
    case 'moveClips':
      moveClips(doc, edit.clipIds, edit.angle)
      return
    case 'setAside':
      for (const id of edit.clipIds) {
        clipOf(doc, id).state = edit.aside ? 'aside' : 'in'
        if (edit.aside && id === doc.masterClipId) throw new EditError('the master cannot be set aside; choose another master first')
      }
      return
    case 'frameAngle':
      angleOf(doc, edit.angleId).framing = edit.framing
      return
    case 'place':
      place(doc, edit)
      return
    case 'nudge':
      for (const placement of unlocked(doc, edit.clipIds)) {
        placement.start = flicks(placement.start + edit.by)
        placement.method = 'hand'
        placement.why = `${placement.why.replace(/; moved by hand$/, '')}; moved by hand`
      }
      return
    case 'clipPoint': {
      const clip = clipOf(doc, edit.clipId)
      const { [edit.point]: _, ...others } = clip.points ?? {}
      clip.points = edit.time === null ? others : { ...others, [edit.point]: edit.time }
      return
    }
    case 'placeByPoint':
      placeByPoint(doc, edit.clipIds, edit.point)
      return
    case 'angleDistance': {
      const angle = angleOf(doc, edit.angleId)
      const later = soundDelay(edit.metres) - soundDelay(angle.distance ?? 0)
      if (edit.metres > 0) angle.distance = edit.metres
      else delete angle.distance
      for (const clip of Object.values(doc.clips)) {
        const placement = doc.placements[clip.id]
        if (clip.angleId === angle.id && placement && BY_SOUND.has(placement.method) && !placement.locked) placement.start = flicks(placement.start + later)
      }
      return
    }
    case 'lock':
      for (const id of edit.clipIds) placementOf(doc, id).locked = edit.locked
      return
    case 'accept':
      for (const id of edit.clipIds) {
        const placement = placementOf(doc, id)
        placement.verdict = 'sure'
        placement.why = `${placement.why.replace(/; accepted by you$/, '')}; accepted by you`
      }
      return
    case 'park':
      for (const id of edit.clipIds) {
        if (id === doc.masterClipId) throw new EditError('the master cannot be parked')
        if (edit.parked && doc.placements[id]?.locked) throw new EditError('a locked clip cannot be parked; unlock it first')
        clipOf(doc, id).state = edit.parked ? 'parked' : 'in'
        if (edit.parked) delete doc.placements[id]
      }
      return
    case 'setPulse':
      doc.pulse = edit.pulse && doc.pulse ? onGrid(edit.pulse, keepLocked(doc.pulse, edit.pulse)) : edit.pulse
      return
    case 'correctPulse':
      doc.pulse = corrected(doc.pulse, edit.act)
      return
    case 'addMarks':
      for (const mark of edit.marks) if (doc.marks.some((m) => m.id === mark.id)) throw new EditError('this mark exists already')
      doc.marks = [...doc.marks, ...edit.marks].sort((a, b) => a.time - b.time)
      return
    case 'changeMark': {
      const mark = doc.marks.find((m) => m.id === edit.markId)
      if (!mark) throw new EditError('this mark is gone')
      Object.assign(mark, edit.change)
      delete mark.found
      // A range that ends before it begins is a point.
      if (mark.end === null || (mark.end !== undefined && mark.end <= mark.time)) delete mark.end
      doc.marks.sort((a, b) => a.time - b.time)
      return
    }
    case 'standMarks':
      for (const mark of doc.marks) if (edit.markIds.includes(mark.id)) standOn(doc, mark, edit.clipId)
      doc.marks.sort((a, b) => a.time - b.time)
      return
    case 'removeMarks':
      doc.marks = doc.marks.filter((m) => !edit.markIds.includes(m.id))
      return
    case 'found':
      // What a user named, moved or made stays; only what an earlier search proposed gives way.
      doc.marks = [...doc.marks.filter((m) => !m.found || !edit.kinds.includes(m.kind)), ...edit.marks.map((m) => ({ ...m, found: true as const }))]
      doc.marks.sort((a, b) => a.time - b.time)
      if (edit.spans) doc.spans = edit.spans
      return
    case 'choose':
      angleOf(doc, edit.choice.angleId)
      cutPoints(doc, edit.cutId, (points) => choose(points, edit.time, edit.choice, edit.since))
      return
    case 'reassign':
      angleOf(doc, edit.choice.angleId)
      cutPoints(doc, edit.cutId, (points) => reassign(points, edit.time, edit.choice))
      return
    case 'paint':
      angleOf(doc, edit.choice.angleId)
      cutPoints(doc, edit.cutId, (points) => paint(points, edit.from, edit.to, edit.choice))
      return
    case 'roll':
      cutPoints(doc, edit.cutId, (points) => roll(points, edit.time, edit.to, oneFrame(doc)))
      return
    case 'join':
      cutPoints(doc, edit.cutId, (points) => join(points, edit.time))
      return
    case 'addCut': {
      if (doc.cuts.some((c) => c.id === edit.cutId)) throw new EditError('this version exists already')
      const source = edit.from === null ? [] : cutOf(doc, edit.from).points
      doc.cuts.push({ id: edit.cutId, name: named(edit.name, 'a version of the cut'), points: source.map((p) => ({ ...p })) })
      doc.activeCutId = edit.cutId
      return
    }
    case 'renameCut':
      cutOf(doc, edit.cutId).name = named(edit.name, 'a version of the cut')
      return
    case 'removeCut':
      if (doc.cuts.length === 1) throw new EditError('the last version of the cut stays; add another before removing it')
      cutOf(doc, edit.cutId)
      doc.cuts = doc.cuts.filter((c) => c.id !== edit.cutId)
      if (doc.activeCutId === edit.cutId) doc.activeCutId = doc.cuts[0].id
      return
    case 'activeCut':
      doc.activeCutId = cutOf(doc, edit.cutId).id
      return
    case 'keep':
      if (edit.start !== undefined) doc.keep.start = edit.start
      if (edit.end !== undefined) doc.keep.end = edit.end
      if (doc.keep.start !== null && doc.keep.end !== null && doc.keep.end <= doc.keep.start) throw new EditError('the film must end after it begins')
      return
    case 'strip':
      clipOf(doc, edit.clipId)
      doc.strips[edit.clipId] = { ...(doc.strips[edit.clipId] ?? { ...DEFAULT_STRIP, on: edit.clipId === doc.masterClipId }), ...edit.change }
      return
  }
}

function setMaster(doc: ProjectDoc, clip: Clip): void {
  const before = doc.masterClipId
  if (before === clip.id) return
  // Places are on the old master's time. Where the new master has a place there, all others move with it.
  const shift = before && doc.placements[clip.id]?.rate === 1 ? doc.placements[clip.id].start : null
  if (shift === null) doc.placements = {}
  else for (const placement of Object.values(doc.placements)) placement.start = flicks(placement.start - shift)
  doc.masterClipId = clip.id
  clip.state = 'in'
  doc.placements[clip.id] = { start: ZERO, rate: 1, method: 'master', verdict: 'sure', confidence: 1, why: 'the master itself', locked: true }
  delete doc.loose[clip.id]
  if (before) {
    if (doc.placements[before]) Object.assign(doc.placements[before], { method: 'sound', locked: false, why: 'was the master before' })
    doc.pulse = null
    delete doc.strips[before]
  }
  doc.strips[clip.id] = { ...DEFAULT_STRIP, on: true }
}

function moveClips(doc: ProjectDoc, clipIds: string[], angle: Angle | { id: string }): void {
  const clips = clipIds.map((id) => clipOf(doc, id))
  if (!doc.angles.some((a) => a.id === angle.id)) {
    if (!('name' in angle)) throw new EditError('this angle is gone')
    doc.angles.push(angle)
  }
  const left = new Set(clips.map((c) => c.angleId))
  for (const clip of clips) clip.angleId = angle.id
  // An angle whose last file has gone leaves nothing behind to tidy up.
  doc.angles = doc.angles.filter((a) => !left.has(a.id) || Object.values(doc.clips).some((c) => c.angleId === a.id))
  dropUnknownChoices(doc)
}

function place(doc: ProjectDoc, edit: Extract<Edit, { type: 'place' }>): void {
  for (const [id, placement] of Object.entries(edit.placements)) {
    if (!doc.clips[id]) continue
    const old = doc.placements[id]
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
  }
  for (const [id, why] of Object.entries(edit.loose)) {
    if (!doc.clips[id]) continue
    const old = doc.placements[id]
    if (old && (old.locked || SET_BY_HAND.has(old.method))) continue
    delete doc.placements[id]
    doc.loose[id] = why
  }
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

const POINT_TEXT: Record<PointKind, string> = { mark: 'mark', in: 'in point', out: 'out point' }

function placeByPoint(doc: ProjectDoc, clipIds: readonly string[], point: PointKind): void {
  const master = doc.masterClipId ? clipOf(doc, doc.masterClipId) : null
  const at = master?.points?.[point]
  if (!master || at === undefined) throw new EditError(`the master has no ${POINT_TEXT[point]} yet; set it where the playhead stands`)
  for (const id of clipIds) {
    const clip = clipOf(doc, id)
    const own = clip.points?.[point]
    const old = doc.placements[id]
    if (id === master.id) continue
    if (own === undefined) throw new EditError(`a chosen clip has no ${POINT_TEXT[point]} yet`)
    if (old?.locked) throw new EditError('this clip is locked; unlock it first')
    const rate = old?.rate ?? 1
    doc.placements[id] = {
      start: flicks(Math.round(at - rate * own)),
      rate,
      method: point === 'mark' ? 'mark' : 'points',
      verdict: 'sure',
      confidence: 0.9,
      why: `its ${POINT_TEXT[point]} put on that of the master, both set by you`,
      locked: false,
    }
    clip.state = 'in'
    delete doc.loose[id]
  }
}

function dropUnknownChoices(doc: ProjectDoc): void {
  const known = new Set(doc.angles.map((a) => a.id))
  for (const cut of doc.cuts) if (cut.points.some((p) => !known.has(p.angleId))) cut.points = cut.points.filter((p) => known.has(p.angleId))
}

function unlocked(doc: ProjectDoc, clipIds: string[]): Placement[] {
  return clipIds.map((id) => {
    const placement = placementOf(doc, id)
    if (placement.locked) throw new EditError('a locked clip does not move; unlock it first')
    return placement
  })
}

function cutPoints(doc: ProjectDoc, cutId: string, next: (points: SwitchPoint[]) => SwitchPoint[]): void {
  const cut = cutOf(doc, cutId)
  cut.points = next(cut.points.map((p) => ({ ...p })))
}

function oneFrame(doc: ProjectDoc): Flicks {
  return frameStart(1, projectRate(doc.settings))
}

/** The project's frame rate as a rational. */
export function projectRate(settings: Settings): Rate {
  const [num, den] = settings.rate.split('/').map(Number)
  return { num, den }
}

function clipOf(doc: ProjectDoc, id: string): Clip {
  const clip = doc.clips[id]
  if (!clip) throw new EditError('this clip is not in the project')
  return clip
}

function angleOf(doc: ProjectDoc, id: string): Angle {
  const angle = doc.angles.find((a) => a.id === id)
  if (!angle) throw new EditError('this angle is not in the project')
  return angle
}

function placementOf(doc: ProjectDoc, id: string): Placement {
  const placement = doc.placements[id]
  if (!placement) throw new EditError('this clip has no place yet')
  return placement
}

function cutOf(doc: ProjectDoc, id: string) {
  const cut = doc.cuts.find((c) => c.id === id)
  if (!cut) throw new EditError('this version of the cut is gone')
  return cut
}

function named(name: string, what: string): string {
  const clean = name.trim()
  if (clean === '') throw new EditError(`${what} needs a name`)
  return clean.slice(0, 120)
}

/** A hue for a new angle: the least used one, in order. */
export function nextHue(angles: readonly Angle[]): number {
  const used = Array.from({ length: HUE_COUNT }, (_, hue) => angles.filter((a) => a.hue === hue).length)
  return used.indexOf(Math.min(...used))
}

/** Puts a mark on a clip, or on the master again, without moving what it points at. */
function standOn(doc: ProjectDoc, mark: Mark, clipId: string | null): void {
  const placeOf = (id: string | undefined) => {
    if (id === undefined) return { start: flicks(0), rate: 1 }
    const place = doc.placements[clipOf(doc, id).id]
    if (!place) throw new EditError('a mark can stand only on a clip that has a place; line it up first')
    return place
  }
  const [from, to] = [placeOf(mark.clipId), placeOf(clipId ?? undefined)]
  const moved = (time: Flicks) => masterToClip(clipToMaster(time, from), to)
  mark.time = moved(mark.time)
  if (mark.end !== undefined) mark.end = moved(mark.end)
  if (clipId === null) delete mark.clipId
  else mark.clipId = clipId
  delete mark.found
}

function corrected(pulse: Pulse | null, act: PulseAct): Pulse {
  if (!pulse && act.do !== 'taps') throw new EditError('there are no beats yet; find the pulse, or tap it, first')
  const before: Pulse = pulse ?? { tempoBpm: 0, metre: 4, confidence: 0, beats: [], downbeats: [] }
  if (act.do === 'taps' && act.taps.length < 4) throw new EditError('at least four taps are needed to fit beats to them')
  return onGrid(before, done(before, act))
}

function done(grid: Grid, act: PulseAct): Grid {
  const range: Range = ('range' in act ? act.range : undefined) ?? EVERYWHERE
  switch (act.do) {
    case 'shift':
      return shiftGrid(grid, act.by, range)
    case 'double':
      return doubleGrid(grid, range)
    case 'halve':
      return halveGrid(grid, range)
    case 'clear':
      return clearBeats(grid, range)
    case 'count':
      return countFrom(grid, act.at, act.metre, range)
    case 'drag':
      return grid.beats.length > 0 ? dragBeat(grid, nearestBeat(grid, act.at), act.to) : grid
    case 'taps':
      return tapStretch(grid, act.taps, act.lag)
    case 'lock':
    case 'unlock':
      return lockStretch(grid, range, act.do === 'lock')
  }
}

/** The pulse with another grid; its tempo follows. */
function onGrid(pulse: Pulse, grid: Grid): Pulse {
  const distance = usualDistance(grid)
  return {
    ...pulse,
    metre: grid.metre,
    beats: grid.beats.map((t) => flicks(Math.round(t))),
    downbeats: [...grid.downbeats],
    tempoBpm: distance > 0 ? (60 * FLICKS_PER_SECOND) / distance : 0,
    ...(grid.locked && grid.locked.length > 0 ? { locked: grid.locked.map((r) => ({ from: flicks(r.from), to: flicks(r.to) })) } : { locked: undefined }),
  }
}
