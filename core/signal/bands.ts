import { FrameReader } from './fft.ts'
import type { SampleSource } from './source.ts'

/** Sampling rate of the sound that placing works on, Hz: holds all a phone or a distant camera keeps. */
export const ANALYSIS_RATE = 8000
/** Step of the band features, samples at {@link ANALYSIS_RATE}: 16 ms. */
export const BAND_HOP = 128
const BAND_WINDOW = 512
export const BANDS_PER_OCTAVE = 6
const LOWEST_HZ = 130
export const BAND_COUNT = 28

/** Values of a band for one of its spreads: features are kept as whole numbers, a byte each. */
const STEPS = 40

/** Band energies over time: `frames × BAND_COUNT`, row by row, each band levelled against its own surroundings. */
export interface BandFeatures {
  readonly frames: number
  /** 40 = one spread above the surroundings. */
  readonly values: Int8Array
  /** Mean power of each frame before levelling, whole dB relative to full scale, −120 at least. */
  readonly levelDb: Int8Array
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
 * Takes the sound in pieces and keeps only the features, 29 bytes for 16 ms.
 */
export class BandWriter {
  readonly #edges = bandEdges()
  readonly #frames = new FrameReader(BAND_WINDOW, BAND_HOP, (power) => this.#take(power))
  /** Log energies of the frames around the one that is being levelled, as a ring. */
  readonly #ring = new Float64Array((2 * LEVEL_HALF + 1) * BAND_COUNT)
  readonly #sum = new Float64Array(BAND_COUNT)
  readonly #squares = new Float64Array(BAND_COUNT)
  #taken = 0
  #levelled = 0
  #values = new Int8Array(BAND_COUNT * 4096)
  #levels = new Int8Array(4096)

  /** @param samples the next ones, mono at {@link ANALYSIS_RATE} */
  push(samples: Float32Array): void {
    this.#frames.push(samples)
  }

  /** Ends the recording: what is still to be levelled is, and all features are given. Nothing may be pushed afterwards. */
  finish(): BandFeatures {
    this.#frames.finish()
    const frames = this.#taken
    while (this.#levelled < frames) {
      this.#level(this.#levelled, frames)
      // Frames that leave the surroundings on the left; none comes in on the right any more.
      this.#forget(this.#levelled - LEVEL_HALF)
      this.#levelled++
    }
    return { frames, values: this.#values.slice(0, frames * BAND_COUNT), levelDb: this.#levels.slice(0, frames) }
  }

  #row(frame: number): number {
    return (frame % (2 * LEVEL_HALF + 1)) * BAND_COUNT
  }

  #take(power: Float64Array): void {
    const frame = this.#taken++
    if (frame >= this.#levels.length) {
      this.#values = grown(this.#values)
      this.#levels = grown(this.#levels)
    }
    const row = this.#row(frame)
    const [edges, ring, sum, squares] = [this.#edges, this.#ring, this.#sum, this.#squares]
    let total = 0
    let k = edges[0]
    for (let b = 0; b < BAND_COUNT; b++) {
      const end = edges[b + 1]
      let energy = 0
      for (; k < end; k++) energy += power[k]
      total += energy
      // The floor stands for −90 dB of full scale: below it there is only dither.
      const log = Math.log(energy + 1e-5)
      ring[row + b] = log
      sum[b] += log
      squares[b] += log * log
    }
    this.#levels[frame] = Math.max(-120, Math.min(0, Math.round(10 * Math.log10(total / (BAND_WINDOW * BAND_WINDOW * 0.1) + 1e-12))))
    if (frame < LEVEL_HALF) return
    this.#level(this.#levelled, frame + 1)
    this.#forget(this.#levelled - LEVEL_HALF)
    this.#levelled++
  }

  #level(frame: number, known: number): void {
    const count = Math.min(known, frame + LEVEL_HALF + 1) - Math.max(0, frame - LEVEL_HALF)
    const row = this.#row(frame)
    const [ring, sum, squares, values] = [this.#ring, this.#sum, this.#squares, this.#values]
    const share = 1 / count
    for (let b = 0; b < BAND_COUNT; b++) {
      const mean = sum[b] * share
      const spread = Math.sqrt(Math.max(0, squares[b] * share - mean * mean))
      // Half a neper is added so that near-steady noise is not blown up to look like events.
      const value = (ring[row + b] - mean) / (spread + 0.5)
      values[frame * BAND_COUNT + b] = Math.round(STEPS * Math.max(-3, Math.min(3, value)))
    }
  }

