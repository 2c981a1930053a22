import { eachPowerFrame } from './fft.ts'

/** Sampling rate of the sound that placing works on, Hz: holds all a phone or a distant camera keeps. */
export const ANALYSIS_RATE = 8000
/** Step of the band features, samples at {@link ANALYSIS_RATE}: 16 ms. */
export const BAND_HOP = 128
const BAND_WINDOW = 512
export const BANDS_PER_OCTAVE = 6
const LOWEST_HZ = 130
export const BAND_COUNT = 28

/** Band energies over time: `frames × BAND_COUNT`, row by row, each band levelled against its own surroundings. */
export interface BandFeatures {
  readonly frames: number
  readonly values: Float32Array
  /** Mean power of each frame before levelling, dB relative to full scale. */
  readonly levelDb: Float32Array
}

function bandEdges(): Int32Array {
  const edges = new Int32Array(BAND_COUNT + 1)
  for (let b = 0; b <= BAND_COUNT; b++) {
    const hz = LOWEST_HZ * 2 ** (b / BANDS_PER_OCTAVE)
    edges[b] = Math.round((hz / ANALYSIS_RATE) * BAND_WINDOW)
  }
  for (let b = 1; b <= BAND_COUNT; b++) edges[b] = Math.max(edges[b], edges[b - 1] + 1)
  return edges
}

/** Half width of the levelling window, frames (0.5 s): long against a note, short against pumping levels. */
const LEVEL_HALF = 31

/**
 * Log energies in bands of a sixth octave, each minus its mean over one second around and limited to ±3 of its
 * spread, so that level riding, distance and colour of the room drop out and only the course of events stays.
 * (After Haitsma & Kalker 2002, "A Highly Robust Audio Fingerprinting System": differences of band energies.)
 * @param samples mono at {@link ANALYSIS_RATE}; silence and an empty signal give zeros
 */
export function bandFeatures(samples: Float32Array): BandFeatures {
  const edges = bandEdges()
  const frames = samples.length === 0 ? 0 : Math.floor((samples.length - 1) / BAND_HOP) + 1
  const log = new Float32Array(frames * BAND_COUNT)
  const levelDb = new Float32Array(frames)
  eachPowerFrame(samples, BAND_WINDOW, BAND_HOP, (frame, power) => {
    let total = 0
    for (let b = 0; b < BAND_COUNT; b++) {
      let sum = 0
      for (let k = edges[b]; k < edges[b + 1] && k < power.length; k++) sum += power[k]
      total += sum
      // The floor stands for −90 dB of full scale: below it there is only dither.
      log[frame * BAND_COUNT + b] = Math.log(sum + 1e-5)
    }
    levelDb[frame] = 10 * Math.log10(total / (BAND_WINDOW * BAND_WINDOW * 0.1) + 1e-12)
  })
  return { frames, values: levelled(log, frames), levelDb }
}

function levelled(log: Float32Array, frames: number): Float32Array {
  const out = new Float32Array(log.length)
  const sums = new Float64Array(frames + 1)
  const squares = new Float64Array(frames + 1)
  for (let b = 0; b < BAND_COUNT; b++) {
    for (let f = 0; f < frames; f++) {
      const x = log[f * BAND_COUNT + b]
      sums[f + 1] = sums[f] + x
      squares[f + 1] = squares[f] + x * x
    }
    for (let f = 0; f < frames; f++) {
      const from = Math.max(0, f - LEVEL_HALF)
      const to = Math.min(frames, f + LEVEL_HALF + 1)
      const mean = (sums[to] - sums[from]) / (to - from)
      const spread = Math.sqrt(Math.max(0, (squares[to] - squares[from]) / (to - from) - mean * mean))
      // Half a neper is added so that near-steady noise is not blown up to look like events.
      out[f * BAND_COUNT + b] = Math.max(-3, Math.min(3, (log[f * BAND_COUNT + b] - mean) / (spread + 0.5)))
    }
  }
  return out
}

/**
 * What the features would be, had the recording been played at another speed: time stretched, bands shifted.
 * @param ratio length of the result over length of the input; 1.5 = slower and lower. Positive.
 */
export function stretchFeatures(features: BandFeatures, ratio: number): BandFeatures {
  const frames = Math.floor(features.frames * ratio)
  const values = new Float32Array(frames * BAND_COUNT)
  const levelDb = new Float32Array(frames)
  const shift = Math.log2(ratio) * BANDS_PER_OCTAVE
  for (let f = 0; f < frames; f++) {
    const at = f / ratio
    const i = Math.min(features.frames - 1, Math.floor(at))
    const j = Math.min(features.frames - 1, i + 1)
    const part = at - i
    levelDb[f] = features.levelDb[i]
    for (let b = 0; b < BAND_COUNT; b++) {
      const from = b + shift
      const lower = Math.floor(from)
      const mix = from - lower
      let sum = 0
      for (const [band, weight] of [
        [lower, 1 - mix],
        [lower + 1, mix],
      ]) {
        if (band < 0 || band >= BAND_COUNT) continue
        sum += weight * (features.values[i * BAND_COUNT + band] * (1 - part) + features.values[j * BAND_COUNT + band] * part)
      }
      values[f * BAND_COUNT + b] = sum
    }
  }
  return { frames, values, levelDb }
}
