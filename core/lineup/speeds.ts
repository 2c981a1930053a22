import {
  ANALYSIS_RATE,
  type BandFeatures,
  Correlator,
  type Packed,
  packed,
  packedTurned,
  resample,
  type SampleSource,
  sliceFeatures,
  sourceOf,
  stretchFeatures,
  whitened,
} from '../signal/index.ts'
import { type CoarseReference, FRAME_SECONDS } from './coarse.ts'

/** Speeds that shooting practice uses: frame rates over each other. */
export const COMMON_SPEEDS = [1.5, 2, 1.25, 1.2, 4 / 3, 25 / 24, 24 / 25, 0.5, 0.8, 2.4, 2.5, 1.1, 0.75, 2 / 3, 0.9, 3, 4] as const

/** Of a long clip the middle tells enough, s. */
const EXCERPT_SECONDS = 240
/** Speeds worth the fine stage: those whose stretched features correlate best with the master. */
export function promisingSpeeds(reference: CoarseReference, all: BandFeatures, speeds: readonly number[]): number[] {
  const most = Math.round(EXCERPT_SECONDS / FRAME_SECONDS)
  const first = Math.max(0, (all.frames - most) >> 1)
  const features = sliceFeatures(all, first, first + most)
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
const AROUND = 1024
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
export function anySpeeds(master: SampleSource, clip: SampleSource, onStep: () => void = () => undefined): SpeedPlace[] {
  const all: Heard[] = []
  const grids = [new Grid(master, TRIED_RATE), new Grid(master, 2 * TRIED_RATE)]
  let kept: SpeedPlace[] = []
  for (const at of loudest(clip)) {
    for (let speed = SLOWEST; speed <= FASTEST; speed *= 1 + STEP) {
      onStep()
      all.push(...grids[speed < SLOW ? 1 : 0].find(clip, at, speed))
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

/** The master at a low sampling rate, whitened and transformed in blocks. */
class Grid {
  readonly #rate: number
  readonly #blocks: Packed[] = []
  readonly #length: number

  constructor(master: SampleSource, rate: number) {
    this.#rate = rate
    const white = whitened(sourceOf(resample(master.read(0, master.length), rate / ANALYSIS_RATE)), ...BAND)
    this.#length = white.length
    for (let from = 0; from < white.length; from += BLOCK - WINDOW) this.#blocks.push(packed(Float32Array.from(white.subarray(from, from + BLOCK)), BLOCK))
  }

  /** Where a window of the clip around one of its samples fits best at a speed; nowhere near the ends of the clip. */
  find(clip: SampleSource, at: number, speed: number): Heard[] {
    const ratio = (speed * this.#rate) / ANALYSIS_RATE
    const half = Math.ceil((WINDOW / 2 + AROUND) / ratio)
    if (at < half || at + half > clip.length) return []
    const slow = whitened(sourceOf(resample(clip.read(at - half, at + half), ratio)), ...BAND)
    const middle = Math.round(half * ratio)
    const window = packedTurned(Float32Array.from(slow.subarray(middle - WINDOW / 2, middle + WINDOW / 2)), BLOCK)
    using correlator = new Correlator(BLOCK)
    const peaks: { spread: number; top: number; lag: number }[] = []
    for (const [i, block] of this.#blocks.entries()) {
      const from = i * (BLOCK - WINDOW)
      correlator.add(block, window)
      // Only where the whole window lies on the master.
      const lags = correlator.take().subarray(0, Math.min(BLOCK - WINDOW, this.#length - WINDOW - from))
      let squares = 0
      let top = 0
      for (let k = 0; k < lags.length; k++) {
        squares += lags[k] * lags[k]
        if (Math.abs(lags[k]) > Math.abs(lags[top])) top = k
      }
      if (lags.length > WINDOW) peaks.push({ spread: Math.sqrt(squares / lags.length), top: Math.abs(lags[top]), lag: from + top })
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
}
