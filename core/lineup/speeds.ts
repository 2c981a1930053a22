import {
  ANALYSIS_RATE,
  Correlator,
  type FeatureSource,
  type Packed,
  packed,
  packedTurned,
  resample,
  type SampleSource,
  sourceOf,
  stretchFeatures,
  whitened,
} from '../signal/index.ts'
import { type CoarseReference, FRAME_SECONDS } from './coarse.ts'

/** Speeds that shooting practice uses: frame rates over each other. */
export const COMMON_SPEEDS = [1.5, 2, 1.25, 1.2, 4 / 3, 25 / 24, 24 / 25, 0.5, 0.8, 2.4, 2.5, 1.1, 0.75, 2 / 3, 0.9, 3, 4] as const

/** 'auto' tries the speeds of shooting practice, 'any' all between a quarter and four times besides; a number is taken as it is. */
export type SpeedWish = 'auto' | 'any' | number

/** Of a long clip the middle tells enough, s. */
const EXCERPT_SECONDS = 240

/** Speeds worth the fine stage: those whose stretched features correlate best with the master. */
export function promisingSpeeds(reference: CoarseReference, all: FeatureSource, speeds: readonly number[]): number[] {
  const most = Math.round(EXCERPT_SECONDS / FRAME_SECONDS)
  const first = Math.max(0, (all.frames - most) >> 1)
  const features = all.read(first, first + most)
  return speeds
    .map((speed) => ({ speed, score: reference.search(stretchFeatures(features, speed), 1).peaks[0]?.score ?? 0 }))
    .sort((a, b) => b.score - a.score)
    .slice(0, 3)
    .map((x) => x.speed)
}

/** A speed, and where the clip would begin at it. */
export interface SpeedPlace {
  readonly speed: number
  readonly startSeconds: number
  /** Height of the correlation over its spread. */
  readonly strength: number
}

/** Slowest and fastest that is looked for where the speed is not known. */
const SLOWEST = 0.25
const FASTEST = 4
/** Slowest and fastest that can be said, master seconds in one second of the clip. */
export const SLOWEST_SPEED = 0.2
export const FASTEST_SPEED = 5
/** Two speeds so far apart move the ends of a window by a quarter of the shortest wave in it. */
const STEP = 0.0018
/** From this speed down the master is heard an octave higher, for what the clip holds of it lies lower. */
const SLOW = 0.65
/** Sampling rate at which speeds are tried, Hz, its band as shares of it, and samples in a window: 0.6 s. */
const TRIED_RATE = 2000
const BAND = [0.075, 0.475] as const
const WINDOW = 1200
/** Samples on either side of a window that whitening looks at. */
const AROUND = 512
const BLOCK = 8192
/** Windows of the clip that are looked for; the next only where those before said nothing clear. */
const WINDOWS = 4
const CLEAR = 10
const CLEAR_RIVAL = 0.85
const KEEP = 4
/** Places kept of a window at a speed, and weighed of all. */
const PLACES = 3
const MOST_WEIGHED = 400

/**
 * Speeds from a quarter to four times at which short windows of a clip are found on the master. Half a second tells its place
 * by the fine structure of its waves alone, and is so short that speeds a five-hundredth apart are all that must be tried.
 * (Cross-correlation of whitened signals, Knapp & Carter 1976, over a bank of time scales.)
 * @param onStep called between steps; throwing stops the search
 * @returns at most four, exact to about a thousandth, best first
 */
export function anySpeeds(master: SampleSource, clip: SampleSource, onStep: (share: number) => void = () => undefined): SpeedPlace[] {
  const all: Heard[] = []
  using low = new Grid(master, TRIED_RATE)
  using high = new Grid(master, 2 * TRIED_RATE)
  let kept: SpeedPlace[] = []
  const windows = loudest(clip)
  for (const [n, at] of windows.entries()) {
    const octaves = octavesAround(clip, at)
    for (let speed = SLOWEST; speed <= FASTEST; speed *= 1 + STEP) {
      onStep((n + Math.log(speed / SLOWEST) / Math.log(FASTEST / SLOWEST)) / windows.length)
      all.push(...(speed < SLOW ? high : low).find(octaves, at, speed))
    }
    kept = together(all)
    if (kept.length > 1 && kept[0].strength > CLEAR && kept[1].strength < CLEAR_RIVAL * kept[0].strength) break
  }
  return kept
}

/** What a window around a sample of the clip says. */
interface Heard extends SpeedPlace {
  readonly at: number
}

/** What windows say together that lie on one line; the best of different speeds. */
function together(all: readonly Heard[]): SpeedPlace[] {
  const strong = [...all].sort((a, b) => b.strength - a.strength).slice(0, MOST_WEIGHED)
  const weighed = strong.map((one) => {
    const others = new Map<number, number>()
    for (const other of strong) {
      const apart = Math.abs(other.at - one.at) / ANALYSIS_RATE
      if (other.at === one.at || !sameSpeed(one, other)) continue
      if (Math.abs(other.startSeconds - one.startSeconds) > 0.1 + 3 * STEP * one.speed * (apart + one.at / ANALYSIS_RATE)) continue
      others.set(other.at, Math.max(others.get(other.at) ?? 0, other.strength))
    }
    const strength = Math.sqrt([...others.values()].reduce((sum, s) => sum + s * s, one.strength * one.strength))
    return { speed: one.speed, startSeconds: one.startSeconds, strength }
  })
  weighed.sort((a, b) => b.strength - a.strength)
  const kept: SpeedPlace[] = []
  for (const one of weighed) {
    if (kept.length >= KEEP) break
    if (!kept.some((k) => sameSpeed(k, one))) kept.push(one)
  }
  return kept
}

