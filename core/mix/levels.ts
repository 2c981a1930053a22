import { FLICKS_PER_SECOND, type Flicks, flicks } from '../time/index.ts'
import { decibelsToGain } from './gain.ts'

/**
 * A level over the master's time. Between its points lead straight lines, of factors or of decibels; before the first and
 * behind the last it stays.
 */
export interface LevelCurve {
  readonly lines: 'factors' | 'decibels'
  /** Ascending in time; `value` is a factor of 0 and more, or decibels. */
  readonly points: readonly { readonly time: Flicks; readonly value: number }[]
}

/** A stretch of the master in which something is heard or not, whatever else is said. */
export interface OnRange {
  readonly from: Flicks
  readonly to: Flicks
  readonly on: boolean
  readonly fadeIn?: Flicks
  readonly fadeOut?: Flicks
}

/** A change takes this long unless it is said otherwise: none clicks. */
export const SHORT_FADE = flicks(FLICKS_PER_SECOND / 200)
/** Decibels at which a drawn level is silence. */
export const SILENT_DB = -60

/** A drawn level as a curve; empty where nothing is drawn. @param drawn decibels by instants of the master, flicks as text */
export const drawnCurve = (drawn: Readonly<Record<string, number>> = {}): LevelCurve => ({
  lines: 'decibels',
  points: Object.entries(drawn)
    .map(([time, value]) => ({ time: flicks(Number(time)), value }))
    .sort((a, b) => a.time - b.time),
})

/**
 * When something is heard, as a curve of factors between 0 and 1. Later ranges lie over earlier ones; each change lies with
 * its middle on the edge of its range and takes no longer than the stretches beside it.
 * @param always whether it is heard where no range says anything
 * @returns no points where it is `always` and nothing else
 */
export function onCurve(always: boolean, ranges: readonly OnRange[]): LevelCurve {
  const edges = [...new Set(ranges.flatMap((r) => [r.from, r.to]))].sort((a, b) => a - b)
  /** Stretches with the same state, from edge to edge; before the first edge nothing is said. */
  const turns: { at: Flicks; on: boolean; fade: number }[] = []
  let state = always
  for (const at of edges) {
    const over = ranges.findLast((r) => r.from <= at && at < r.to)
    const on = over ? over.on : always
    if (on === state) continue
    const began = ranges.findLast((r) => r.from === at)
    const ended = ranges.findLast((r) => r.to === at)
    turns.push({ at, on, fade: began?.fadeIn ?? ended?.fadeOut ?? SHORT_FADE })
    state = on
  }
  if (turns.length === 0) return { lines: 'factors', points: always ? [] : [{ time: flicks(0), value: 0 }] }
  const points = turns.flatMap(({ at, on, fade }, i) => {
    const room = Math.min(turns[i + 1] ? turns[i + 1].at - at : Number.POSITIVE_INFINITY, i > 0 ? at - turns[i - 1].at : Number.POSITIVE_INFINITY)
    const half = Math.floor(Math.min(fade, room) / 2)
    return [
      { time: flicks(at - half), value: on ? 0 : 1 },
      { time: flicks(at + half), value: on ? 1 : 0 },
    ]
  })
  return { lines: 'factors', points }
}

/** Whether a curve is silence throughout. */
export const isSilent = ({ lines, points }: LevelCurve): boolean =>
  points.length > 0 && points.every((p) => (lines === 'factors' ? p.value === 0 : p.value <= SILENT_DB))

const factor = (lines: LevelCurve['lines'], value: number): number => (lines === 'factors' ? value : value <= SILENT_DB ? 0 : decibelsToGain(value))

/** Factor of a curve at an instant of the master, flicks; 1 where it has no points. */
export function curveAt({ lines, points }: LevelCurve, time: number): number {
  if (points.length === 0) return 1
  const next = after(points, time)
  if (next === 0) return factor(lines, points[0].value)
  const [a, b] = [points[next - 1], points[next]]
  if (!b) return factor(lines, a.value)
  return factor(lines, a.value + ((b.value - a.value) * (time - a.time)) / (b.time - a.time))
}

/** Index of the first point that lies behind an instant. */
function after(points: LevelCurve['points'], time: number): number {
  let [low, high] = [0, points.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (points[middle].time > time) high = middle
    else low = middle + 1
  }
  return low
}

/**
 * Multiplies factors of frames by a curve, each frame exactly as {@link curveAt} says.
 * @param out a factor for each frame, in place
 * @param from,to which frames of it
 * @param master master time of the frame `from`, flicks
 * @param step flicks of the master from a frame to the next, above 0
 */
export function timesCurve(curve: LevelCurve, out: Float32Array, from: number, to: number, master: number, step: number): void {
  const { lines, points } = curve
  if (points.length === 0) return
  let next = after(points, master)
  for (let n = from; n < to; ) {
    const time = master + (n - from) * step
    while (next < points.length && points[next].time <= time) next++
    const [a, b] = [points[next - 1], points[next]]
    // As far as this line leads.
    const until = b ? Math.min(to, Math.max(n + 1, from + Math.ceil((b.time - master) / step))) : to
    if (!a || !b) {
      const level = factor(lines, (a ?? b).value)
      if (level !== 1) for (; n < until; n++) out[n] *= level
    } else if (lines === 'factors') {
      const slope = (b.value - a.value) / (b.time - a.time)
      const begin = a.value + slope * (time - a.time)
      for (let k = 0; n < until; n++, k++) out[n] *= begin + slope * step * k
    } else {
      const slope = (b.value - a.value) / (b.time - a.time)
      let decibels = a.value + slope * (time - a.time)
      for (; n < until; n++, decibels += slope * step) out[n] *= factor(lines, decibels)
    }
    n = until
  }
}