  #forget(frame: number): void {
    if (frame < 0) return
    const row = this.#row(frame)
    const [ring, sum, squares] = [this.#ring, this.#sum, this.#squares]
    for (let b = 0; b < BAND_COUNT; b++) {
      const log = ring[row + b]
      sum[b] -= log
      squares[b] -= log * log
    }
  }
}

function grown(values: Int8Array<ArrayBuffer>): Int8Array<ArrayBuffer> {
  const out = new Int8Array(values.length * 2)
  out.set(values)
  return out
}

/** {@link BandWriter} for a signal that is there as a whole; silence and an empty signal give zeros. */
export function bandFeatures(samples: Float32Array): BandFeatures {
  const writer = new BandWriter()
  writer.push(samples)
  return writer.finish()
}

/** Part of the features, frames from (included) to (excluded). */
export function sliceFeatures(features: BandFeatures, from: number, to: number): BandFeatures {
  const a = Math.max(0, from)
  const b = Math.max(a, Math.min(features.frames, to))
  return { frames: b - a, values: features.values.subarray(a * BAND_COUNT, b * BAND_COUNT), levelDb: features.levelDb.subarray(a, b) }
}

/** Features of a recording, computed where they are read. */
export interface FeatureSource {
  readonly frames: number
  /** Frames from (included) to (excluded), as they are in the features of the whole. */
  read(from: number, to: number): BandFeatures
}

/** Features that are there as a whole, as a source. */
export function featuresIn(features: BandFeatures): FeatureSource {
  return { frames: features.frames, read: (from, to) => sliceFeatures(features, from, to) }
}

/** Samples read at once, a little over a minute. */
const READ_AT_ONCE = 1 << 19

/** Features of samples that are read where they are needed: of hours only the parts that are looked at. */
export function featuresOf(source: SampleSource): FeatureSource {
  const frames = source.length === 0 ? 0 : Math.floor((source.length - 1) / BAND_HOP) + 1
  return {
    frames,
    read: (from, to) => {
      const a = Math.max(0, from)
      const b = Math.max(a, Math.min(frames, to))
      // What is levelled around the first and the last one, each with its whole window.
      const lead = Math.min(a, LEVEL_HALF + BAND_WINDOW / 2 / BAND_HOP)
      const last = Math.min(source.length, (b - 1 + LEVEL_HALF) * BAND_HOP + BAND_WINDOW / 2 + 1)
      const writer = new BandWriter()
      for (let at = (a - lead) * BAND_HOP; at < last && b > a; at += READ_AT_ONCE) writer.push(source.read(at, Math.min(last, at + READ_AT_ONCE)))
      return sliceFeatures(writer.finish(), lead, lead + b - a)
    },
  }
}

/** {@link stretchFeatures} of features that are computed where they are read. */
export function stretchedFeatures(features: FeatureSource, ratio: number): FeatureSource {
  return {
    frames: Math.floor(features.frames * ratio),
    read: (from, to) => {
      const first = Math.max(0, Math.floor(from / ratio))
      const part = features.read(first, Math.ceil(to / ratio) + 2)
      return stretchFeatures(part, ratio, { from, to: Math.min(to, Math.floor(features.frames * ratio)), first })
    },
  }
}

/**
 * What the features would be, had the recording been played at another speed: time stretched, bands shifted.
 * @param ratio length of the result over length of the input; 1.5 = slower and lower. Positive.
 * @param part which frames of the result, where the features begin with another frame of theirs than 0
 */
export function stretchFeatures(features: BandFeatures, ratio: number, part = { from: 0, to: Math.floor(features.frames * ratio), first: 0 }): BandFeatures {
  const frames = Math.max(0, part.to - part.from)
  const values = new Int8Array(frames * BAND_COUNT)
  const levelDb = new Int8Array(frames)
  const shift = Math.log2(ratio) * BANDS_PER_OCTAVE
  for (let f = 0; f < frames; f++) {
    const at = (part.from + f) / ratio - part.first
    const i = Math.min(features.frames - 1, Math.floor(at))
    const j = Math.min(features.frames - 1, i + 1)
    const share = at - i
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
        sum += weight * (features.values[i * BAND_COUNT + band] * (1 - share) + features.values[j * BAND_COUNT + band] * share)
      }
      values[f * BAND_COUNT + b] = Math.round(sum)
    }
  }
  return { frames, values, levelDb }
}
