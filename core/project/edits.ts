import { enablePatches, type Patch, setAutoFreeze } from 'immer'
import { type Choice, choose, join, paint, reassign, roll, type SwitchPoint } from '../cut/index.ts'
import type { Framing } from '../picture/index.ts'
import { type Flicks, frameStart, type Rate } from '../time/index.ts'
import { corrected, foundAnew, type PulseAct } from './corrections.ts'
import { own } from './ids.ts'
import { angleOf, clipOf, cutOf, EditError, named, placementOf } from './lookup.ts'
import { addMarks, changeMark, foundMarks, type MarkChange, removeMarks, standMarks } from './marks.ts'
import { accept, moveClips, nudge, type Placing, park, place, placeByPoint, setDistance, setMaster, setPoint } from './places.ts'
import { applyPatches, Recorder } from './recorder.ts'
import { keepPoints, pointsOf } from './sorted.ts'
import {
  type Angle,
  type Clip,
  DEFAULT_STRIP,
  HUE_COUNT,
  type Mark,
  type MarkKind,
  type PointKind,
  type ProjectDoc,
  type Pulse,
  type Settings,
  type SoundSpan,
  type Strip,
} from './types.ts'

enablePatches()
// Freezing walks all that a record holds at every change.
setAutoFreeze(false)

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
  | ({ type: 'place' } & Placing)
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
  | { type: 'changeMark'; markId: string; change: MarkChange }
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

export type EditType = Edit['type']

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
  const recorder = new Recorder(doc)
  for (const edit of edits) change(recorder, edit)
  return { doc: recorder.doc, forward: recorder.forward, backward: recorder.backward }
}

/** Edits between two rests. */
const BETWEEN_RESTS = 25

/**
 * {@link applyEdits} for many edits at once on a thread that others need too.
 * @param rest waits until others had their turn
 */
export async function applyEditsWithRests(doc: ProjectDoc, edits: readonly Edit[], rest: () => Promise<unknown>): Promise<EditResult> {
  const recorder = new Recorder(doc)
  for (const [n, edit] of edits.entries()) {
    if (n > 0 && n % BETWEEN_RESTS === 0) await rest()
    change(recorder, edit)
  }
  return { doc: recorder.doc, forward: recorder.forward, backward: recorder.backward }
}

/** Applies kept patches: undo with the backward ones, redo with the forward ones. */
export function applyKeptPatches(doc: ProjectDoc, patches: readonly Patch[]): ProjectDoc {
  return applyPatches(doc, patches)
}

/** Edits of what grows are written entry by entry, the others by a draft. */
function change(recorder: Recorder, edit: Edit): void {
  switch (edit.type) {
    case 'addMarks':
      addMarks(recorder, edit.marks)
      return
    case 'changeMark':
      changeMark(recorder, edit.markId, edit.change)
      return
    case 'standMarks':
      standMarks(recorder, edit.markIds, edit.clipId)
      return
    case 'removeMarks':
      removeMarks(recorder, edit.markIds)
      return
    case 'found':
      foundMarks(recorder, edit.kinds, edit.marks)
      if (edit.spans) recorder.set(['spans'], edit.spans)
      return
    case 'choose':
      checkChoice(recorder.doc, edit.choice)
      cutPoints(recorder, edit.cutId, (points) => choose(points, edit.time, edit.choice, edit.since))
      return
    case 'reassign':
      checkChoice(recorder.doc, edit.choice)
      cutPoints(recorder, edit.cutId, (points) => reassign(points, edit.time, edit.choice))
      return
    case 'paint':
      checkChoice(recorder.doc, edit.choice)
      cutPoints(recorder, edit.cutId, (points) => paint(points, edit.from, edit.to, edit.choice))
      return
    case 'roll':
      cutPoints(recorder, edit.cutId, (points) => roll(points, edit.time, edit.to, oneFrame(recorder.doc)))
      return
    case 'join':
      cutPoints(recorder, edit.cutId, (points) => join(points, edit.time))
      return
    default:
      recorder.draft((doc) => changeSmall(doc, edit))
  }
}

type Growing = 'addMarks' | 'changeMark' | 'standMarks' | 'removeMarks' | 'found' | 'choose' | 'reassign' | 'paint' | 'roll' | 'join'

