export interface Lag {
  /** How much later than the beat the person presses, seconds; negative is early. */
  readonly seconds: number
  /** Spread of single presses around it (median absolute deviation, seconds). */
  readonly spread: number
  /** Presses that counted. */
  readonly presses: number
}

/** Presses farther than this share of a beat from every beat are not meant for one. */
const MEANT = 0.4
const LEAST = 8

/**
 * How late a person presses: the median distance of presses from the nearest beat heard, the first few left out while the
 * hand finds the beat. A steady habit of pressing a little early comes out negative.
 * @param beats when each beat was heard, seconds, ascending
 * @param presses seconds on the same clock, ascending
 * @returns null when fewer than eight presses can be matched
 */
export function measureLag(beats: readonly number[], presses: readonly number[]): Lag | null {
  const late: number[] = []
  for (const press of presses.slice(3)) {
    let near = 0
    for (let i = 1; i < beats.length; i++) if (Math.abs(beats[i] - press) < Math.abs(beats[near] - press)) near = i
    const beat =
      beats.length > 1 ? Math.min(beats[near] - (beats[near - 1] ?? Number.NEGATIVE_INFINITY), (beats[near + 1] ?? Number.POSITIVE_INFINITY) - beats[near]) : 1
    if (Math.abs(press - beats[near]) <= MEANT * beat) late.push(press - beats[near])
  }
  if (late.length < LEAST) return null
  const middle = (values: number[]) => values.sort((a, b) => a - b)[values.length >> 1]
  const seconds = middle([...late])
  return { seconds, spread: middle(late.map((x) => Math.abs(x - seconds))), presses: late.length }
}
