import type { FilmSound } from '../types.ts'

const level = (decibels: number): string => decibels.toFixed(1).replace('-', '−')

/** How loud a film is, in words. */
export function soundText({ integrated, range, truePeak, gainDb, limitedDb }: FilmSound): string {
  if (integrated === null) return 'nothing is heard'
  const parts = [`${level(integrated)} LUFS`, `range ${level(range)} LU`]
  if (truePeak !== null) parts.push(`peak ${level(truePeak)} dBTP`)
  if (gainDb !== 0) parts.push(`${gainDb > 0 ? 'raised' : 'lowered'} by ${level(Math.abs(gainDb))} dB`)
  if (limitedDb >= 0.1) parts.push(`loudest moments by ${level(limitedDb)} dB less`)
  return parts.join(' · ')
}
