/** Linear factor of a level in decibels; −Infinity gives 0. */
export function decibelsToGain(decibels: number): number {
  return 10 ** (decibels / 20)
}

export const MIN_GAIN_DB = -60
export const MAX_GAIN_DB = 12
