import { FLICKS_PER_SECOND, type Flicks, flicks } from './flicks.ts'
import type { FrameGrid } from './placement.ts'
import { frameAt, frameStart } from './rates.ts'

/** Part of a frame by which the pictures of a steady file may lie beside their grid: cameras and containers round. */
const STEADY_SHARE = 0.05

/**
 * How far a stored time may lie from the file's frame grid and still mean the grid's.
 * @param tickSeconds step of the container's clock, s: what it rounds to
 * @param variableRate of a file that has no steady rate, only the rounding counts
 * @returns seconds
 */
export function gridTolerance({ rate }: Pick<FrameGrid, 'rate'>, tickSeconds: number, variableRate: boolean): number {
  return Math.max(1.01 * tickSeconds, variableRate ? 0 : (STEADY_SHARE * rate.den) / rate.num)
}

/**
 * Clip time of a picture: that of the frame grid where its container could not have said it otherwise, else as stored.
 * It is shown from then until the next picture's time.
 * @param seconds its stored presentation time, clip seconds
 * @param tolerance of {@link gridTolerance}
 */
export function pictureTime(seconds: number, { start, rate }: Pick<FrameGrid, 'start' | 'rate'>, tolerance: number): Flicks {
  const stored = flicks(Math.round(seconds * FLICKS_PER_SECOND))
  const half = Math.round((FLICKS_PER_SECOND * rate.den) / rate.num / 2)
  const onGrid = flicks(start + frameStart(frameAt(flicks(stored - start + half), rate), rate))
  return Math.abs(onGrid - stored) <= tolerance * FLICKS_PER_SECOND ? onGrid : stored
}
