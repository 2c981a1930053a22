import { type Flicks, flicks } from '../time/index.ts'
import type { LevelCurve } from './levels.ts'

/** A recording on the master's time, half-open. */
export interface Recorded {
  readonly id: string
  readonly start: Flicks
  readonly end: Flicks
}

/**
 * How much is heard of each of several recordings that are the master together, over time. Wherever one of them sounds,
 * the shares of all add up to 1.
 * @param recordings in the order of their worth
 * @param join 'order': the first in the list that is there; 'crossfade': one after the other, changing in the middle of
 *   each overlap
 * @param fade length of a change; shorter where less of both is there
 * @returns curves by id; one constant point where a recording is heard as long as it lasts
 */
export function masterShares(recordings: readonly Recorded[], join: 'crossfade' | 'order', fade: Flicks): Map<string, LevelCurve> {
  const out = new Map<string, LevelCurve>()
  const turns = join === 'order' ? byOrder(recordings) : byTime(recordings)
  for (const recording of recordings) {
    const mine = turns.flatMap((turn, i) => (turn.id === recording.id ? [i] : []))
    const points: { time: Flicks; value: number }[] = []
    for (const i of mine) {
      const { from, to } = turns[i]
      const into = changeAt(recordings, turns[i - 1], turns[i], fade)
      const outOf = changeAt(recordings, turns[i], turns[i + 1], fade)
      if (into) points.push({ time: into.from, value: 0 }, { time: into.to, value: 1 })
      else if (from > recording.start) points.push({ time: from, value: 0 }, { time: from, value: 1 })
      if (outOf) points.push({ time: outOf.from, value: 1 }, { time: outOf.to, value: 0 })
      else if (to < recording.end) points.push({ time: to, value: 1 }, { time: to, value: 0 })
    }
    const never = mine.length === 0
    out.set(recording.id, { lines: 'factors', points: points.length > 0 ? points : [{ time: recording.start, value: never ? 0 : 1 }] })
  }
  return out
}

interface Turn {
  readonly id: string
  readonly from: Flicks
  readonly to: Flicks
}

/** At each instant the first in the list that is there. */
function byOrder(recordings: readonly Recorded[]): Turn[] {
  const borders = [...new Set(recordings.flatMap((r) => [r.start, r.end]))].sort((a, b) => a - b)
  const out: Turn[] = []
  for (const [i, from] of borders.entries()) {
    const to = borders[i + 1]
    const best = to === undefined ? undefined : recordings.find((r) => r.start <= from && from < r.end)
    if (!best) continue
    const last = out.at(-1)
    if (last?.id === best.id && last.to === from) out[out.length - 1] = { ...last, to }
    else out.push({ id: best.id, from, to })
  }
  return out
}

/** One after the other as they begin; what lies wholly within another is not needed. */
function byTime(recordings: readonly Recorded[]): Turn[] {
  const sorted = [...recordings].sort((a, b) => a.start - b.start || b.end - a.end)
  const out: { id: string; from: Flicks; to: Flicks; start: Flicks; end: Flicks }[] = []
  for (const { id, start, end } of sorted) {
    const last = out.at(-1)
    if (!last) out.push({ id, from: start, to: end, start, end })
    else if (end > last.end) {
      const change = start < last.end ? flicks(Math.round((start + last.end) / 2)) : start
      // Where the one before has hardly had its turn, it keeps what it has.
      const at = flicks(Math.max(change, last.from))
      if (start < last.end) last.to = at
      out.push({ id, from: at, to: end, start, end })
    }
  }
  return out
}

/** Where one turn gives way to the next: a window around the border in which both are there; null where they do not meet. */
function changeAt(recordings: readonly Recorded[], before: Turn | undefined, after: Turn | undefined, fade: Flicks): { from: Flicks; to: Flicks } | null {
  if (!before || !after || before.to !== after.from) return null
  const of = (id: string) => recordings.find((r) => r.id === id) as Recorded
  const [a, b] = [of(before.id), of(after.id)]
  // A turn may be shorter than its changes: each has only the half of it that is its own.
  const middle = (turn: Turn) => Math.round((turn.from + turn.to) / 2)
  const [low, high] = [Math.max(a.start, b.start, middle(before)), Math.min(a.end, b.end, middle(after))]
  const length = Math.min(fade, high - low)
  if (length <= 0) return null
  const from = Math.max(low, Math.min(high - length, Math.round(before.to - length / 2)))
  return { from: flicks(from), to: flicks(from + length) }
}
