import { ANALYSIS_RATE, BAND_COUNT, BAND_HOP, type BandFeatures, Correlator, type Packed, packed, packedTurned, powerOfTwo } from '../signal/index.ts'

/** Seconds between two feature frames. */
export const FRAME_SECONDS = BAND_HOP / ANALYSIS_RATE

/** Shortest overlap that counts as evidence, s: below it any two sounds can be laid over each other. */
const MIN_OVERLAP_SECONDS = 3
/** Candidates closer than this are the same place, s. */
const PEAK_APART_SECONDS = 0.12

export interface CoarsePeak {
  /** Master time of the clip's first sample, s. */
  readonly startSeconds: number
  /** Height over the spread of all other places (robust standard deviations). */
  readonly score: number
  /** Normalised correlation at the place, −1..1. */
  readonly correlation: number
}

export interface CoarseResult {
  readonly peaks: CoarsePeak[]
  /** Score at each place, for drawing: `curve[i]` is the best around `curveStart + i × curveStep` seconds. */
  readonly curve: Float32Array
  readonly curveStart: number
  readonly curveStep: number
}

interface BlockSpectra {
  readonly size: number
  readonly step: number
  /** For each block, for each band. */
  readonly blocks: Packed[][]
}

/** Places looked at for their likeness alone; they overlap by so much, s, and stand out by so much, so that few of them are chance. */
const MOST_ALIKE = 4
const ALIKE_SECONDS = 8
const ALIKE_SCORE = 1.5
/** The same for places at which only a part of the clip lies on the master, at either end of it. */
const MOST_OVER = 6
const OVER_SECONDS = 5

/** A master made ready for many searches: its band spectra are computed once per transform length. */
export class CoarseReference {
  readonly features: BandFeatures
  #spectra: BlockSpectra | null = null
  readonly #energy: Float64Array

  constructor(features: BandFeatures) {
    this.features = features
    this.#energy = energyPrefix(features)
  }

  /**
   * Spectra of the master's stretches, each `size` frames, begun every `step` frames from `clip − 1` frames before its
   * beginning, so that together they hold every overlap (overlap-save).
   */
  #spectraOf(size: number, clip: number): BlockSpectra {
    // Clips of like length share the stretches: the step is that of the longest clip this size serves.
    const longest = Math.max(clip, Math.ceil(size / 4))
    const step = size - longest + 1
    if (this.#spectra?.size === size && this.#spectra.step <= size - clip + 1) return this.#spectra
    const blocks: BlockSpectra['blocks'] = []
    for (let from = 1 - longest; from < this.features.frames; from += step) {
      blocks.push(Array.from({ length: BAND_COUNT }, (_, band) => packed(bandOf(this.features, band, from, from + size), size)))
    }
    // One length at a time is kept: clips are searched longest first, so lengths seldom alternate.
    this.#spectra = { size, step, blocks }
    return this.#spectra
  }

