import { HighestBetween } from '../signal/index.ts'
import { type Biquad, type BiquadState, quiet, runBiquad } from './biquad.ts'

/** A block of the gate, and how far the next one lies behind it, s (ITU-R BS.1770-4: 400 ms, overlapping by 75 %). */
const STEP = 0.1
const MOMENTARY_STEPS = 4
/** Short-term loudness looks at 3 s (EBU Tech 3341). */
const SHORT_STEPS = 30
const ABSOLUTE_GATE = -70
const INTEGRATED_GATE = -10
/** Gate and percentiles of the loudness range (EBU Tech 3342). */
const RANGE_GATE = -20
const [RANGE_LOW, RANGE_HIGH] = [0.1, 0.95]

/** Loudness of an energy, LUFS. */
export const lufs = (energy: number): number => (energy > 0 ? -0.691 + 10 * Math.log10(energy) : Number.NEGATIVE_INFINITY)
const energyOf = (loudness: number): number => 10 ** ((loudness + 0.691) / 10)

/** The K-weighting of BS.1770-4 at any rate: the head's shelf, and the high-pass behind it (bilinear forms of their analogue prototypes). */
export function kWeighting(rate: number): readonly [Biquad, Biquad] {
  const shelf = (): Biquad => {
    const [f, gain, q] = [1681.974450955533, 3.999843853973347, 0.7071752369554196]
    const k = Math.tan((Math.PI * f) / rate)
    const high = 10 ** (gain / 20)
    const band = high ** 0.4996667741545416
    const a0 = 1 + k / q + k * k
    return {
      b0: (high + (band * k) / q + k * k) / a0,
      b1: (2 * (k * k - high)) / a0,
      b2: (high - (band * k) / q + k * k) / a0,
      a1: (2 * (k * k - 1)) / a0,
      a2: (1 - k / q + k * k) / a0,
    }
  }
  const pass = (): Biquad => {
    const [f, q] = [38.13547087602444, 0.5003270373238773]
    const k = Math.tan((Math.PI * f) / rate)
    const a0 = 1 + k / q + k * k
    return { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / q + k * k) / a0 }
  }
  return [shelf(), pass()]
}

/** What loudness was over a sound. All levels in LUFS, −Infinity where nothing was heard. */
export interface Loudness {
  readonly integrated: number
  /** LU. */
  readonly range: number
  /** Highest level between the samples, dBTP. */
  readonly truePeak: number
  /** One for each 0.1 s, of the 0.4 s and the 3 s that end there; of less at the beginning. */
  readonly momentary: Float32Array
  readonly shortTerm: Float32Array
}

/** Loudness of a stereo or mono sound that comes piece by piece (ITU-R BS.1770-4, EBU R 128, Tech 3341 and 3342). */
export class LoudnessMeter {
  readonly #channels: number
  readonly #sections: readonly [Biquad, Biquad]
  readonly #states: readonly (readonly [BiquadState, BiquadState])[]
  readonly #peaks: TruePeak
  /** Mean square of each whole step, all channels together. */
  readonly #steps: number[] = []
  readonly #stepFrames: number
  #sum = 0
  #count = 0
  /** Room to work in, kept: an evening comes in a hundred thousand blocks. */
  #weighed = new Float64Array(0)

  /** @param channels interleaved ones that all count alike: 1 or 2 */
  constructor(rate: number, channels: number) {
    this.#channels = channels
    this.#sections = kWeighting(rate)
    this.#states = Array.from({ length: channels }, () => [quiet(), quiet()] as const)
    this.#peaks = new TruePeak(channels)
    this.#stepFrames = Math.round(rate * STEP)
  }

