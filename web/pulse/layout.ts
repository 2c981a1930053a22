import type { Mark, Pulse } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, firstFrom, lastUpTo } from '@pendolo/core/time'

/** Seconds on a line when there is no pulse to break lines at. */
export const LINE_SECONDS = 16
const BARS_A_LINE = 8

export interface Line {
  readonly from: number
  readonly to: number
  readonly bar: number | null
}

/** Lines of about the same length that begin with a bar where there are bars. */
export function breakLines(pulse: Pulse | null, total: number): Line[] {
  const out: Line[] = []
  const downs = pulse ? pulse.downbeats.map((i) => pulse.beats[i] / FLICKS_PER_SECOND) : []
  let at = 0
  let d = 0
  while (at < total && out.length < 4000) {
    while (d < downs.length && downs[d] <= at + 0.01) d++
    const onBar = d > 0 && Math.abs(downs[d - 1] - at) < 0.01
    const target = onBar ? downs[d - 1 + BARS_A_LINE] : downs[d]
    let to = target !== undefined && target - at < LINE_SECONDS * 1.6 ? target : at + LINE_SECONDS
    const next = downs[d]
    if (!onBar && next !== undefined && to > next && next - at > 2) to = next
    out.push({ from: at, to: Math.min(to, total), bar: onBar ? d : null })
    at = to
  }
  return out
}

/** Number of the line that a time lies on, −1 where there are none; times outside are on the first or last one. */
export function lineAt(lines: readonly Line[], seconds: number): number {
  return lines.length === 0
    ? -1
    : Math.max(
        0,
        lastUpTo(lines.length, (i) => lines[i].from, seconds),
      )
}

/** Beats of a stretch and a second around it, with those that begin a bar told. */
export function beatsIn(pulse: Pulse | null, from: number, to: number): { at: Flicks; bar: boolean }[] {
  if (!pulse) return []
  const { beats, downbeats } = pulse
  const first = firstFrom(beats.length, (i) => beats[i], (from - 1) * FLICKS_PER_SECOND)
  const end = firstFrom(beats.length, (i) => beats[i], (to + 1) * FLICKS_PER_SECOND)
  let bar = firstFrom(downbeats.length, (i) => downbeats[i], first)
  return beats.slice(first, end).map((at, i) => {
    const begins = downbeats[bar] === first + i
    if (begins) bar++
    return { at, bar: begins }
  })
}

/** A mark set by hand on a first beat may come this much early, s; it is read as standing on that bar, not at the end of the line before. */
const EARLY = 0.12

/**
 * Marks to draw on a line, each with the time at which it stands there: points and the beginnings of ranges once in the
 * whole sheet, ranges that go on also on later lines.
 */
export function marksOnLine(marks: readonly Mark[], lines: readonly Line[], at: number): { mark: Mark; begins: boolean; from: number }[] {
  const line = lines[at]
  const first = at === 0 ? Number.NEGATIVE_INFINITY : line.from - EARLY
  const end = at === lines.length - 1 ? Number.POSITIVE_INFINITY : line.to - EARLY
  return marks.flatMap((mark) => {
    const time = mark.time / FLICKS_PER_SECOND
    const begins = time >= first && time < end
    const goesOn = time < first && (mark.end ?? mark.time) / FLICKS_PER_SECOND > line.from
    return begins || goesOn ? [{ mark, begins, from: Math.max(line.from, time) }] : []
  })
}

const MOST_POINTS = 400
const AROUND = 4

interface Point {
  readonly t: number
  readonly bpm: number | null
  readonly sure: number
}

/** Tempo and sureness over the recording, thinned to what a small chart can show. */
export function tempoPoints(pulse: Pulse, total: number): Point[] {
  const beats = pulse.beats.map((b) => b / FLICKS_PER_SECOND)
  const step = Math.max(0.5, total / MOST_POINTS)
  const out: Point[] = []
  let i = 0
  for (let t = 0; t < total; t += step) {
    while (i < beats.length && beats[i] < t) i++
    const near = beats.slice(Math.max(0, i - AROUND), i + AROUND)
    const distances = near
      .slice(1)
      .map((b, k) => b - near[k])
      .sort((a, b) => a - b)
    const distance = distances[distances.length >> 1]
    // In a pause there is no tempo, though beats stand on both sides of it.
    const inside = near.length > 3 && Math.min((beats[i] ?? Number.POSITIVE_INFINITY) - t, t - (beats[i - 1] ?? Number.NEGATIVE_INFINITY)) <= distance
    const sure = pulse.clarity?.[Math.round((t - (pulse.clarityFrom ?? 0) / FLICKS_PER_SECOND) / (pulse.clarityStep ?? 0.5))] ?? 0
    out.push({ t, bpm: inside && distance > 0 ? Math.round(600 / distance) / 10 : null, sure: Math.round(100 * sure) })
  }
  return out
}
