import { findBars } from './bars.ts'
import { trackBeats } from './beats.ts'
import { findHits, HitReader, onAttacks } from './hits.ts'
import { networkInputs } from './network/inputs.ts'
import { runNetwork } from './network/network.ts'
import { FRAMES_PER_SECOND, type OnsetFeatures, OnsetReader, PULSE_RATE } from './onset.ts'
import { findSections, loudMoments, type Section } from './sections.ts'
import type { PulseWishes } from './wishes.ts'

export interface PulseEstimate {
  /** Median beats a minute; 0 when there is no pulse. */
  readonly tempoBpm: number
  /** Seconds, ascending. */
  readonly beats: number[]
  /** Indices into `beats` of those that begin a bar. */
  readonly downbeats: number[]
  /** Beats a bar. */
  readonly metre: number
  /** How clear the pulse is, 0..1, as the mean over the stretches that have one. */
  readonly confidence: number
  /** Clarity over time, one value each `clarityStep` seconds. */
  readonly clarity: number[]
  readonly clarityStep: number
  /** Strong single hits, s, exact to about 2 ms. */
  readonly hits: number[]
  /** Parts of the form, and moments at which it suddenly becomes loud, s. */
  readonly sections: Section[]
  readonly loud: number[]
  /** Onset strength for a picture: 0..255, {@link STRENGTH_PER_SECOND} a second. */
  readonly strength: Uint8Array
}

export const STRENGTH_PER_SECOND = 50
/** Usual spreads of the onset strength that fill the picture. */
const STRENGTH_FULL = 6

const CLARITY_STEP = 0.5
/** Beats around whose mean likelihood is the clarity at a place. */
const CLARITY_BEATS = 4

/** Hears a recording that comes in pieces; then {@link finish} finds what there is. */
export class PulseReader {
  readonly #onsets = new OnsetReader()
  readonly #hits = new HitReader(PULSE_RATE)

  /** @param samples mono at PULSE_RATE (16 kHz), following those before */
  push(samples: Float32Array): void {
    this.#onsets.push(samples)
    this.#hits.push(samples)
  }

  /** Beats, bars, tempo, hits and parts. Where there is no pulse there are no beats. @param wishes what is known of it */
  finish(onProgress?: (share: number) => void, wishes: PulseWishes = {}): PulseEstimate {
    return pulseOf(this.#onsets.finish(), this.#hits.finish(), wishes, onProgress)
  }

  /** Parts and loud moments alone, on beats that are known already (seconds; `downbeats` are indices into them). */
  finishParts(grid: { beats: readonly number[]; downbeats: readonly number[] }): Pick<PulseEstimate, 'sections' | 'loud'> {
    const features = this.#onsets.finish()
    return { sections: findSections(features, grid.beats, grid.downbeats), loud: loudMoments(features) }
  }
}

/** {@link PulseReader} for a recording that is there as a whole; empty, silent and very short ones give no beats. */
export function findPulse(samples: Float32Array, onProgress?: (share: number) => void, wishes: PulseWishes = {}): PulseEstimate {
  const reader = new PulseReader()
  reader.push(samples)
  onProgress?.(0.4)
  return reader.finish((share) => onProgress?.(0.4 + 0.6 * share), wishes)
}

function pulseOf(features: OnsetFeatures, envelope: Uint8Array, wishes: PulseWishes, onProgress?: (share: number) => void): PulseEstimate {
  const likely = runNetwork(networkInputs(features), (share) => onProgress?.(0.75 * share))
  const beats = onAttacks(trackBeats(likely.beat, features, wishes), envelope)
  onProgress?.(0.85)
  const bars = findBars(features, beats, likely.bar, wishes)
  onProgress?.(0.9)
  const sections = findSections(features, beats, bars.downbeats)
  onProgress?.(1)
  const distances = beats.slice(1).map((t, i) => t - beats[i])
  distances.sort((a, b) => a - b)
  const median = distances[distances.length >> 1]
  const sureness = beats.map((t) => mostAround(likely.beat, t * 50))
  return {
    tempoBpm: median > 0 ? 60 / median : 0,
    beats,
    downbeats: bars.downbeats,
    metre: bars.metre,
    confidence: sureness.length > 0 ? sureness.reduce((s, x) => s + x, 0) / sureness.length : 0,
    clarity: clarityOver(beats, sureness, features.frames / FRAMES_PER_SECOND),
    clarityStep: CLARITY_STEP,
    hits: findHits(features, envelope),
    sections,
    loud: loudMoments(features),
    strength: pictureOf(features),
  }
}

function pictureOf({ frames, strength }: OnsetFeatures): Uint8Array {
  const step = FRAMES_PER_SECOND / STRENGTH_PER_SECOND
  return Uint8Array.from({ length: Math.ceil(frames / step) }, (_, i) => {
    const most = Math.max(strength[i * step], strength[Math.min(frames - 1, i * step + 1)])
    return Math.round(255 * Math.min(1, most / STRENGTH_FULL))
  })
}

function mostAround(values: Float32Array, row: number): number {
  const at = Math.round(row)
  return Math.max(values[at - 1] ?? 0, values[at] ?? 0, values[at + 1] ?? 0)
}

function clarityOver(beats: number[], sureness: number[], seconds: number): number[] {
  const out: number[] = []
  let i = 0
  for (let t = 0; t < seconds; t += CLARITY_STEP) {
    while (i < beats.length && beats[i] < t) i++
    const near = i < beats.length && i > 0 && beats[i] - beats[i - 1] < 2
    let sum = 0
    let count = 0
    for (let k = Math.max(0, i - CLARITY_BEATS); k < Math.min(beats.length, i + CLARITY_BEATS); k++) {
      sum += sureness[k]
      count++
    }
    out.push(near && count > 0 ? Math.round((100 * sum) / count) / 100 : 0)
  }
  return out
}