  /** @param samples interleaved, whole frames, ±1 at full scale */
  add(samples: Float32Array): void {
    this.#peaks.add(samples)
    if (this.#weighed.length < samples.length) this.#weighed = new Float64Array(samples.length)
    const weighed = this.#weighed.subarray(0, samples.length)
    weighed.set(samples)
    for (const [c, [first, second]] of this.#states.entries()) {
      runBiquad(this.#sections[0], first, weighed, this.#channels, c)
      runBiquad(this.#sections[1], second, weighed, this.#channels, c)
    }
    const frames = weighed.length / this.#channels
    for (let at = 0; at < frames; ) {
      const end = Math.min(frames, at + this.#stepFrames - this.#count)
      for (let i = at * this.#channels; i < end * this.#channels; i++) this.#sum += weighed[i] * weighed[i]
      this.#count += end - at
      at = end
      if (this.#count < this.#stepFrames) return
      this.#steps.push(this.#sum / this.#stepFrames)
      this.#sum = 0
      this.#count = 0
    }
  }

  /** The highest until now, dBTP; −Infinity of silence. */
  get truePeak(): number {
    return 20 * Math.log10(this.#peaks.highest)
  }

  /** What was heard until now. */
  measured(): Loudness {
    const momentary = this.#over(MOMENTARY_STEPS)
    const shortTerm = this.#over(SHORT_STEPS)
    return {
      integrated: integratedOf(momentary.slice(MOMENTARY_STEPS - 1)),
      range: rangeOf(shortTerm.slice(SHORT_STEPS - 1)),
      truePeak: this.truePeak,
      momentary: Float32Array.from(momentary, lufs),
      shortTerm: Float32Array.from(shortTerm, lufs),
    }
  }

  /** Mean energy of so many steps up to each. */
  #over(steps: number): number[] {
    const out: number[] = []
    let sum = 0
    for (const [i, energy] of this.#steps.entries()) {
      sum += energy
      if (i >= steps) sum -= this.#steps[i - steps]
      out.push(Math.max(0, sum) / Math.min(steps, i + 1))
    }
    return out
  }
}

const mean = (list: readonly number[]): number => list.reduce((sum, x) => sum + x, 0) / list.length

/** Gated twice: what is hardly there, and what lies 10 LU below the rest. */
function integratedOf(blocks: readonly number[]): number {
  const there = blocks.filter((e) => lufs(e) > ABSOLUTE_GATE)
  if (there.length === 0) return Number.NEGATIVE_INFINITY
  const gate = lufs(mean(there)) + INTEGRATED_GATE
  return lufs(mean(there.filter((e) => lufs(e) > gate)))
}

function rangeOf(blocks: readonly number[]): number {
  const there = blocks.filter((e) => lufs(e) > ABSOLUTE_GATE)
  if (there.length === 0) return 0
  const gate = energyOf(lufs(mean(there)) + RANGE_GATE)
  const sorted = there.filter((e) => e > gate).sort((a, b) => a - b)
  const at = (share: number) => lufs(sorted[Math.min(sorted.length - 1, Math.round(share * (sorted.length - 1)))])
  return at(RANGE_HIGH) - at(RANGE_LOW)
}

/** Phases between two samples, and samples that each looks at. */
const PHASES = 4
const TAPS = 24
/** Of the window: flat to 0.87 of half the rate. */
const KAISER = 6

/** A low-pass at half the rate in polyphase form: by phase, the weights of the last {@link TAPS} samples, newest first. */
const WEIGHTS: readonly Float64Array[] = Array.from({ length: PHASES }, (_, phase) =>
  Float64Array.from({ length: TAPS }, (__, k) => {
    const x = k - (TAPS / 2 - 1) - phase / PHASES
    const sinc = x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x)
    const w = x / (TAPS / 2)
    return Math.abs(w) >= 1 ? 0 : (sinc * bessel(KAISER * Math.sqrt(1 - w * w))) / bessel(KAISER)
  }),
)

/** No sound comes out higher than its highest sample by more than this factor. */
const MOST_OVER = Math.max(...WEIGHTS.map((w) => w.reduce((sum, x) => sum + Math.abs(x), 0)))

/** Modified Bessel function of the first kind and order zero, for Kaiser's window. */
function bessel(x: number): number {
  let [sum, term] = [1, 1]
  for (let k = 1; term > 1e-12 * sum; k++) {
    term *= (x / (2 * k)) ** 2
    sum += term
  }
  return sum
}

/**
 * The highest level of each frame, at it and between it and its neighbours, over all channels.
 * @param samples interleaved, silent before and behind
 * @param from frame from which on it is told; 0 before it
 * @param matters what stays below this need not be exact
 */
export function overPeaks(samples: Float32Array, channels: number, from: number, matters: number): Float64Array {
  const frames = samples.length / channels
  const out = new Float64Array(frames)
  const line = new Float64Array(frames + 2 * TAPS)
  for (let c = 0; c < channels; c++) {
    for (let n = 0; n < frames; n++) line[TAPS + n] = samples[n * channels + c]
    let last = 0
    for (let n = Math.max(0, from - 1); n < frames; n++) {
      const own = Math.abs(line[TAPS + n])
      let between = 0
      if (MOST_OVER * mostAround(line, TAPS + n) > matters) {
        // Weights of phase p at i tell of the instant i − TAPS / 2 + 1 − p / PHASES.
        const i = TAPS + n + TAPS / 2
        for (let p = 1; p < PHASES; p++) {
          let sum = 0
          for (let k = 0; k < TAPS; k++) sum += WEIGHTS[p][k] * line[i - k]
          between = Math.max(between, Math.abs(sum))
        }
      }
      if (n >= from) out[n] = Math.max(out[n], own, between, last)
      last = between
    }
  }
  return out
}

function mostAround(line: Float64Array, at: number): number {
  let most = 0
  for (let i = at - TAPS / 2 + 1; i <= at + TAPS / 2; i++) if (Math.abs(line[i]) > most) most = Math.abs(line[i])
  return most
}

/** The highest level a sound reaches between its samples, looked at with four times as many (BS.1770-4, annex 2). */
export class TruePeak {
  readonly #between: HighestBetween

  /** @param channels interleaved ones */
  constructor(channels: number) {
    this.#between = new HighestBetween(channels, WEIGHTS)
  }

  /** A level of samples, 1 at full scale; 0 of silence. */
  get highest(): number {
    return this.#between.highest
  }

  /** @param samples interleaved, whole frames */
  add(samples: Float32Array): void {
    this.#between.add(samples)
  }
}
