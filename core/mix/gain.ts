/** Linear factor of a level in decibels; −Infinity gives 0. */
export function decibelsToGain(decibels: number): number {
  return 10 ** (decibels / 20)
}

export const MIN_GAIN_DB = -60
export const MAX_GAIN_DB = 12

/** What decides whether a strip is heard. */
export interface StripState {
  readonly on: boolean
  readonly mute: boolean
  readonly solo: boolean
  readonly gainDb: number
}

/**
 * Factor each strip is heard with: off and muted strips are silent; when any strip that is on is soloed, only such are heard.
 * @param strips in any order
 * @returns factors in the same order, 0 for silent
 */
export function heardGains(strips: readonly StripState[]): number[] {
  const anySolo = strips.some((s) => s.on && s.solo && !s.mute)
  return strips.map((s) => (!s.on || s.mute || (anySolo && !s.solo) ? 0 : decibelsToGain(s.gainDb)))
}
