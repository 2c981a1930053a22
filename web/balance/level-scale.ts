import { MAX_GAIN_DB, MIN_GAIN_DB } from '@pendolo/core/mix'

/** Where 0 dB lies, and how finely levels near it are seen. */
const ZERO_AT = 0.3
const BEND = 0.6
/** A level this near to 0 is meant to be 0, dB. */
const NEAR_ZERO = 0.6

/** Height of a level in a row, 0 at its top to 1; and back. */
export const heightOf = (decibels: number): number =>
  decibels >= 0 ? ZERO_AT * (1 - decibels / MAX_GAIN_DB) : ZERO_AT + (1 - ZERO_AT) * (decibels / MIN_GAIN_DB) ** BEND
export function decibelsAt(height: number): number {
  const y = Math.max(0, Math.min(1, height))
  const level = y <= ZERO_AT ? MAX_GAIN_DB * (1 - y / ZERO_AT) : MIN_GAIN_DB * ((y - ZERO_AT) / (1 - ZERO_AT)) ** (1 / BEND)
  return Math.abs(level) < NEAR_ZERO ? 0 : Math.round(level * 10) / 10
}
export const decibelText = (decibels: number): string =>
  decibels <= MIN_GAIN_DB ? 'silent' : `${decibels > 0 ? '+' : decibels < 0 ? '−' : ''}${Math.abs(decibels).toFixed(1)} dB`
