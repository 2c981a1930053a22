import { eachPowerFrame } from '../signal/index.ts'

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
  /** Twelve pitch-class energies a frame, each frame summing to 1 (0 in silence). */
  readonly chroma: Float32Array
  /** Level of each frame, dB of full scale. */
  readonly levelDb: Float32Array
}

/**
 * Onset strength by spectral flux with a maximum filter across frequency, which takes vibrato and glides for what
 * they are (Böck & Widmer 2013, "Maximum Filter Vibrato Suppression for Onset Detection").
 * @param samples mono at {@link PULSE_RATE}; an empty or silent signal gives zeros
 */
export function onsetFeatures(samples: Float32Array): OnsetFeatures {
  const filters = filterBank()
  const count = filters.length
  const frames = samples.length === 0 ? 0 : Math.floor((samples.length - 1) / PULSE_HOP) + 1
  const strength = new Float32Array(frames)
  const bass = new Float32Array(frames)
  const treble = new Float32Array(frames)
  const chroma = new Float32Array(frames * 12)
  const levelDb = new Float32Array(frames)
  const history: Float32Array[] = Array.from({ length: LAG + 1 }, () => new Float32Array(count))
  const pitchOf = pitchClasses()
  eachPowerFrame(samples, WINDOW, PULSE_HOP, (frame, power) => {
    const now = history[frame % (LAG + 1)]
    const before = history[(frame + 1) % (LAG + 1)]
    let total = 0
    for (let b = 0; b < count; b++) {
      const { from, weights } = filters[b]
      let sum = 0
      for (let i = 0; i < weights.length; i++) sum += weights[i] * Math.sqrt(power[from + i])
      now[b] = Math.log10(1 + sum)
    }
    for (let k = 1; k < power.length; k++) {
      total += power[k]
      if (pitchOf[k] >= 0) chroma[frame * 12 + pitchOf[k]] += Math.sqrt(power[k])
    }
    levelDb[frame] = 10 * Math.log10((total * 2) / (WINDOW * WINDOW * 0.375) + 1e-12)
    let chromaSum = 0
    for (let p = 0; p < 12; p++) chromaSum += chroma[frame * 12 + p]
    if (chromaSum > 0) for (let p = 0; p < 12; p++) chroma[frame * 12 + p] /= chromaSum
    if (frame < LAG) return
    for (let b = 0; b < count; b++) {
      const reference = Math.max(before[b], b > 0 ? before[b - 1] : 0, b + 1 < count ? before[b + 1] : 0)
      const rise = now[b] - reference
      if (rise <= 0) continue
      strength[frame] += rise
      if (filters[b].hz < BASS_HZ) bass[frame] += rise
      else if (filters[b].hz > TREBLE_HZ) treble[frame] += rise
    }
  })
  return { frames, strength: levelled(strength), bass: levelled(bass), treble: levelled(treble), chroma, levelDb }
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
