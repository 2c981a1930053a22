import { findBars } from './bars.ts'
import { trackBeats } from './beats.ts'
import { onsetFeatures } from './onset.ts'
import { tempoPath } from './tempo.ts'

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

/**
 * Beats, bars and tempo of a recording. Where there is no pulse there are no beats.
 * @param samples mono at PULSE_RATE (16 kHz), sample 0 at time 0; empty, silent and very short ones give no beats
 */
export function findPulse(samples: Float32Array, onProgress?: (share: number) => void): PulseEstimate {
  const features = onsetFeatures(samples)
  onProgress?.(0.5)
  const tempo = tempoPath(features)
  onProgress?.(0.8)
  const beats = trackBeats(features, tempo)
  const bars = findBars(features, beats)
  onProgress?.(1)
  const distances = beats.slice(1).map((t, i) => t - beats[i])
  distances.sort((a, b) => a - b)
  const median = distances[distances.length >> 1]
  const heard = [...tempo.clarity].filter((_, s) => tempo.bpm[s] > 0)
  return {
    tempoBpm: median > 0 ? 60 / median : 0,
    beats,
    downbeats: bars.downbeats,
    metre: bars.metre,
    confidence: heard.length > 0 ? Math.min(1, heard.reduce((s, x) => s + x, 0) / heard.length / 0.6) : 0,
    clarity: Array.from(tempo.clarity, (x) => Math.round(x * 100) / 100),
    clarityStep: tempo.stepSeconds,
  }
}