function changeSmall(doc: ProjectDoc, edit: Exclude<Edit, { type: Growing }>): void {
  switch (edit.type) {
    case 'settings':
      Object.assign(doc.settings, edit.change)
      return
    case 'addClips':
      addClips(doc, edit.angles, edit.clips)
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
      nudge(doc, edit.clipIds, edit.by)
      return
    case 'clipPoint':
      setPoint(doc, edit.clipId, edit.point, edit.time)
      return
    case 'placeByPoint':
      placeByPoint(doc, edit.clipIds, edit.point)
      return
    case 'angleDistance':
      setDistance(doc, edit.angleId, edit.metres)
      return
    case 'lock':
      for (const id of edit.clipIds) placementOf(doc, id).locked = edit.locked
      return
    case 'accept':
      accept(doc, edit.clipIds)
      return
    case 'park':
      park(doc, edit.clipIds, edit.parked)
      return
    case 'setPulse':
      doc.pulse = foundAnew(doc.pulse, edit.pulse)
      return
    case 'correctPulse':
      doc.pulse = corrected(doc.pulse, edit.act)
      return
    case 'addCut': {
      if (doc.cuts.some((c) => c.id === edit.cutId)) throw new EditError('this version exists already')
      const points = edit.from === null ? {} : cutOf(doc, edit.from).points
      doc.cuts.push({ id: edit.cutId, name: named(edit.name, 'a version of the cut'), points: { ...points } })
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
      doc.strips[edit.clipId] = { ...(own(doc.strips, edit.clipId) ?? { ...DEFAULT_STRIP, on: edit.clipId === doc.masterClipId }), ...edit.change }
      return
  }
}

function addClips(doc: ProjectDoc, angles: readonly Angle[], clips: readonly Clip[]): void {
  const known = new Set(doc.angles.map((a) => a.id))
  for (const angle of angles) {
    if (known.has(angle.id)) throw new EditError('this angle is in the project already')
    known.add(angle.id)
    doc.angles.push(angle)
  }
  for (const clip of clips) {
    if (own(doc.clips, clip.id)) throw new EditError('this clip is in the project already')
    if (clip.angleId !== null && !known.has(clip.angleId)) throw new EditError('a clip names an angle that is not in the project')
    doc.clips[clip.id] = clip
  }
}

function checkChoice(doc: ProjectDoc, choice: Choice): void {
  angleOf(doc, choice.angleId)
  if (choice.clipId !== undefined) clipOf(doc, choice.clipId)
}

function cutPoints(recorder: Recorder, cutId: string, next: (points: readonly SwitchPoint[]) => SwitchPoint[]): void {
  const { cuts } = recorder.doc
  const index = cuts.indexOf(cutOf(recorder.doc, cutId))
  const before = pointsOf(cuts[index])
  const after = next(before)
  const path = (time: Flicks) => ['cuts', index, 'points', String(time)]
  // Points that stay are the same objects, so only what lies between equal ends is compared.
  let from = 0
  while (from < before.length && from < after.length && before[from] === after[from]) from++
  let [oldEnd, newEnd] = [before.length, after.length]
  while (oldEnd > from && newEnd > from && before[oldEnd - 1] === after[newEnd - 1]) {
    oldEnd--
    newEnd--
  }
  const left = new Map(before.slice(from, oldEnd).map((p) => [p.time, p]))
  for (const { time, ...choice } of after.slice(from, newEnd)) {
    const old = left.get(time)
    left.delete(time)
    if (!old || old.angleId !== choice.angleId || old.clipId !== choice.clipId) recorder.set(path(time), choice)
  }
  for (const time of left.keys()) recorder.remove(path(time))
  keepPoints(recorder.doc.cuts[index], after)
}

function oneFrame(doc: ProjectDoc): Flicks {
  return frameStart(1, projectRate(doc.settings))
}

/** The project's frame rate as a rational. */
export function projectRate(settings: Settings): Rate {
  const [num, den] = settings.rate.split('/').map(Number)
  return { num, den }
}

/** A hue for a new angle: the least used one, in order. */
export function nextHue(angles: readonly Angle[]): number {
  const used = Array.from({ length: HUE_COUNT }, (_, hue) => angles.filter((a) => a.hue === hue).length)
  return used.indexOf(Math.min(...used))
}