  /** Correlation summed over the bands at the lags first … last, frames. */
  #correlate(clip: BandFeatures, first: number, last: number): Float32Array {
    const c = clip.frames
    const size = powerOfTwo(Math.min(this.features.frames + 2 * c, Math.max(4096, 4 * c)))
    const { step, blocks } = this.#spectraOf(size, c)
    const longest = size - step + 1
    const bands = Array.from({ length: BAND_COUNT }, (_, band) => packedTurned(bandOf(clip, band, 0, c), size))
    const out = new Float32Array(last - first + 1)
    using correlator = new Correlator(size)
    for (const [i, block] of blocks.entries()) {
      const from = 1 - longest + i * step
      if (from + step <= first || from > last) continue
      for (let band = 0; band < BAND_COUNT; band++) correlator.add(block[band], bands[band])
      const values = correlator.take()
      for (let k = 0; k < step; k++) {
        const lag = from + k
        if (lag >= first && lag <= last) out[lag - first] = values[k]
      }
    }
    return out
  }

  /**
   * Correlates the band features of a clip with the whole master, every overlap included, also where the clip
   * begins before the master or ends after it.
   * @param clip features of the clip at the master's speed
   * @param most number of places wanted
   * @param near only starts within this are wanted; the spread is still judged by all
   * @returns places by falling score; empty when either has less than 3 s of sound
   */
  search(clip: BandFeatures, most = 12, near?: { startSeconds: number; tolerance: number }): CoarseResult {
    const m = this.features.frames
    const c = clip.frames
    const minOverlap = Math.min(Math.round(MIN_OVERLAP_SECONDS / FRAME_SECONDS), c, m)
    const empty: CoarseResult = { peaks: [], curve: new Float32Array(0), curveStart: 0, curveStep: 1 }
    if (c < MIN_OVERLAP_SECONDS / FRAME_SECONDS || m < MIN_OVERLAP_SECONDS / FRAME_SECONDS) return empty
    const first = minOverlap - c
    const last = m - minOverlap
    const raw = this.#correlate(clip, first, last)
    const clipEnergy = energyPrefix(clip)
    const count = last - first + 1
    const scores = new Float32Array(count)
    const correlations = new Float32Array(count)
    for (let i = 0; i < count; i++) {
      const lag = first + i
      const from = Math.max(0, lag)
      const to = Math.min(m, lag + c)
      const energy = (this.#energy[to] - this.#energy[from]) * (clipEnergy[to - lag] - clipEnergy[from - lag])
      const value = energy > 1e-6 ? raw[i] / Math.sqrt(energy) : 0
      correlations[i] = value
      // Chance correlation shrinks with the root of the overlap; weighting by it makes places comparable.
      scores[i] = value * Math.sqrt(to - from)
    }
    const spread = robustSpread(scores)
    if (!(spread > 0)) return empty
    for (let i = 0; i < count; i++) scores[i] /= spread
    const peaks: CoarsePeak[] = []
    const apart = Math.round(PEAK_APART_SECONDS / FRAME_SECONDS)
    const wanted = (i: number) => !near || Math.abs((first + i) * FRAME_SECONDS - near.startSeconds) <= near.tolerance
    const maxima = localMaxima(scores).filter(wanted)
    // Hours have a hundred thousand maxima; sorting only those that stand out a little is enough, unless they are few.
    const standing = maxima.filter((i) => scores[i] > 2)
    const order = (standing.length > 8 * most ? standing : maxima).sort((a, b) => scores[b] - scores[a])
    const apartFrom = (others: readonly number[], i: number) => others.every((j) => Math.abs(j - i) >= apart)
    const taken: number[] = []
    const take = (i: number) => {
      taken.push(i)
      peaks.push({ startSeconds: (first + i + parabola(scores, i)) * FRAME_SECONDS, score: scores[i], correlation: correlations[i] })
    }
    for (const i of order) {
      if (peaks.length >= most) break
      if (apartFrom(taken, i)) take(i)
    }
    // A long overlap of what merely resembles (a drum machine) outweighs a short one that fits: the best likeness is looked at as well,
    // and by itself where the clip reaches over the beginning or the end.
    const overlap = (i: number) => Math.min(m, first + i + c) - Math.max(0, first + i)
    const alike = maxima.filter((i) => scores[i] > ALIKE_SCORE).sort((a, b) => correlations[b] - correlations[a])
    for (const [seconds, some, there] of [
      [ALIKE_SECONDS, MOST_ALIKE, () => true],
      [OVER_SECONDS, MOST_OVER, (i: number) => first + i < 0],
      [OVER_SECONDS, MOST_OVER, (i: number) => first + i + c > m],
    ] as const) {
      const likest: number[] = []
      for (const i of alike) {
        if (likest.length >= some) break
        if (!there(i) || overlap(i) * FRAME_SECONDS < seconds || !apartFrom(likest, i)) continue
        likest.push(i)
        if (apartFrom(taken, i)) take(i)
      }
    }
    const curveStep = Math.max(1, Math.ceil(count / 600))
    const curve = new Float32Array(Math.ceil(count / curveStep))
    for (let i = 0; i < count; i++) {
      const at = Math.floor(i / curveStep)
      if (scores[i] > curve[at]) curve[at] = scores[i]
    }
    return { peaks, curve, curveStart: first * FRAME_SECONDS, curveStep: curveStep * FRAME_SECONDS }
  }
}

/** One band over the frames from (included) to (excluded); outside is nothing. */
function bandOf(features: BandFeatures, band: number, from: number, to: number): Float32Array {
  const out = new Float32Array(to - from)
  const last = Math.min(to, features.frames)
  for (let f = Math.max(0, from); f < last; f++) out[f - from] = features.values[f * BAND_COUNT + band]
  return out
}

function energyPrefix(features: BandFeatures): Float64Array {
  const out = new Float64Array(features.frames + 1)
  for (let f = 0; f < features.frames; f++) {
    let sum = 0
    for (let b = 0; b < BAND_COUNT; b++) {
      const x = features.values[f * BAND_COUNT + b]
      sum += x * x
    }
    out[f + 1] = out[f] + sum
  }
  return out
}

/** Standard deviation judged from the middle of the distribution, so that true peaks do not widen it. */
function robustSpread(values: Float32Array): number {
  const step = Math.max(1, Math.floor(values.length / 20000))
  const sample: number[] = []
  for (let i = 0; i < values.length; i += step) sample.push(Math.abs(values[i]))
  sample.sort((a, b) => a - b)
  return sample.length === 0 ? 0 : sample[sample.length >> 1] / 0.6745
}

function localMaxima(values: Float32Array): number[] {
  const out: number[] = []
  for (let i = 0; i < values.length; i++) {
    if (values[i] > 0 && (i === 0 || values[i] > values[i - 1]) && (i === values.length - 1 || values[i] >= values[i + 1])) out.push(i)
  }
  return out
}

/** Offset of the true maximum from the highest of three points, −0.5..0.5. */
export function parabola(values: ArrayLike<number>, at: number): number {
  if (at <= 0 || at >= values.length - 1) return 0
  const bend = values[at - 1] - 2 * values[at] + values[at + 1]
  if (bend >= 0) return 0
  return Math.max(-0.5, Math.min(0.5, (0.5 * (values[at - 1] - values[at + 1])) / bend))
}
