import { type Flicks, firstFrom, flicks, frameStart, nearestFrameStart, type Rate } from '../time/index.ts'

/** What cuts are pulled to: nothing, beats, first beats of bars, strong hits, first words of phrases, all marks. */
export const MAGNETS = ['off', 'beat', 'bar', 'hit', 'phrase', 'mark'] as const
export type Magnet = (typeof MAGNETS)[number]

/** Index of the mark nearest to the instant in an ascending list, −1 when empty (a tie goes to the earlier). */
export function nearestIndex(times: readonly number[], time: number): number {
  if (times.length === 0) return -1
  const low = firstFrom(times.length, (i) => times[i], time)
  if (low === 0) return 0
  if (low === times.length) return low - 1
  return times[low] - time < time - times[low - 1] ? low : low - 1
}

/** What is further away than this does not pull, s: where there is no pulse, no beat does. */
const PULL_SECONDS: Record<Magnet, number> = { off: 0, beat: 1.5, bar: 1.5, hit: 0.35, phrase: 1.5, mark: 1.5 }

/**
 * Where a cut meant for `time` lands: on the frame border nearest to the nearest mark, `lead` frames before it,
 * or, where nothing pulls, on the nearest frame border.
 * @param marks ascending times that pull; empty for none
 * @param lead frames before the mark; negative is after
 */
export function pulled(time: Flicks, marks: readonly Flicks[], rate: Rate, lead = 0, magnet: Magnet = 'beat'): Flicks {
  const at = nearestIndex(marks, time)
  const frame = frameStart(1, rate)
  if (at < 0 || Math.abs(marks[at] - time) > PULL_SECONDS[magnet] * 705_600_000) return nearestFrameStart(time, rate)
  return flicks(nearestFrameStart(marks[at], rate) - lead * frame)
}

/**
 * Where a cut that waits for the next mark falls: on the frame border of the first mark from `time` on, `lead` frames before
 * it, but never before `time`; null where none comes any more.
 */
export function nextPull(time: Flicks, marks: readonly Flicks[], rate: Rate, lead = 0): Flicks | null {
  const frame = frameStart(1, rate)
  const first = firstFrom(marks.length, (i) => marks[i], time + lead * frame)
  for (let i = Math.max(0, first - 1); i < marks.length; i++) {
    const at = flicks(nearestFrameStart(marks[i], rate) - lead * frame)
    if (at >= time) return at
  }
  return null
}
