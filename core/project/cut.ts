import {
  alternate,
  type Choice,
  choose,
  copyPattern,
  endPass,
  giveWay,
  join,
  movedByBeats,
  nearestIndex,
  paint,
  press,
  reassign,
  replaceAngle,
  roll,
  type SwitchPoint,
  slide,
  split,
  swap,
  type Transition,
  takeOver,
  withTransition,
} from '../cut/index.ts'
import { type Flicks, flicks, nearestFrameStart } from '../time/index.ts'
import { pulseOf } from './beat-blocks.ts'
import { drafted, type Reducers } from './drawer.ts'
import { angleOf, clipOf, cutOf, EditError, named } from './lookup.ts'
import { setInto } from './programme.ts'
import type { Recorder } from './recorder.ts'
import { oneFrame, projectRate } from './settings.ts'
import { type Cut, type ProjectDoc, wholeMaster } from './types.ts'

export type CutEdit =
  | { type: 'choose'; cutId: string; time: Flicks; choice: Choice; since?: Flicks }
  | { type: 'paint'; cutId: string; from: Flicks; to: Flicks; choice: Choice }
  | { type: 'join'; cutId: string; times: Flicks[] }
  | { type: 'split'; cutId: string; time: Flicks }
  /** Another choice for all stretches that begin at these times. */
  | { type: 'reassign'; cutId: string; times: Flicks[]; choice: Choice }
  | { type: 'swap'; cutId: string; a: Flicks; b: Flicks }
  | { type: 'slide'; cutId: string; time: Flicks; by: Flicks }
  | { type: 'roll'; cutId: string; times: Flicks[]; by: Flicks }
  | { type: 'alternate'; cutId: string; from: Flicks; to: Flicks; borders: Flicks[]; choices: Choice[] }
  | { type: 'replaceAngle'; cutId: string; from: Flicks; to: Flicks; angleId: string; choice: Choice }
  /** Repeats the cuts of a range so many beats later, or a time later where nothing is said of beats. */
  | { type: 'copyPattern'; cutId: string; from: Flicks; to: Flicks; beats?: number; by?: Flicks }
  /** What another version shows in a range. */
  | { type: 'takeOver'; cutId: string; from: Flicks; to: Flicks; otherId: string }
  /** The passage of a live pass that has gone by. */
  | { type: 'giveWay'; cutId: string; from: Flicks; to: Flicks }
  /** The stop of a live pass; `before` stood there before it. */
  | { type: 'endPass'; cutId: string; from: Flicks; to: Flicks; back: Choice | null }
  | { type: 'noteCut'; cutId: string; note: string }
  /** A warning of the version was looked at and stands, or counts again. */
  | { type: 'acceptWarning'; cutId: string; key: string; accepted: boolean }
  | { type: 'addCut'; cutId: string; name: string; from: string | null }
  | { type: 'renameCut'; cutId: string; name: string }
  | { type: 'removeCut'; cutId: string }
  | { type: 'activeCut'; cutId: string }
  | { type: 'transition'; cutId: string; time: Flicks; transition: Transition | null }
  /** How long the picture comes out of black at the film's beginning and goes into it at its end; 0 is not at all. */
  | { type: 'endFades'; cutId: string; fadeIn?: Flicks; fadeOut?: Flicks }

