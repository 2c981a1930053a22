import { FrameReader, GrowingRows } from '../signal/index.ts'

/** Sampling rate beat tracking works at, Hz: cymbals' attack and the kick's body are both inside. */
export const PULSE_RATE = 16000
export const PULSE_HOP = 160
/** Feature frames a second. */
export const FRAMES_PER_SECOND = PULSE_RATE / PULSE_HOP
const WINDOW = 1024
const FILTERS_PER_OCTAVE = 12
const LOW_HZ = 40
const HIGH_HZ = 7600
/** Frames between the compared spectra: a soft attack rises over about 20 ms. */
const LAG = 2
/** Below this the band belongs to kick and bass, Hz. */
const BASS_HZ = 180
/** Above this to hi-hat and snare wires, Hz. */
const TREBLE_HZ = 2500

export interface OnsetFeatures {
  readonly frames: number
  /** Rise of loudness over all bands, each frame; mean about 0 over one second, 1 = usual spread. */
  readonly strength: Float32Array
  /** The same for the bass and for the treble alone. */
  readonly bass: Float32Array
  readonly treble: Float32Array
  /** Twelve pitch classes a frame, their shares of the frame in steps of 1/255 (0 in silence). */
  readonly chroma: Uint8Array
  /** Level of each frame, dB of full scale. */
  readonly levelDb: Float32Array
  /** Loudness of wide bands at every other frame, in steps of 1/{@link BAND_STEPS} of a decade; row after row of {@link BANDS}. */
  readonly bands: Uint8Array
}

/** Bands a row of {@link OnsetFeatures.bands}, and steps a decade of loudness. */
export const BANDS = 34
export const BAND_STEPS = 60

/**
 * Features of a recording that comes in pieces; hours take a few megabytes. Onset strength is spectral flux with a maximum
 * filter across frequency, which takes vibrato and glides for what they are (Böck & Widmer 2013, "Maximum Filter Vibrato
 * Suppression for Onset Detection").
 */
export class OnsetReader {
  readonly #filters = filterBank()
  readonly #pitchOf = pitchClasses()
  readonly #strength = new GrowingRows(1, (n) => new Float32Array(n))
  readonly #bass = new GrowingRows(1, (n) => new Float32Array(n))
  readonly #treble = new GrowingRows(1, (n) => new Float32Array(n))
  readonly #levelDb = new GrowingRows(1, (n) => new Float32Array(n))
  readonly #chroma = new GrowingRows(12, (n) => new Uint8Array(n))
  readonly #bands = new GrowingRows(BANDS, (n) => new Uint8Array(n))
  readonly #wide = new Float64Array(BANDS)
  readonly #pitches = new Float64Array(12)
  readonly #history: Float32Array[] = Array.from({ length: LAG + 1 }, () => new Float32Array(this.#filters.length))
  readonly #reader = new FrameReader(WINDOW, PULSE_HOP, (power, frame) => this.#hear(power, frame))

  /** @param samples mono at {@link PULSE_RATE}, following those before */
  push(samples: Float32Array): void {
    this.#reader.push(samples)
  }

