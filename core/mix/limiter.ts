import { decibelsToGain } from './gain.ts'
import { overPeaks } from './loudness.ts'

/** So far it looks ahead, s: gains fall over this time before what is too loud. */
const AHEAD = 0.005
/** Frames behind one that its level is read from. */
const NEIGHBOURS = 16
/** Gains rise again by so much of what is missing in this time, s. */
const RELEASE = 0.1

/**
 * Holds a sound below a level between the samples too: gains that would be needed at each sample are lowered to the least of
 * what comes in the next five milliseconds and smoothed over as long, so that they are there when it comes.
 */
export class Limiter {
  readonly #channels: number
  readonly #ceiling: number
  readonly #ahead: number
  readonly #release: number
  /** Interleaved samples that have not come out yet, and the gain each needs. */
  #waiting = new Float32Array(0)
  #needs = new Float64Array(0)
  #begun = false
  #risen = 1
  #least: Float64Array
  #leastAt = 0
  #sum: number
  #lowest = 1

  /** @param ceilingDb dBTP @param channels interleaved ones, all given the same gain */
  constructor(rate: number, channels: number, ceilingDb: number) {
    this.#channels = channels
    this.#ceiling = decibelsToGain(ceilingDb)
    this.#ahead = Math.max(1, Math.round(rate * AHEAD))
    this.#release = Math.exp(-1 / (rate * RELEASE))
    this.#least = new Float64Array(this.#ahead).fill(1)
    this.#sum = this.#ahead
  }

  /** The most it took away until now, dB. */
  get mostDb(): number {
    return Math.max(0, -20 * Math.log10(this.#lowest))
  }

  /** @param samples interleaved, whole frames @returns what can be said by now: later by what it looks ahead, and as long in all once it is ended */
  add(samples: Float32Array): Float32Array {
    const before = this.#waiting.length
    const line = new Float32Array(before + samples.length)
    line.set(this.#waiting)
    line.set(samples, before)
    // Needs are known but for the last few, whose neighbours are still to come.
    const known = Math.max(0, this.#needs.length - NEIGHBOURS)
    const frames = line.length / this.#channels
    const needs = Float64Array.from(overPeaks(line, this.#channels, known, this.#ceiling), (peak) => Math.min(1, this.#ceiling / peak))
    needs.set(this.#needs.subarray(0, known))
    return this.#out(line, needs, frames - this.#ahead - NEIGHBOURS)
  }

  /** The rest, once all has come. */
  end(): Float32Array {
    return this.#out(this.#waiting, this.#needs, this.#waiting.length / this.#channels)
  }

  #out(line: Float32Array, needs: Float64Array, frames: number): Float32Array {
    const count = Math.max(0, Math.min(frames, line.length / this.#channels))
    const out = line.slice(0, count * this.#channels)
    // At its very beginning there is no time to fall in.
    if (count > 0 && !this.#begun) {
      this.#begun = true
      this.#risen = Math.min(...needs.subarray(0, this.#ahead))
      this.#least.fill(this.#risen)
      this.#sum = this.#risen * this.#ahead
    }
    const least = leastAhead(needs, this.#ahead, count)
    for (let n = 0; n < count; n++) {
      this.#risen = Math.min(least[n], 1 - (1 - this.#risen) * this.#release)
      this.#sum += this.#risen - this.#least[this.#leastAt]
      this.#least[this.#leastAt] = this.#risen
      this.#leastAt = (this.#leastAt + 1) % this.#ahead
      const gain = Math.min(1, this.#sum / this.#ahead)
      if (gain < this.#lowest) this.#lowest = gain
      for (let c = 0; c < this.#channels; c++) out[n * this.#channels + c] *= gain
    }
    this.#waiting = line.slice(count * this.#channels)
    this.#needs = needs.slice(count, line.length / this.#channels)
    return out
  }
}

/**
 * The least of each so many gains from one on, at most 1 (M. van Herk, A fast algorithm for local minimum and maximum filters, 1992).
 * @param count of how many it is told
 */
function leastAhead(needs: Float64Array, window: number, count: number): Float64Array {
  const least = new Float64Array(count)
  const ahead = new Float64Array(window)
  for (let from = 0; from < count; from += window) {
    // To the end of this stretch, from its end back; then on from the beginning of the next one.
    let own = 1
    for (let k = window - 1; k >= 0; k--) {
      if (from + k < needs.length) own = Math.min(own, needs[from + k])
      ahead[k] = own
    }
    let next = 1
    for (let k = 0; k < Math.min(window, count - from); k++) {
      least[from + k] = Math.min(ahead[k], next)
      if (from + window + k < needs.length) next = Math.min(next, needs[from + window + k])
    }
  }
  return least
}
