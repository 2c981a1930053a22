/**
 * Ways to place a clip by itself, in the order of proof: what a stronger one has settled a weaker one does not touch.
 * `first-frame` proves nothing and is tried only when it is asked for.
 */
export const WAYS = ['sound', 'timecode', 'light', 'time', 'first-frame'] as const
export type Way = (typeof WAYS)[number]

/** Ways that are tried when none is named. */
export const USUAL_WAYS: readonly Way[] = ['sound', 'timecode', 'light', 'time']

/** When each recording was begun by its own clock, and where known ones lie. */
export interface ClockReference {
  /** Seconds of any common calendar, such as of 1970. */
  readonly recordedAt: number
  readonly startSeconds: number
}

export interface ClockEstimate {
  readonly startSeconds: number
  /** How far off it may be, s. */
  readonly tolerance: number
  readonly references: number
  /** References whose clocks agree with the middle within the tolerance. */
  readonly agreeing: number
}

/** Clocks in cameras are set to the minute at best; those set together agree to about a second. */
const CLOCK_SECONDS = 2
/** References whose clocks disagree by more than this are no help, s. */
const CLOCK_SPREAD_SECONDS = 20

/**
 * Where a clip lies by the clock of its camera, judged by how the clocks of placed recordings run against the master: the
 * middle of their differences, with a tolerance from their spread.
 * @returns null when no reference has a clock or they contradict each other
 */
export function placeByClock(recordedAt: number, references: readonly ClockReference[]): ClockEstimate | null {
  if (references.length === 0 || !Number.isFinite(recordedAt)) return null
  const differences = references.map((r) => r.recordedAt - r.startSeconds).sort((a, b) => a - b)
  const middle = differences[differences.length >> 1]
  const away = differences.map((d) => Math.abs(d - middle)).sort((a, b) => a - b)
  const spread = away[away.length >> 1]
  if (spread > CLOCK_SPREAD_SECONDS) return null
  const tolerance = CLOCK_SECONDS + 3 * spread
  return { startSeconds: recordedAt - middle, tolerance, references: references.length, agreeing: away.filter((d) => d <= tolerance).length }
}

/**
 * Chooses among places that fit almost equally by an estimate from elsewhere.
 * @returns index of the one place that the estimate can mean; −1 when it can mean none or several
 */
export function settleRivals(startsSeconds: readonly number[], estimate: { readonly startSeconds: number; readonly tolerance: number }): number {
  const near = startsSeconds.map((s, i) => ({ i, off: Math.abs(s - estimate.startSeconds) })).filter((x) => x.off <= estimate.tolerance)
  return near.length === 1 ? near[0].i : -1
}
