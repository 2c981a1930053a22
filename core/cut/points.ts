import { type Flicks, firstFrom, lastUpTo } from '../time/index.ts'

/** What stands in where the chosen angle has no picture. */
export const STAND_INS = ['next', 'black'] as const
export type StandIn = (typeof STAND_INS)[number]

export const TRANSITION_KINDS = ['dissolve', 'dip'] as const
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
 * seams they are dropped. Untouched points stay the same objects, and nothing but the seams is looked at.
 */
function spliced(points: Points, from: number, to: number, inserted: readonly SwitchPoint[]): SwitchPoint[] {
  const middle: SwitchPoint[] = []
  for (const point of inserted) if (!sameAs(point, middle.at(-1) ?? points[from - 1])) middle.push(point)
  let rest = to
  while (rest < points.length && sameAs(points[rest], middle.at(-1) ?? points[from - 1])) rest++
  return [...points.slice(0, from), ...middle, ...points.slice(rest)]
}

function sameAs(point: Choice, before: Choice | undefined): boolean {
  return before !== undefined && sameChoice(point, before)
}

/** Index of the first point at or after the instant. */
function firstAt(points: Points, time: Flicks): number {
  return firstFrom(points.length, (i) => points[i].time, time)
}

function sameChoice(a: Choice, b: Choice): boolean {
  return a.angleId === b.angleId && a.clipId === b.clipId
}

/**
 * Chooses from an instant on, up to the next point. With `since`, the passage [since, time) has just been cut in one
 * pass: older points strictly inside it give way, so that cutting again over a passage replaces what was there.
 */
export function choose(points: Points, time: Flicks, choice: Choice, since?: Flicks): SwitchPoint[] {
  const to = pointAt(points, time) + 1
  const from = since !== undefined && since < time ? pointAt(points, since) + 1 : firstAt(points, time)
  return spliced(points, from, to, [{ time, ...pick(choice) }])
}

/** Gives another choice to the stretch under the instant, without new cuts. @throws CutError before the first point */
export function reassign(points: Points, time: Flicks, choice: Choice): SwitchPoint[] {
  const index = pointAt(points, time)
  if (index < 0) throw new CutError('there is no stretch here yet; choose an angle first')
  return spliced(points, index, index + 1, [{ time: points[index].time, ...pick(choice) }])
}

/** Paints a choice over [from, to): what ruled at `to` goes on from there. */
export function paint(points: Points, from: Flicks, to: Flicks, choice: Choice): SwitchPoint[] {
  if (to <= from) throw new CutError('a painted stretch must end after it begins')
  const after = points[pointAt(points, to)]
  const inserted: SwitchPoint[] = [{ time: from, ...pick(choice) }]
  if (after) inserted.push({ time: to, ...pick(after) })
  return spliced(points, firstAt(points, from), pointAt(points, to) + 1, inserted)
}

/**
 * Moves a point; it stays at least `gap` away from its neighbours, so that neither stretch vanishes.
 * @throws CutError when no point is at `time`
 */
export function roll(points: Points, time: Flicks, to: Flicks, gap: Flicks): SwitchPoint[] {
  const index = firstAt(points, time)
  if (points[index]?.time !== time) throw new CutError('there is no cut at this place to move')
  const low = index > 0 ? points[index - 1].time + gap : Number.NEGATIVE_INFINITY
  const high = index + 1 < points.length ? points[index + 1].time - gap : Number.POSITIVE_INFINITY
  const at = Math.min(Math.max(to, low), high) as Flicks
  return points.with(index, { ...points[index], time: at })
}

/** Removes the point at `time`: the stretch before goes on. @throws CutError when no point is at `time` */
export function join(points: Points, time: Flicks): SwitchPoint[] {
  const index = firstAt(points, time)
  if (points[index]?.time !== time) throw new CutError('there is no cut at this place to join')
  return spliced(points, index, index + 1, [])
}

function pick({ angleId, clipId, transition }: Choice): Choice {
  return { angleId, ...(clipId !== undefined && { clipId }), ...(transition && { transition }) }
}

/** Gives the point at `time` a transition, or takes it away. @throws CutError when no point is at `time` */
export function withTransition(points: Points, time: Flicks, transition: Transition | null): SwitchPoint[] {
  const index = firstAt(points, time)
  if (points[index]?.time !== time) throw new CutError('there is no cut at this place')
  const { transition: _, ...point } = points[index]
  return points.with(index, transition ? { ...point, transition } : point)
}
