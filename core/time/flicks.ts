/**
 * Edit time in whole flicks: 1/705 600 000 s. Every film, video and audio rate in use
 * (also those over 1001) divides it, so frame and sample borders are exact integers.
 * A double holds whole flicks exactly for about 147 days.
 */
declare const unit: unique symbol

export type Flicks = number & { readonly [unit]: 'flicks' }

export const FLICKS_PER_SECOND = 705_600_000

/**
 * Brands a number as flicks.
 * @param value whole flicks, may be negative
 * @throws TypeError when the value is not a safe whole number
 */
export function flicks(value: number): Flicks {
  if (!Number.isSafeInteger(value)) throw new TypeError(`flicks must be a safe whole number, got ${value}`)
  return (value === 0 ? 0 : value) as Flicks
}

/**
 * Nearest flick to a time in seconds (halves go up).
 * @param seconds finite, may be negative
 * @throws TypeError for NaN and infinities
 */
export function secondsToFlicks(seconds: number): Flicks {
  if (!Number.isFinite(seconds)) throw new TypeError(`seconds must be finite, got ${seconds}`)
  return flicks(Math.round(seconds * FLICKS_PER_SECOND))
}

/** Time in seconds as a double; exact to well under a nanosecond for a day. */
export function flicksToSeconds(time: Flicks): number {
  return time / FLICKS_PER_SECOND
}

export const ZERO = 0 as Flicks