  finish(): OnsetFeatures {
    const frames = this.#reader.finish()
    return {
      frames,
      strength: levelled(this.#strength.cut(frames)),
      bass: levelled(this.#bass.cut(frames)),
      treble: levelled(this.#treble.cut(frames)),
      chroma: this.#chroma.cut(frames),
      levelDb: this.#levelDb.cut(frames),
      bands: this.#bands.cut(Math.ceil(frames / 2)),
    }
  }

  #hear(power: Float64Array, frame: number): void {
    const filters = this.#filters
    const count = filters.length
    const now = this.#history[frame % (LAG + 1)]
    const before = this.#history[(frame + 1) % (LAG + 1)]
    const wide = this.#wide.fill(0)
    for (let b = 0; b < count; b++) {
      const { from, weights } = filters[b]
      let sum = 0
      for (let i = 0; i < weights.length; i++) sum += weights[i] * Math.sqrt(power[from + i])
      now[b] = Math.log10(1 + sum)
      wide[Math.floor((b * BANDS) / count)] += sum
    }
    if (frame % 2 === 0) {
      const at = this.#bands.at(frame / 2)
      for (let b = 0; b < BANDS; b++) this.#bands.values[at + b] = Math.min(255, Math.round(BAND_STEPS * Math.log10(1 + wide[b])))
    }
    const pitches = this.#pitches.fill(0)
    let total = 0
    for (let k = 1; k < power.length; k++) {
      total += power[k]
      if (this.#pitchOf[k] >= 0) pitches[this.#pitchOf[k]] += Math.sqrt(power[k])
    }
    let most = 0
    for (let p = 0; p < 12; p++) most += pitches[p]
    const chromaAt = this.#chroma.at(frame)
    if (most > 0) for (let p = 0; p < 12; p++) this.#chroma.values[chromaAt + p] = Math.round((255 * pitches[p]) / most)
    const level = this.#levelDb.at(frame)
    this.#levelDb.values[level] = 10 * Math.log10((total * 2) / (WINDOW * WINDOW * 0.375) + 1e-12)
    const at = this.#strength.at(frame)
    this.#bass.at(frame)
    this.#treble.at(frame)
    if (frame < LAG) return
    let all = 0
    let low = 0
    let high = 0
    for (let b = 0; b < count; b++) {
      const reference = Math.max(before[b], b > 0 ? before[b - 1] : 0, b + 1 < count ? before[b + 1] : 0)
      const rise = now[b] - reference
      if (rise <= 0) continue
      all += rise
      if (filters[b].hz < BASS_HZ) low += rise
      else if (filters[b].hz > TREBLE_HZ) high += rise
    }
    this.#strength.values[at] = all
    this.#bass.values[at] = low
    this.#treble.values[at] = high
  }
}

/** {@link OnsetReader} for a recording that is there as a whole; an empty or silent one gives zeros. */
export function onsetFeatures(samples: Float32Array): OnsetFeatures {
  const reader = new OnsetReader()
  reader.push(samples)
  return reader.finish()
}

interface Filter {
  readonly hz: number
  readonly from: number
  readonly weights: Float64Array
}

function filterBank(): Filter[] {
  const centres: number[] = []
  for (let hz = LOW_HZ; hz < HIGH_HZ; hz *= 2 ** (1 / FILTERS_PER_OCTAVE)) {
    const bin = Math.round((hz / PULSE_RATE) * WINDOW)
    if (bin > 0 && centres[centres.length - 1] !== bin) centres.push(bin)
  }
  const filters: Filter[] = []
  for (let i = 1; i + 1 < centres.length; i++) {
    const [low, mid, high] = [centres[i - 1], centres[i], centres[i + 1]]
    const weights = new Float64Array(high - low + 1)
    for (let k = low; k <= high; k++) weights[k - low] = k <= mid ? (k - low + 1) / (mid - low + 1) : (high - k + 1) / (high - mid + 1)
    filters.push({ hz: (mid * PULSE_RATE) / WINDOW, from: low, weights })
  }
  return filters
}

function pitchClasses(): Int8Array {
  const out = new Int8Array(WINDOW / 2 + 1).fill(-1)
  for (let k = 1; k < out.length; k++) {
    const hz = (k * PULSE_RATE) / WINDOW
    if (hz > 110 && hz < 2000) out[k] = ((Math.round(12 * Math.log2(hz / 440)) % 12) + 12) % 12
  }
  return out
}

/** Takes the mean of one second around away and divides by the spread of ten seconds around, then clears what lies below. */
function levelled(values: Float32Array): Float32Array {
  const n = values.length
  const sums = new Float64Array(n + 1)
  const squares = new Float64Array(n + 1)
  for (let i = 0; i < n; i++) {
    sums[i + 1] = sums[i] + values[i]
    squares[i + 1] = squares[i] + values[i] * values[i]
  }
  const out = new Float32Array(n)
  for (let i = 0; i < n; i++) {
    const near0 = Math.max(0, i - 50)
    const near1 = Math.min(n, i + 51)
    const far0 = Math.max(0, i - 500)
    const far1 = Math.min(n, i + 501)
    const mean = (sums[near1] - sums[near0]) / (near1 - near0)
    const farMean = (sums[far1] - sums[far0]) / (far1 - far0)
    const spread = Math.sqrt(Math.max(0, (squares[far1] - squares[far0]) / (far1 - far0) - farMean * farMean))
    out[i] = spread > 1e-6 ? Math.max(0, values[i] - mean) / spread : 0
  }
  return out
}
