import { type Flicks, firstFrom, lastUpTo } from '../time/index.ts'

/** What stands in where the chosen angle has no picture: the next angle in order, its own last picture (before its first one the next angle), or nothing. */
export const STAND_INS = ['next', 'hold', 'black'] as const
export type StandIn = (typeof STAND_INS)[number]

/** One picture turns into the next; or it sinks into black, or white, and the next comes out of it. */
export const TRANSITION_KINDS = ['dissolve', 'dip', 'dip-white'] as const
export type TransitionKind = (typeof TRANSITION_KINDS)[number]

/** How one picture gives way to the next: half of it lies before the cut, half behind. */
export interface Transition {
  readonly kind: TransitionKind
  /** Positive. */
  readonly length: Flicks
}

/** An angle, or one take of it where several lie on the same stretch. */
export interface Choice {
  readonly angleId: string
  /** Set when one of several takes of the angle is meant. */
  readonly clipId?: string
  /** How what was before gives way; absent: at once. */
  readonly transition?: Transition
}

/** "From here on, this choice." */
export interface SwitchPoint extends Choice {
  readonly time: Flicks
  /** Somebody cut here though the choice stays: it is kept as a cut until it is joined. */
  readonly split?: true
}

/** Switch points, ascending in time, no two at the same time. Every function here returns a new list in that form. */
export type Points = readonly SwitchPoint[]

export class CutError extends Error {
  readonly code = 'cut'
}

/** Index of the point that rules at the instant, −1 before the first. */
export function pointAt(points: Points, time: Flicks): number {
  return lastUpTo(points.length, (i) => points[i].time, time)
}

/**
 * The list with points [from, to) replaced. Points that repeat the choice before them would be cuts nobody can see: at the
 * seams they are dropped, unless they were split there. Untouched points stay the same objects, and nothing but the seams is looked at.
 */
export function spliced(points: Points, from: number, to: number, inserted: readonly SwitchPoint[]): SwitchPoint[] {
  const middle: SwitchPoint[] = []
  for (const point of inserted) if (!sameAs(point, middle.at(-1) ?? points[from - 1])) middle.push(point)
  let rest = to
  while (rest < points.length && sameAs(points[rest], middle.at(-1) ?? points[from - 1])) rest++
  return [...points.slice(0, from), ...middle, ...points.slice(rest)]
}

function sameAs(point: SwitchPoint, before: Choice | undefined): boolean {
  return before !== undefined && !point.split && sameChoice(point, before)
}

/** Index of the first point at or after the instant. */
export function firstAt(points: Points, time: Flicks): number {
  return firstFrom(points.length, (i) => points[i].time, time)
}

export function sameChoice(a: Choice, b: Choice): boolean {
  return a.angleId === b.angleId && a.clipId === b.clipId
}

/** Chooses from an instant on, up to the next point. */
export function choose(points: Points, time: Flicks, choice: Choice): SwitchPoint[] {
  return spliced(points, firstAt(points, time), pointAt(points, time) + 1, [{ time, ...pick(choice) }])
}

/**
 * A press of a live pass: what lies between the last one and this one gives way, and where this one lands before it, it takes
 * its place. What is still ahead stays as it is, though it may choose the same: the pass may stop before it.
 * @param since the last press of the pass; `time` where this one is its first
 */
export function press(points: Points, time: Flicks, choice: Choice, since: Flicks): SwitchPoint[] {
  const from = since < time ? pointAt(points, since) + 1 : firstAt(points, time)
  const to = Math.max(from, pointAt(points, since > time ? since : time) + 1)
  const point = { time, ...pick(choice) }
  return points.toSpliced(from, to - from, ...(sameAs(point, points[from - 1]) ? [] : [point]))
}

/** Paints a choice over [from, to): what ruled at `to` goes on from there. */
export function paint(points: Points, from: Flicks, to: Flicks, choice: Choice): SwitchPoint[] {
  if (to <= from) throw new CutError('a painted stretch must end after it begins')
  return within(points, from, to, [{ time: from, ...pick(choice) }])
}

/**
 * The list with all that lies in [from, to) replaced; what ruled at `to` goes on from there. A cut that stood exactly at
 * `to` stays what it was.
 * @param inserted points in [from, to), ascending; none where nothing is to rule from the beginning on
 */
export function within(points: Points, from: Flicks, to: Flicks, inserted: readonly SwitchPoint[]): SwitchPoint[] {
  const end = pointAt(points, to)
  const after = points[end]
  const first = firstAt(points, from)
  if (!after) return spliced(points, first, first, inserted)
  return spliced(points, first, end + 1, [...inserted, after.time === to ? after : { time: to, ...pick(after) }])
}

export function pick({ angleId, clipId, transition }: Choice): Choice {
  return { angleId, ...(clipId !== undefined && { clipId }), ...(transition && { transition }) }
}

/** Gives the point at `time` a transition, or takes it away. @throws CutError when no point is at `time` */
export function withTransition(points: Points, time: Flicks, transition: Transition | null): SwitchPoint[] {
  const index = firstAt(points, time)
  if (points[index]?.time !== time) throw new CutError('there is no cut at this place')
  const { transition: _, ...point } = points[index]
  return points.with(index, transition ? { ...point, transition } : point)
}
