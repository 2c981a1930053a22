import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'

/** Loudness in steps of a millisecond, for {@link findHits}; made by {@link HitReader}. */
export const HIT_STEPS_PER_SECOND = 1000
/** dB that a step of the loudness stands for, and its zero. */
const DB_STEP = 0.5
const ZERO_DB = -110

/** A hit's onset strength, in usual spreads of it; and the least distance between two, s. */
const STRONG = 2.5
const APART_SECONDS = 0.12
/** Where around the onset frame a hit is looked for, and over how long a rise is measured, ms. */
const AROUND = 50
const RISE = 4
/** Least rise of an attack, dB in {@link RISE} ms after against before. */
const LEAST_DB = 5

/** Envelope of a recording that comes in pieces: one byte a millisecond, so that hours stay small. */
export class HitReader {
  readonly #perStep: number
  #steps = new Uint8Array(1 << 16)
  #count = 0
  #power = 0
  #filled = 0
  #last = 0

  /** @param rate sampling rate, Hz; a multiple of 1000 */
  constructor(rate: number) {
    this.#perStep = rate / HIT_STEPS_PER_SECOND
  }

  push(samples: Float32Array): void {
    for (const x of samples) {
      // Attacks are bright: the difference raises the treble by 6 dB an octave.
      const d = x - this.#last
      this.#last = x
      this.#power += 0.1 * x * x + d * d
      if (++this.#filled < this.#perStep) continue
      if (this.#count === this.#steps.length) {
        const more = new Uint8Array(this.#steps.length * 2)
        more.set(this.#steps)
        this.#steps = more
      }
      const db = 10 * Math.log10(this.#power / this.#perStep + 1e-12)
      this.#steps[this.#count++] = Math.max(0, Math.min(255, Math.round((db - ZERO_DB) / DB_STEP)))
      this.#power = 0
      this.#filled = 0
    }
  }

  finish(): Uint8Array {
    return this.#steps.slice(0, this.#count)
  }
}

/**
 * Instants of strong single hits to about 2 ms: the onset frames that stand out, each moved to where the loudness rises
 * most steeply within 50 ms.
 * @param envelope of {@link HitReader} over the same recording
 * @returns seconds, ascending
 */
export function findHits({ frames, strength }: Pick<OnsetFeatures, 'frames' | 'strength'>, envelope: Uint8Array): number[] {
  const apart = APART_SECONDS * FRAMES_PER_SECOND
  const out: number[] = []
  let last = Number.NEGATIVE_INFINITY
  for (let f = 1; f + 1 < frames; f++) {
    if (strength[f] < STRONG || strength[f] < strength[f - 1] || strength[f] <= strength[f + 1] || f - last < apart) continue
    const at = Math.round((f * HIT_STEPS_PER_SECOND) / FRAMES_PER_SECOND)
    const attack = steepest(envelope, at - AROUND, at + AROUND)
    if (attack === null) continue
    last = f
    if (out.length === 0 || attack > out[out.length - 1] + 0.02) out.push(attack)
  }
  return out
}

/** Where the loudness rises most between two steps, s; null where nothing rises enough. */
function steepest(envelope: Uint8Array, from: number, to: number): number | null {
  let best = LEAST_DB / DB_STEP
  let at: number | null = null
  for (let i = Math.max(RISE, from); i < Math.min(envelope.length - RISE, to); i++) {
    let rise = 0
    for (let k = 0; k < RISE; k++) rise += envelope[i + k] - envelope[i - 1 - k]
    rise /= RISE
    if (rise > best) {
      best = rise
      at = i
    }
  }
  return at === null ? null : at / HIT_STEPS_PER_SECOND
}

/** How far before and after a beat its attack is looked for, ms: spectral frames are late by half their length. */
const BEFORE = 40
const AFTER = 15
/** A beat without an attack of its own is moved by this, s: what frames are usually late by. */
const USUALLY_LATE = 0.005

/**
 * Beats moved from the frames that they were found by to the attacks beside them, which a millisecond envelope shows.
 * @param beats seconds, ascending and farther apart than 0.1 s
 */
export function onAttacks(beats: readonly number[], envelope: Uint8Array): number[] {
  return beats.map((t) => {
    const at = Math.round(t * HIT_STEPS_PER_SECOND)
    return steepest(envelope, at - BEFORE, at + AFTER) ?? Math.max(0, t - USUALLY_LATE)
  })
}
