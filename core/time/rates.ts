import { FLICKS_PER_SECOND, type Flicks, flicks } from './flicks.ts'

/** A rational number of events a second, for example 30000/1001. Both parts positive whole numbers. */
export interface Rate {
  readonly num: number
  readonly den: number
}

/** Rates a project may have; menus and schemas derive from this list. */
export const PROJECT_RATES = ['24000/1001', '24/1', '25/1', '30000/1001', '30/1', '48/1', '50/1', '60000/1001', '60/1'] as const
export type ProjectRate = (typeof PROJECT_RATES)[number]

/**
 * Reads "25", "25/1", "29.97" or "30000/1001". Decimal rates within 0.02 % of an NTSC rate become that rate.
 * @returns null when the text is no positive rate
 */
export function parseRate(text: string): Rate | null {
  const parts = /^\s*(\d+(?:\.\d+)?)\s*(?:[/:]\s*(\d+))?\s*$/.exec(text)
  if (!parts) return null
  const value = Number(parts[1])
  const den = parts[2] === undefined ? 1 : Number(parts[2])
  if (!(value > 0) || !(den > 0)) return null
  if (Number.isInteger(value)) return reduce(value, den)
  if (den !== 1) return null
  for (const base of [24, 30, 48, 60, 120]) {
    if (Math.abs((value * 1001) / (base * 1000) - 1) < 2e-4) return { num: base * 1000, den: 1001 }
  }
  return reduce(Math.round(value * 1000), 1000)
}

function reduce(num: number, den: number): Rate {
  let a = num
  let b = den
  while (b) [a, b] = [b, a % b]
  return { num: num / a, den: den / a }
}

/** "25/1": the form kept in projects. */
export function rateKey(rate: Rate): string {
  return `${rate.num}/${rate.den}`
}

/** "25", "29.97": the form people read. */
export function printRate(rate: Rate): string {
  const value = rate.num / rate.den
  return Number.isInteger(value) ? String(value) : value.toFixed(3).replace(/0+$/, '').replace(/\.$/, '')
}

/** Frames a second as a number: 29.97… for 30000/1001. For showing and comparing; times are computed from the fraction. */
export function rateToNumber(rate: Rate): number {
  return rate.num / rate.den
}

/**
 * Start of frame `index` in flicks. Exact whenever the rate divides a flick second, which all listed rates do;
 * otherwise rounded up, so that the frame's own start still belongs to it.
 */
export function frameStart(index: number, rate: Rate): Flicks {
  const exact = FLICKS_PER_SECOND * rate.den
  if (exact % rate.num === 0) return flicks(index * (exact / rate.num))
  return flicks(Number(ceilDivide(BigInt(index) * BigInt(exact), BigInt(rate.num))))
}

/** The frame whose half-open interval [start, next start) contains the instant. */
export function frameAt(time: Flicks, rate: Rate): number {
  const exact = FLICKS_PER_SECOND * rate.den
  if (exact % rate.num === 0) return Math.floor(time / (exact / rate.num))
  return Number(floorDivide(BigInt(time) * BigInt(rate.num), BigInt(exact)))
}

/** Start of the frame nearest to the instant (a tie goes to the later one). */
export function nearestFrameStart(time: Flicks, rate: Rate): Flicks {
  const index = frameAt(time, rate)
  const before = frameStart(index, rate)
  const after = frameStart(index + 1, rate)
  return time - before < after - time ? before : after
}

/** First frame border at or after the instant. */
export function nextFrameStart(time: Flicks, rate: Rate): Flicks {
  const start = frameStart(frameAt(time, rate), rate)
  return start === time ? start : frameStart(frameAt(time, rate) + 1, rate)
}

function floorDivide(a: bigint, b: bigint): bigint {
  const q = a / b
  return a % b !== 0n && a < 0n ? q - 1n : q
}

function ceilDivide(a: bigint, b: bigint): bigint {
  return -floorDivide(-a, b)
}
