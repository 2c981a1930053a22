import { type SoundWork, STRETCH } from '../signal/index.ts'
import { decibelsToGain } from './gain.ts'

/** Levels above a threshold rise less than they did. */
export interface Compressor {
  /** dBFS. */
  readonly thresholdDb: number
  /** So many decibels more come out as one; 1 does nothing. */
  readonly ratio: number
  /** Width of the passage between both slopes, dB. */
  readonly kneeDb: number
  readonly attackMs: number
  readonly releaseMs: number
  /** What is given to all of it afterwards, dB. */
  readonly makeupDb: number
}

/** What is quieter than a threshold is made quieter still. */
export interface Gate {
  /** dBFS; it closes again 3 dB below. */
  readonly thresholdDb: number
  /** So far it closes, dB below. */
  readonly rangeDb: number
  readonly attackMs: number
  /** So long it stays open behind the last loud sample. */
  readonly holdMs: number
  readonly releaseMs: number
}

/** Level of what is too small to matter, dBFS. */
const FLOOR_DB = -120
const CLOSES_BELOW = 3
/** Less than this is not taken away, dB. */
const NOTHING_DB = 1e-5

/** Decibels of a neper. */
const DECIBELS = 20 / Math.LN10

const decibels = (level: number): number => (level > 1e-6 ? DECIBELS * Math.log(level) : FLOOR_DB)
/** Share of a step that is left after one stretch of a movement that takes so long. */
const leftAfter = (ms: number, rate: number): number => (ms <= 0 ? 0 : Math.exp((-1000 * STRETCH) / (ms * rate)))

/** How a level comes out, both in dBFS: the static curve with a soft knee (Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4). */
export function compressed({ thresholdDb, ratio, kneeDb }: Compressor, level: number): number {
  const over = level - thresholdDb
  if (2 * over < -kneeDb) return level
  if (2 * Math.abs(over) <= kneeDb && kneeDb > 0) return level + ((1 / ratio - 1) * (over + kneeDb / 2) ** 2) / (2 * kneeDb)
  return thresholdDb + over / ratio
}

/**
 * A compressor over one or two channels that get the same gain: levels are smoothed in decibels, after the curve (the
 * "smooth, decoupled" detector of the paper above).
 */
export class CompressorRun {
  readonly #rate: number
  #gain = 1
  #held = 0
  #reduced = 0

  constructor(rate: number) {
    this.#rate = rate
  }

  /** How much quieter it makes what comes, dB, as of the last block: 0 or more. */
  get reductionDb(): number {
    return this.#reduced
  }

  /** @param sound what was put in is worked on; whole stretches but at the end of all */
  run(settings: Compressor, sound: SoundWork): void {
    const [attack, release] = [leftAfter(settings.attackMs, this.#rate), leftAfter(settings.releaseMs, this.#rate)]
    const bends = decibelsToGain(settings.thresholdDb - settings.kneeDb / 2)
    const open = decibelsToGain(settings.makeupDb)
    const { gains } = sound
    gains[0] = this.#gain
    for (const [k, peak] of sound.peaks().entries()) {
      // Below where its curve bends nothing is taken away.
      const level = peak > bends ? decibels(peak) : FLOOR_DB
      const wanted = peak > bends ? level - compressed(settings, level) : 0
      this.#held = Math.max(wanted, release * this.#held + (1 - release) * wanted)
      this.#reduced = attack * this.#reduced + (1 - attack) * this.#held
      if (this.#reduced < NOTHING_DB) this.#reduced = 0
      this.#gain = this.#reduced === 0 ? open : decibelsToGain(settings.makeupDb - this.#reduced)
      gains[k + 1] = this.#gain
    }
    sound.scale()
  }
}

/** A gate over one or two channels that open together. */
export class GateRun {
  readonly #rate: number
  #gain = 1
  #open = true
  #since = 0

  constructor(rate: number) {
    this.#rate = rate
  }

  /** Whether it lets through what comes. */
  get isOpen(): boolean {
    return this.#open
  }

  /** @param sound as of {@link CompressorRun} */
  run(settings: Gate, sound: SoundWork): void {
    const [attack, release] = [leftAfter(settings.attackMs, this.#rate), leftAfter(settings.releaseMs, this.#rate)]
    const closed = decibelsToGain(-settings.rangeDb)
    const [opens, closes] = [decibelsToGain(settings.thresholdDb), decibelsToGain(settings.thresholdDb - CLOSES_BELOW)]
    const { frames, gains } = sound
    gains[0] = this.#gain
    for (const [k, peak] of sound.peaks().entries()) {
      if (peak >= (this.#open ? closes : opens)) {
        this.#open = true
        this.#since = 0
      } else {
        this.#since += Math.min(STRETCH, frames - k * STRETCH)
        if (this.#since > (settings.holdMs / 1000) * this.#rate) this.#open = false
      }
      const wanted = this.#open ? 1 : closed
      const left = wanted > this.#gain ? attack : release
      this.#gain = left * this.#gain + (1 - left) * wanted
      gains[k + 1] = this.#gain
    }
    sound.scale()
  }
}
