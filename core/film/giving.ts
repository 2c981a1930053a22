import { type Points, pointAt, type SwitchPoint, type TransitionKind } from '../cut/index.ts'
import { type Flicks, flicks } from '../time/index.ts'
import type { Pictures, Shown } from './seen.ts'

/** A picture that is seen together with the one of its time, where one gives way to another. */
export interface Giving {
  readonly kind: TransitionKind
  /** The other picture: before the cut the one that comes, behind it the one that goes. */
  readonly shown: Shown
  /** Share of the other picture, 0..0.5: at the cut both are half. */
  readonly share: number
}

/** A transition as it can be: half of it lies before the cut, half behind. */
export interface Passage {
  readonly kind: TransitionKind
  /** The cut. */
  readonly at: Flicks
  readonly half: Flicks
  /** What goes, and what comes. */
  readonly before: SwitchPoint
  readonly after: SwitchPoint
}

/**
 * The transition at a switch point, shortened so that it reaches no further than the middle of its neighbours' stretches, and that
 * both pictures last; null where there is none, or no picture for it.
 */
export function passageAt(points: Points, index: number, pictures: Pictures): Passage | null {
  const [before, after, next] = [points[index - 1], points[index], points[index + 1]]
  if (!before || !after?.transition) return null
  const { kind, length } = after.transition
  const room = Math.min((after.time - before.time) / 2, next ? (next.time - after.time) / 2 : Number.POSITIVE_INFINITY)
  const half = flicks(Math.floor(Math.min(length / 2, room, kind === 'dissolve' ? lasts(before, after, pictures) : Number.POSITIVE_INFINITY)))
  return half > 0 ? { kind, at: after.time, half, before, after } : null
}

/** How long before the cut what comes has its picture already, and how long behind it what goes still has its own. */
function lasts(before: SwitchPoint, after: SwitchPoint, pictures: Pictures): number {
  const at = after.time
  const comes = pictures.clipAt(after.angleId, at, after.clipId)
  const goes = pictures.clipAt(before.angleId, flicks(at - 1), before.clipId)
  return Math.min(comes ? at - comes.start : 0, goes ? goes.end - at : 0)
}

/** The transition that an instant lies in, if it lies in one. */
function passageOver(points: Points, master: Flicks, pictures: Pictures): Passage | null {
  const index = pointAt(points, master)
  for (const i of [index, index + 1]) {
    const passage = passageAt(points, i, pictures)
    if (passage && master > passage.at - passage.half && master < passage.at + passage.half) return passage
  }
  return null
}

/** Share of the other picture at an instant of a transition, 0..0.5. */
export const shareAt = ({ at, half }: Pick<Passage, 'at' | 'half'>, master: Flicks): number => Math.max(0, 0.5 - Math.abs(master - at) / (2 * half))

/** What is seen together with the picture of an instant of the master. */
export function givingAt(points: Points, master: Flicks, pictures: Pictures): Giving | null {
  const passage = passageOver(points, master, pictures)
  if (!passage) return null
  const { kind, at, before, after } = passage
  return { kind, shown: pictures.shown(master >= at ? before : after, master), share: shareAt(passage, master) }
}

/** The transitions that reach into a range of the master's time, in order. */
export function passagesIn(points: Points, from: Flicks, to: Flicks, pictures: Pictures): Passage[] {
  const out: Passage[] = []
  // One that lies behind the range reaches half of its stretch into it at most.
  for (let i = Math.max(0, pointAt(points, from)); i < points.length; i++) {
    const passage = passageAt(points, i, pictures)
    if (passage && passage.at + passage.half > from && passage.at - passage.half < to) out.push(passage)
    if (points[i].time >= to) break
  }
  return out
}

/** How long a film's picture comes out of black, and goes into it. */
export interface EndFades {
  readonly in: Flicks
  readonly out: Flicks
}

/** Share of black at an instant of a film of some length, 0..1. */
export function darkOf(time: Flicks, length: Flicks, fades: EndFades): number {
  const [begun, left] = [fades.in > 0 ? time / fades.in : 1, fades.out > 0 ? (length - time) / fades.out : 1]
  return 1 - Math.max(0, Math.min(1, begun, left))
}
