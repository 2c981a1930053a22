import { FrameReader } from './fft.ts'

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
    const edges = this.#edges
    let total = 0
    for (let b = 0; b < BAND_COUNT; b++) {
      let energy = 0
      for (let k = edges[b]; k < edges[b + 1] && k < power.length; k++) energy += power[k]
      total += energy
      // The floor stands for −90 dB of full scale: below it there is only dither.
      const log = Math.log(energy + 1e-5)
      this.#ring[row + b] = log
      this.#sum[b] += log
      this.#squares[b] += log * log
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
    for (let b = 0; b < BAND_COUNT; b++) {
      const mean = this.#sum[b] / count
      const spread = Math.sqrt(Math.max(0, this.#squares[b] / count - mean * mean))
      // Half a neper is added so that near-steady noise is not blown up to look like events.
      const value = (this.#ring[row + b] - mean) / (spread + 0.5)
      this.#values[frame * BAND_COUNT + b] = Math.round(STEPS * Math.max(-3, Math.min(3, value)))
    }
  }

  #forget(frame: number): void {
    if (frame < 0) return
    const row = this.#row(frame)
    for (let b = 0; b < BAND_COUNT; b++) {
      const log = this.#ring[row + b]
      this.#sum[b] -= log
      this.#squares[b] -= log * log
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

/** Features as bytes for a file: levels, then values. */
export function packFeatures(features: BandFeatures): Uint8Array {
  const out = new Int8Array(features.frames * (BAND_COUNT + 1))
  out.set(features.levelDb)
  out.set(features.values, features.frames)
  return new Uint8Array(out.buffer)
}

/** @throws RangeError when the bytes are no features */
export function unpackFeatures(bytes: Uint8Array): BandFeatures {
  const frames = bytes.length / (BAND_COUNT + 1)
  if (!Number.isInteger(frames)) throw new RangeError(`${bytes.length} bytes are no whole number of feature frames`)
  const all = new Int8Array(bytes.buffer, bytes.byteOffset, bytes.length)
  return { frames, levelDb: all.subarray(0, frames), values: all.subarray(frames) }
}

/**
 * What the features would be, had the recording been played at another speed: time stretched, bands shifted.
 * @param ratio length of the result over length of the input; 1.5 = slower and lower. Positive.
 */
export function stretchFeatures(features: BandFeatures, ratio: number): BandFeatures {
  const frames = Math.floor(features.frames * ratio)
  const values = new Int8Array(frames * BAND_COUNT)
  const levelDb = new Int8Array(frames)
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
      values[f * BAND_COUNT + b] = Math.round(sum)
    }
  }
  return { frames, values, levelDb }
}
