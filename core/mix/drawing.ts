import { FLICKS_PER_SECOND, type Flicks, flicks } from '../time/index.ts'
import { MAX_GAIN_DB } from './gain.ts'
import { drawnCurve, type OnRange, SILENT_DB } from './levels.ts'

/** A drawn level: decibels by instants of the master, flicks as text. */
export type Drawn = Readonly<Record<string, number>>

/** A point to be set; null takes one away. */
export interface PointChange {
  readonly time: Flicks
  readonly gainDb: number | null
}

/** A stretch of the master, half-open. */
export interface Stretch {
  readonly from: Flicks
  readonly to: Flicks
}

const within = (decibels: number): number => Math.round(Math.max(SILENT_DB, Math.min(MAX_GAIN_DB, decibels)) * 100) / 100

/** Decibels of a drawn level at an instant; 0 where nothing is drawn. */
export function drawnAt(drawn: Drawn | undefined, time: number): number {
  const { points } = drawnCurve(drawn)
  if (points.length === 0) return 0
  const next = points.findIndex((p) => p.time > time)
  if (next === 0) return points[0].value
  const [a, b] = next < 0 ? [points[points.length - 1], null] : [points[next - 1], points[next]]
  return b ? a.value + ((b.value - a.value) * (time - a.time)) / (b.time - a.time) : a.value
}

const timesOf = (drawn: Drawn | undefined): Flicks[] =>
  Object.keys(drawn ?? {})
    .map((t) => flicks(Number(t)))
    .sort((a, b) => a - b)

/**
 * Raises, or lowers, a drawn level over a stretch; what is drawn within keeps its shape. The change lies with its middle on
 * the edges. Doing it again at the same stretch raises it further, and back by as much draws what was there.
 * @param by decibels
 * @param fade length of the change at both ends; shorter where the stretch is
 */
export function raised(drawn: Drawn | undefined, { from, to }: Stretch, by: number, fade: Flicks): PointChange[] {
  const half = Math.floor(Math.min(fade, to - from) / 2)
  const at = (time: number) => drawnAt(drawn, time)
  const [a, b, c, d] = [from - half, from + half, to - half, to + half]
  const changes = new Map<number, number | null>()
  for (const time of timesOf(drawn)) {
    if ((time > a && time < b) || (time > c && time < d)) changes.set(time, null)
    else if (time >= b && time <= c) changes.set(time, within(at(time) + by))
  }
  changes.set(a, within(at(a)))
  changes.set(b, within(at(b) + by))
  changes.set(c, within(at(c) + by))
  changes.set(d, within(at(d)))
  return [...changes].map(([time, gainDb]) => ({ time: flicks(time), gainDb }))
}

/** Takes away what is drawn in a stretch, with the changes at its edges. @param reach how far beside the edges they may lie */
export function undrawn(drawn: Drawn | undefined, { from, to }: Stretch, reach: Flicks): PointChange[] {
  return timesOf(drawn)
    .filter((t) => t >= from - reach && t <= to + reach)
    .map((time) => ({ time, gainDb: null }))
}

/** Ranges as they are to be set, and those to be taken away. */
export interface RangeChanges<R> {
  readonly set: R[]
  readonly remove: string[]
}

/**
 * Ranges of one strip with a stretch left free of them: what reaches into it is cut off at its edges, what lies over both
 * is divided.
 * @param idFor names the second half of what is divided
 */
export function withoutRanges<R extends OnRange & { readonly id: string }>(
  ranges: readonly R[],
  { from, to }: Stretch,
  idFor: (range: R) => string,
): RangeChanges<R> {
  const set: R[] = []
  const remove: string[] = []
  for (const range of ranges) {
    if (range.to <= from || range.from >= to) continue
    const [before, after] = [range.from < from, range.to > to]
    if (before) set.push({ ...range, to: from })
    if (after) set.push({ ...range, from: to, id: before ? idFor(range) : range.id })
    if (!before && !after) remove.push(range.id)
  }
  return { set, remove }
}

/** How a level follows stretches: open in them, down between them. */
export interface Following {
  readonly openDb: number
  readonly downDb: number
  /** It is open so long before a stretch begins and after it ends, s. */
  readonly lead: number
  readonly tail: number
  /** What is apart by less than this stays open in between, s. */
  readonly bridge: number
}

/**
 * A level that opens for some stretches: a microphone for the words of who wears it, or, with both levels exchanged, music
 * that gives way to speech.
 * @param stretches in any order
 * @param whole what it is drawn over
 * @param fade length of each change
 */
export function following(stretches: readonly Stretch[], whole: Stretch, { openDb, downDb, lead, tail, bridge }: Following, fade: Flicks): PointChange[] {
  const wide = stretches
    .map(({ from, to }) => ({ from: Math.max(whole.from, from - lead * FLICKS_PER_SECOND), to: Math.min(whole.to, to + tail * FLICKS_PER_SECOND) }))
    .filter((s) => s.to > s.from)
    .sort((a, b) => a.from - b.from)
  const open: { from: number; to: number }[] = []
  for (const stretch of wide) {
    const last = open[open.length - 1]
    if (last && stretch.from - last.to < Math.max(bridge * FLICKS_PER_SECOND, fade)) last.to = Math.max(last.to, stretch.to)
    else open.push({ ...stretch })
  }
  const point = (time: number, gainDb: number): PointChange => ({ time: flicks(Math.round(time)), gainDb: within(gainDb) })
  const half = Math.floor(fade / 2)
  return [
    point(whole.from, open[0]?.from === whole.from ? openDb : downDb),
    ...open.flatMap(({ from, to }) => [
      ...(from > whole.from + half ? [point(from - half, downDb), point(from + half, openDb)] : []),
      ...(to < whole.to - half ? [point(to - half, openDb), point(to + half, downDb)] : []),
    ]),
  ]
}