const sameSpeed = (a: SpeedPlace, b: SpeedPlace) => Math.abs(a.speed / b.speed - 1) < 3 * STEP

/** The loudest instants of a clip, samples, each in a stretch of its own, the middle first. */
function loudest(clip: SampleSource): number[] {
  const stretch = Math.floor(clip.length / WINDOWS)
  const step = ANALYSIS_RATE / 2
  const order = Array.from({ length: WINDOWS }, (_, i) => (i + (WINDOWS >> 1)) % WINDOWS)
  return order.map((n) => {
    let best = { at: n * stretch + (stretch >> 1), power: -1 }
    for (let from = n * stretch; from + step <= (n + 1) * stretch; from += step) {
      const power = clip.read(from, from + step).reduce((s, x) => s + x * x, 0)
      if (power > best.power) best = { at: from + (step >> 1), power }
    }
    return best.at
  })
}

/** A stretch of the clip around one of its samples, at half the sampling rate each, and which of its samples that is. */
type Octaves = readonly { readonly samples: Float32Array; readonly at: number }[]

function octavesAround(clip: SampleSource, at: number): Octaves {
  const reach = Math.ceil(((WINDOW / 2 + AROUND) * ANALYSIS_RATE) / (TRIED_RATE * SLOWEST))
  const from = Math.max(0, at - reach)
  const out = [{ samples: clip.read(from, Math.min(clip.length, at + reach)), at: at - from }]
  for (let n = 1; n < 4; n++) out.push({ samples: resample(out[n - 1].samples, 0.5), at: out[n - 1].at / 2 })
  return out
}

/** The greatest by size, where it is, and the spread of all, told by every fourth. */
function peakOf(values: Float32Array): { top: number; lag: number; spread: number } {
  let squares = 0
  for (let k = 0; k < values.length; k += 4) squares += values[k] * values[k]
  let top = 0
  let lag = 0
  for (let k = 0; k < values.length; k++) {
    const v = values[k]
    if (v > top || -v > top) {
      top = Math.abs(v)
      lag = k
    }
  }
  return { top, lag, spread: Math.sqrt((4 * squares) / values.length) }
}

/** The master at a low sampling rate, whitened and transformed in blocks. */
class Grid {
  readonly #rate: number
  readonly #blocks: Packed[] = []
  readonly #length: number
  readonly #correlator = new Correlator(BLOCK)

  constructor(master: SampleSource, rate: number) {
    this.#rate = rate
    const white = whitened(sourceOf(resample(master.read(0, master.length), rate / ANALYSIS_RATE)), ...BAND)
    this.#length = white.length
    for (let from = 0; from < white.length; from += BLOCK - WINDOW) this.#blocks.push(packed(white.subarray(from, from + BLOCK), BLOCK))
  }

  /** Where a window of the clip around one of its samples fits best at a speed; nowhere near the ends of the clip. */
  find(octaves: Octaves, at: number, speed: number): Heard[] {
    const whole = (speed * this.#rate) / ANALYSIS_RATE
    // From the octave that is nearest above, so that little is to be filtered.
    const octave = Math.max(0, Math.min(octaves.length - 1, Math.floor(-Math.log2(whole))))
    const ratio = whole * 2 ** octave
    const here = octaves[octave]
    const half = Math.ceil((WINDOW / 2 + AROUND) / ratio)
    const first = Math.round(here.at) - half
    if (first < 0 || first + 2 * half > here.samples.length) return []
    const slow = whitened(sourceOf(resample(here.samples.subarray(first, first + 2 * half), ratio)), ...BAND)
    const middle = Math.round((here.at - first) * ratio)
    this.#correlator.want(packedTurned(slow.subarray(middle - WINDOW / 2, middle + WINDOW / 2), BLOCK))
    const peaks: ReturnType<typeof peakOf>[] = []
    for (const [i, block] of this.#blocks.entries()) {
      const from = i * (BLOCK - WINDOW)
      this.#correlator.addIn(block)
      // Only where the whole window lies on the master.
      const count = Math.min(BLOCK - WINDOW, this.#length - WINDOW - from)
      if (count < WINDOW) continue
      const found = peakOf(this.#correlator.take(count))
      peaks.push({ ...found, lag: from + found.lag })
    }
    // Where the master is quiet chance is no smaller than elsewhere.
    const usual = peaks.map((p) => p.spread).sort((a, b) => a - b)[peaks.length >> 1]
    return peaks
      .map((p) => ({
        at,
        speed,
        startSeconds: (p.lag + WINDOW / 2) / this.#rate - (at / ANALYSIS_RATE) * speed,
        strength: p.top / Math.max(p.spread, usual, 1e-9),
      }))
      .sort((a, b) => b.strength - a.strength)
      .slice(0, PLACES)
  }
  [Symbol.dispose](): void {
    this.#correlator[Symbol.dispose]()
  }
}
