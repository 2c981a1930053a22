import { FrameReader, GrowingRows } from '../signal/index.ts'

/** Sampling rate at which speech is looked for, Hz. */
export const SPEECH_RATE = 16000
/** Frames a second of {@link SoundTraits}. */
export const TRAITS_PER_SECOND = 100
const HOP = SPEECH_RATE / TRAITS_PER_SECOND
const WINDOW = 1024
const HZ = SPEECH_RATE / WINDOW
const bin = (hz: number) => Math.round(hz / HZ)
/** Where the voice has its strength, and where its harmonics can be told apart, Hz. */
const VOICE = [bin(200), bin(4000)] as const
const HARMONICS = [bin(180), bin(3200)] as const
const BROAD = [bin(400), bin(7000)] as const
const LOW = [bin(40), bin(150)] as const
/** A spectral line stands out of its neighbourhood of this many bins on each side. */
const AROUND = 6
/** Frames after which a tone that is held still stands at its place and a spoken one has moved on. */
const LATER = 15

/** What the sound is like in each frame of 10 ms. */
export interface SoundTraits {
  readonly frames: number
  /** Level of everything and of 200–4000 Hz, dB of full scale. */
  readonly levelDb: Float32Array
  readonly voiceDb: Float32Array
  /** How much of the spectral lines stood at the same place 150 ms before, 0..1: held tones. */
  readonly held: Float32Array
  /** Spectral flatness of 400–7000 Hz, 0..1: 1 is white. */
  readonly flatness: Float32Array
  /** Share of the power below 150 Hz, 0..1. */
  readonly low: Float32Array
  /** Rise of the spectrum against the frame before, mean of dB over 400–7000 Hz. */
  readonly rise: Float32Array
}

type Trait = 'levelDb' | 'voiceDb' | 'held' | 'flatness' | 'low' | 'rise'

const floats = () => new GrowingRows(1, (n) => new Float32Array(n))

/** Traits of a recording that comes in pieces; an hour takes 9 MB. */
export class TraitReader {
  readonly #rows = { levelDb: floats(), voiceDb: floats(), held: floats(), flatness: floats(), low: floats(), rise: floats() }
  readonly #lines: Float32Array[] = Array.from({ length: LATER + 1 }, () => new Float32Array(HARMONICS[1] - HARMONICS[0]))
  readonly #decibels = new Float64Array(WINDOW / 2 + 1)
  readonly #before = new Float64Array(WINDOW / 2 + 1)
  readonly #sums = new Float64Array(WINDOW / 2 + 2)
  readonly #reader = new FrameReader(WINDOW, HOP, (power, frame) => this.#hear(power, frame))

  /** @param samples mono at {@link SPEECH_RATE}, following those before */
  push(samples: Float32Array): void {
    this.#reader.push(samples)
  }

  /** Ends the recording and gives its traits, a value each frame. Nothing may be pushed afterwards. */
  finish(): SoundTraits {
    const frames = this.#reader.finish()
    const { levelDb, voiceDb, held, flatness, low, rise } = this.#rows
    return {
      frames,
      levelDb: levelDb.cut(frames),
      voiceDb: voiceDb.cut(frames),
      held: held.cut(frames),
      flatness: flatness.cut(frames),
      low: low.cut(frames),
      rise: rise.cut(frames),
    }
  }

  #hear(power: Float64Array, frame: number): void {
    const decibels = this.#decibels
    const sums = this.#sums
    for (let k = 0; k < power.length; k++) {
      decibels[k] = 10 * Math.log10(power[k] + 1e-7)
      sums[k + 1] = sums[k] + power[k]
    }
    const within = ([from, to]: readonly [number, number]) => sums[to] - sums[from]
    const whole = sums[power.length] - sums[1]
    const db = (x: number) => 10 * Math.log10((x * 2) / (WINDOW * WINDOW * 0.375) + 1e-12)
    const put = (name: Trait, value: number) => {
      const rows = this.#rows[name]
      // Making room may replace the array.
      const at = rows.at(frame)
      rows.values[at] = value
    }
    put('levelDb', db(whole))
    put('voiceDb', db(within(VOICE)))
    put('low', whole > 1e-6 ? within(LOW) / whole : 0)
    let logs = 0
    let rise = 0
    for (let k = BROAD[0]; k < BROAD[1]; k++) {
      logs += decibels[k]
      rise += Math.max(0, decibels[k] - this.#before[k])
    }
    const width = BROAD[1] - BROAD[0]
    put('flatness', Math.min(1, 10 ** (logs / width / 10) / (within(BROAD) / width + 1e-7)))
    put('rise', frame === 0 ? 0 : rise / width)
    this.#before.set(decibels)
    put('held', this.#lineUp(frame))
  }

  /** Correlates the lines of this spectrum with those of one {@link LATER} frames before. */
  #lineUp(frame: number): number {
    const now = this.#lines[frame % (LATER + 1)]
    const decibels = this.#decibels
    let around = 0
    for (let k = HARMONICS[0] - AROUND; k <= HARMONICS[0] + AROUND; k++) around += decibels[k]
    for (let i = 0; i < now.length; i++) {
      const k = HARMONICS[0] + i
      now[i] = Math.max(0, decibels[k] - around / (2 * AROUND + 1) - 3)
      around += decibels[k + AROUND + 1] - decibels[k - AROUND]
    }
    if (frame < LATER) return 0
    const then = this.#lines[(frame + 1) % (LATER + 1)]
    let both = 0
    let a = 0
    let b = 0
    for (let i = 0; i < now.length; i++) {
      both += now[i] * then[i]
      a += now[i] * now[i]
      b += then[i] * then[i]
    }
    return a > 0 && b > 0 ? both / Math.sqrt(a * b) : 0
  }
}
