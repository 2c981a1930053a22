import { type Flicks, flicks } from '../time/index.ts'

/** How fast pictures of a stretch run, by their own speed: 1 is as they were recorded, 0 stands still. It goes gently from one to the other. */
export interface Pace {
  readonly start: number
  readonly end: number
  /** Between two pictures both are seen, one giving way to the other; else each stands until the next. */
  readonly blends?: boolean
}

export const PACE_BOUNDS = [0, 8] as const

/**
 * The instant whose picture is seen at an instant of a stretch: the time that has gone by at its speed.
 * @param from,to of the stretch, half-open
 * @param at within it
 */
export function pacedAt({ start, end }: Pace, from: Flicks, to: Flicks, at: Flicks): Flicks {
  const along = (at - from) / (to - from)
  // The area below a speed that rises as 3s² − 2s³.
  const gone = start * along + (end - start) * (along ** 3 - along ** 4 / 2)
  return flicks(Math.round(from + gone * (to - from)))
}
