import { type Flicks, lastUpTo } from '../time/index.ts'

/** "From here on, this choice": an angle, or one take of it where several lie on the same stretch. */
export interface SwitchPoint {
  readonly time: Flicks
  readonly angleId: string
  /** Set when one of several takes of the angle is meant. */
  readonly clipId?: string
}

export interface Choice {
  readonly angleId: string
  readonly clipId?: string
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

/** Half-open stretch [start, end) ruled by point `index`; the last one ends at `end`. */
export function stretchOf(points: Points, index: number, end: Flicks): { start: Flicks; end: Flicks } {
  return { start: points[index].time, end: points[index + 1]?.time ?? end }
}

/** Drops points that repeat the choice before them: they would be cuts nobody can see. */
function tidy(points: SwitchPoint[]): SwitchPoint[] {
  return points.filter((p, i) => i === 0 || !sameChoice(p, points[i - 1]))
}

function sameChoice(a: Choice, b: Choice): boolean {
  return a.angleId === b.angleId && a.clipId === b.clipId
}

/**
 * Chooses from an instant on, up to the next point. With `since`, the passage [since, time) has just been cut in one
 * pass: older points strictly inside it give way, so that cutting again over a passage replaces what was there.
 */
export function choose(points: Points, time: Flicks, choice: Choice, since?: Flicks): SwitchPoint[] {
  const kept = points.filter((p) => p.time !== time && !(since !== undefined && p.time > since && p.time < time))
  const next = [...kept, { time, ...pick(choice) }].sort((a, b) => a.time - b.time)
  return tidy(next)
}

/** Gives another choice to the stretch under the instant, without new cuts. @throws CutError before the first point */
export function reassign(points: Points, time: Flicks, choice: Choice): SwitchPoint[] {
  const index = pointAt(points, time)
  if (index < 0) throw new CutError('there is no stretch here yet; choose an angle first')
  return tidy(points.map((p, i) => (i === index ? { time: p.time, ...pick(choice) } : p)))
}

/** Paints a choice over [from, to): what ruled at `to` goes on from there. */
export function paint(points: Points, from: Flicks, to: Flicks, choice: Choice): SwitchPoint[] {
  if (to <= from) throw new CutError('a painted stretch must end after it begins')
  const after = points[pointAt(points, to)]
  const kept = points.filter((p) => p.time < from || p.time > to)
  const next: SwitchPoint[] = [...kept, { time: from, ...pick(choice) }]
  if (after) next.push({ time: to, ...pick(after) })
  return tidy(next.sort((a, b) => a.time - b.time))
}

/**
 * Moves a point; it stays at least `gap` away from its neighbours, so that neither stretch vanishes.
 * @throws CutError when no point is at `time`
 */
export function roll(points: Points, time: Flicks, to: Flicks, gap: Flicks): SwitchPoint[] {
  const index = points.findIndex((p) => p.time === time)
  if (index < 0) throw new CutError('there is no cut at this place to move')
  const low = index > 0 ? points[index - 1].time + gap : Number.NEGATIVE_INFINITY
  const high = index + 1 < points.length ? points[index + 1].time - gap : Number.POSITIVE_INFINITY
  const at = Math.min(Math.max(to, low), high) as Flicks
  return points.map((p, i) => (i === index ? { ...p, time: at } : p))
}

/** Removes the point at `time`: the stretch before goes on. @throws CutError when no point is at `time` */
export function join(points: Points, time: Flicks): SwitchPoint[] {
  if (!points.some((p) => p.time === time)) throw new CutError('there is no cut at this place to join')
  return tidy(points.filter((p) => p.time !== time))
}

function pick(choice: Choice): Choice {
  return choice.clipId === undefined ? { angleId: choice.angleId } : { angleId: choice.angleId, clipId: choice.clipId }
}
