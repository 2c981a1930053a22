import { findBars } from './bars.ts'
import { trackBeats } from './beats.ts'
import { networkInputs } from './network/inputs.ts'
import { runNetwork } from './network/network.ts'
import { type OnsetFeatures, onsetFeatures } from './onset.ts'

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
}

const CLARITY_STEP = 0.5
/** Beats around whose mean likelihood is the clarity at a place. */
const CLARITY_BEATS = 4

/**
 * Beats, bars and tempo of a recording. Where there is no pulse there are no beats.
 * @param samples mono at PULSE_RATE (16 kHz), sample 0 at time 0; empty, silent and very short ones give no beats
 */
export function findPulse(samples: Float32Array, onProgress?: (share: number) => void): PulseEstimate {
  const features = onsetFeatures(samples)
  onProgress?.(0.4)
  return pulseOf(features, (share) => onProgress?.(0.4 + 0.6 * share))
}

/** The same from features that are there already. */
export function pulseOf(features: OnsetFeatures, onProgress?: (share: number) => void): PulseEstimate {
  const likely = runNetwork(networkInputs(features), (share) => onProgress?.(0.8 * share))
  const beats = trackBeats(likely.beat, features)
  onProgress?.(0.9)
  const bars = findBars(features, beats, likely.bar)
  onProgress?.(1)
  const distances = beats.slice(1).map((t, i) => t - beats[i])
  distances.sort((a, b) => a - b)
  const median = distances[distances.length >> 1]
  const sureness = beats.map((t) => mostAround(likely.beat, t * 50))
  const clarity = clarityOver(beats, sureness, features.frames / 100)
  return {
    tempoBpm: median > 0 ? 60 / median : 0,
    beats,
    downbeats: bars.downbeats,
    metre: bars.metre,
    confidence: sureness.length > 0 ? sureness.reduce((s, x) => s + x, 0) / sureness.length : 0,
    clarity,
    clarityStep: CLARITY_STEP,
  }
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