export const cutReducers: Reducers<CutEdit> = {
  choose: (recorder, { cutId, time, choice, since }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => (since === undefined ? choose(points, time, choice) : press(points, time, choice, since)))
  },
  paint: (recorder, { cutId, from, to, choice }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => paint(points, from, to, choice))
  },
  join: (recorder, { cutId, times }) => cutPoints(recorder, cutId, (points) => join(points, times)),
  split: (recorder, { cutId, time }) => cutPoints(recorder, cutId, (points) => split(points, time)),
  reassign: (recorder, { cutId, times, choice }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => reassign(points, times, choice))
  },
  swap: (recorder, { cutId, a, b }) => cutPoints(recorder, cutId, (points) => swap(points, a, b)),
  slide: (recorder, { cutId, time, by }) => cutPoints(recorder, cutId, (points) => slide(points, time, by, oneFrame(recorder.doc))),
  roll: (recorder, { cutId, times, by }) => cutPoints(recorder, cutId, (points) => roll(points, times, by, oneFrame(recorder.doc))),
  alternate: (recorder, { cutId, from, to, borders, choices }) => {
    for (const choice of choices) checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => alternate(points, { from, to }, borders, choices))
  },
  replaceAngle: (recorder, { cutId, from, to, angleId, choice }) => {
    checkChoice(recorder.doc, choice)
    cutPoints(recorder, cutId, (points) => replaceAngle(points, { from, to }, angleId, choice))
  },
  copyPattern: (recorder, { cutId, from, to, beats, by }) => {
    const place = beats === undefined ? (time: Flicks) => flicks(time + (by ?? 0)) : placeByBeats(recorder.doc, beats)
    cutPoints(recorder, cutId, (points) => copyPattern(points, { from, to }, place))
  },
  takeOver: (recorder, { cutId, from, to, otherId }) => {
    const others = cutOf(recorder.doc, otherId).points
    cutPoints(recorder, cutId, (points) => takeOver(points, others, { from, to }))
  },
  giveWay: (recorder, { cutId, from, to }) => cutPoints(recorder, cutId, (points) => giveWay(points, { from, to })),
  endPass: (recorder, { cutId, from, to, back }) => {
    if (back) checkChoice(recorder.doc, back)
    cutPoints(recorder, cutId, (points) => endPass(points, { from, to }, back))
  },
  noteCut: drafted((doc, { cutId, note }) => {
    const cut = cutOf(doc, cutId)
    if (note.trim()) cut.note = note.trim()
    else delete cut.note
  }),
  acceptWarning: drafted((doc, { cutId, key, accepted }) => {
    const cut = cutOf(doc, cutId)
    const { [key]: _, ...others } = cut.accepted ?? {}
    const all: Record<string, true> = accepted ? { ...others, [key]: true } : others
    if (Object.keys(all).length > 0) cut.accepted = all
    else delete cut.accepted
  }),
  addCut: (recorder, { cutId, name, from }) => {
    const { doc } = recorder
    if (doc.cuts.some((c) => c.id === cutId)) throw new EditError('this version exists already')
    const { points = [], pieces = wholeMaster(), layers = {}, fadeIn, fadeOut }: Partial<Cut> = from === null ? {} : cutOf(doc, from)
    const fades = { ...(fadeIn && { fadeIn }), ...(fadeOut && { fadeOut }) }
    const cut: Cut = { id: cutId, name: named(name, 'a version of the cut'), points: [...points], pieces: [...pieces], layers: { ...layers }, ...fades }
    recorder.set(['cuts', doc.cuts.length], cut)
    recorder.set(['activeCutId'], cutId)
  },
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
  endFades: drafted((doc, { cutId, ...fades }) => {
    const cut = cutOf(doc, cutId)
    for (const end of ['fadeIn', 'fadeOut'] as const) {
      const length = fades[end]
      if (length === 0) delete cut[end]
      else if (length !== undefined) cut[end] = length
    }
  }),
}

/** A cut this many frames beside a beat was meant for it. */
const BESIDE = 3

/** Where cuts come to lie so many beats later: those beside a beat as many frames beside the other one, all on frames. */
function placeByBeats(doc: ProjectDoc, shift: number): (time: Flicks) => Flicks {
  const beats = pulseOf(doc)?.beats ?? []
  const rate = projectRate(doc.settings)
  return (time) => {
    const near = nearestIndex(beats, time)
    const [here, there] = [beats[near], beats[near + shift]]
    if (here !== undefined && there !== undefined) {
      const beside = time - nearestFrameStart(here, rate)
      if (Math.abs(beside) <= BESIDE * oneFrame(doc)) return flicks(nearestFrameStart(there, rate) + beside)
    }
    return nearestFrameStart(movedByBeats(beats, time, shift), rate)
  }
}

function checkChoice(doc: ProjectDoc, choice: Choice): void {
  angleOf(doc, choice.angleId)
  if (choice.clipId !== undefined) clipOf(doc, choice.clipId)
}

function cutPoints(recorder: Recorder, cutId: string, next: (points: readonly SwitchPoint[]) => SwitchPoint[]): void {
  const { cuts } = recorder.doc
  const index = cuts.indexOf(cutOf(recorder.doc, cutId))
  const before = cuts[index].points
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
  for (const point of after.slice(from, newEnd)) {
    const old = left.get(point.time)
    left.delete(point.time)
    if (!old || !alike(old, point)) recorder.set(path(point.time), point)
  }
  for (const time of left.keys()) recorder.remove(path(time))
}

const alike = (a: SwitchPoint, b: SwitchPoint): boolean =>
  a.angleId === b.angleId &&
  a.clipId === b.clipId &&
  a.split === b.split &&
  a.transition?.kind === b.transition?.kind &&
  a.transition?.length === b.transition?.length
