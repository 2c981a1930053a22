import { type Choice, choose, join, paint, reassign, roll, type SwitchPoint, type Transition, withTransition } from '../cut/index.ts'
import type { Flicks } from '../time/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { angleOf, clipOf, cutOf, EditError, named } from './lookup.ts'
import { setInto } from './programme.ts'
import type { Recorder } from './recorder.ts'
import { oneFrame } from './settings.ts'
import { keepPoints, pointsOf } from './sorted.ts'
import { type ProjectDoc, wholeMaster } from './types.ts'

export type CutEdit =
  | { type: 'choose'; cutId: string; time: Flicks; choice: Choice; since?: Flicks }
  | { type: 'reassign'; cutId: string; time: Flicks; choice: Choice }
  | { type: 'paint'; cutId: string; from: Flicks; to: Flicks; choice: Choice }
  | { type: 'roll'; cutId: string; time: Flicks; to: Flicks }
  | { type: 'join'; cutId: string; time: Flicks }
  | { type: 'addCut'; cutId: string; name: string; from: string | null }
  | { type: 'renameCut'; cutId: string; name: string }
  | { type: 'removeCut'; cutId: string }
  | { type: 'activeCut'; cutId: string }
  | { type: 'transition'; cutId: string; time: Flicks; transition: Transition | null }

export const cutReducers: Reducers<CutEdit> = {
  choose: (recorder, { cutId, time, choice, since }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => choose(points, time, choice, since))
  },
  reassign: (recorder, { cutId, time, choice }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => reassign(points, time, choice))
  },
  paint: (recorder, { cutId, from, to, choice }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => paint(points, from, to, choice))
  },
  roll: (recorder, { cutId, time, to }) => cutPoints(recorder, cutId, (points) => roll(points, time, to, oneFrame(recorder.doc))),
  join: (recorder, { cutId, time }) => cutPoints(recorder, cutId, (points) => join(points, time)),
  addCut: drafted((doc, { cutId, name, from }) => {
    if (doc.cuts.some((c) => c.id === cutId)) throw new EditError('this version exists already')
    const { points = {}, pieces = wholeMaster(), layers = {} } = from === null ? {} : cutOf(doc, from)
    doc.cuts.push({ id: cutId, name: named(name, 'a version of the cut'), points: { ...points }, pieces: [...pieces], layers: { ...layers } })
    doc.activeCutId = cutId
  }),
  renameCut: drafted((doc, { cutId, name }) => {
    cutOf(doc, cutId).name = named(name, 'a version of the cut')
  }),
  removeCut: drafted((doc, { cutId }) => {
    if (doc.cuts.length === 1) throw new EditError('the last version of the cut stays; add another before removing it')
    cutOf(doc, cutId)
    const within = setInto(doc, cutId)
    if (within.length > 0) throw new EditError(`this version is set into ${within.join(', ')}; take it out there first`)
    doc.cuts = doc.cuts.filter((c) => c.id !== cutId)
    if (doc.activeCutId === cutId) doc.activeCutId = doc.cuts[0].id
  }),
  activeCut: drafted((doc, { cutId }) => {
    doc.activeCutId = cutOf(doc, cutId).id
  }),
  transition: (recorder, { cutId, time, transition }) => cutPoints(recorder, cutId, (points) => withTransition(points, time, transition)),
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
    if (!old || !alike(old, choice)) recorder.set(path(time), choice)
  }
  for (const time of left.keys()) recorder.remove(path(time))
  keepPoints(recorder.doc.cuts[index], after)
}

const alike = (a: Choice, b: Choice): boolean =>
  a.angleId === b.angleId && a.clipId === b.clipId && a.transition?.kind === b.transition?.kind && a.transition?.length === b.transition?.length
