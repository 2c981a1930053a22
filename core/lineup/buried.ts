import { ANALYSIS_RATE, Correlator, type Packed, packed, packedTurned, powerOfTwo, type SampleSource, WHITE_STEPS, whitened } from '../signal/index.ts'
import { parabola } from './coarse.ts'

/** A window of the clip, and how much it says for the place by itself, standard deviations of chance. */
export interface Said {
  readonly clipSeconds: number
  readonly strength: number
}

/** What all windows of a clip together say. */
export interface Sum {
  /** Master time of clip time 0, s. */
  readonly startSeconds: number
  /** Master seconds in one clip second. */
  readonly rate: number
  /** Height of the sum over the spread that it has elsewhere. */
  readonly strength: number
  /** The same without the window that says most: one sound in common is no proof. */
  readonly rest: number
  readonly inverted: boolean
  readonly windows: readonly Said[]
}

export interface SumResult {
  readonly best: Sum
  /** Other places by falling strength. */
  readonly rivals: readonly Sum[]
  /** Strength by place, for drawing: `curve[i]` is the best around `curveStart + i × curveStep` seconds. */
  readonly curve: Float32Array
  readonly curveStart: number
  readonly curveStep: number
}

/** Band that is whitened, as shares of the sampling rate. */
const LOW = 120 / ANALYSIS_RATE
const HIGH = 3700 / ANALYSIS_RATE
/** Samples in a window: 4 s; clocks that differ by 50 ppm part by less than two samples in it. */
const WINDOW = 4 * ANALYSIS_RATE
/** Windows that are searched everywhere together. */
const MOST_WINDOWS = 4
/** Excerpts of longer clips, as shares of what is left beside one. */
const EXCERPTS = [0.5, 0.1, 0.9]
/** Longest transform of a stretch of the master, samples. */
const MOST_BLOCK = 1 << 18
/** Clocks differ by no more. */
const MOST_DRIFT = 120e-6
/** The drift of four windows is unsure by this: more than a step between two that are tried. */
const DRIFT_UNSURE = 60e-6
/** Fewest samples in common. */
const LEAST_OVERLAP = 6 * ANALYSIS_RATE
/** Places nearer than this are the same one, samples. */
const APART = 160
/** Lags over which chance is judged around a place, samples. */
const SEGMENT = 8192
/** Below this, standard deviations, nothing is looked at again. */
const LEAST = 4.2
/** Places that are looked at again, and where music comes again and again: those that stand out almost as the first one does. */
const MOST_PLACES = 10
const MOST_ALIKE = 40
const ALIKE = 0.7
const STANDS_OUT = 6.5
/** Lags on either side of a place by which chance is judged when it is looked at again, samples. */
const SURROUND = 4000
/** What chance gives at least for one sample in common: half of what two noises give, for what rings gives less. */
const LEAST_SPREAD = 0.5 * WHITE_STEPS * WHITE_STEPS
/** Windows of the whole clip, at least and at most. */
const LEAST_SUMMED = 5
const MOST_SUMMED = 90

/** A recording made ready for {@link searchSum}. */
export const whiteOf = (source: SampleSource): Int8Array => whitened(source, LOW, HIGH)

interface Place {
  /** Master sample of the clip's sample 0. */
  readonly start: number
  readonly drift: number
  /** Sample of the clip in the middle of what was searched: there the line is known best. */
  readonly middle: number
  readonly strength: number
}

/**
 * Looks for a clip whose event is buried under something louder, so deep that no single window tells its place: both
 * recordings are whitened, all windows of the clip are correlated with all of the master, and at each start the correlations
 * are added up along lines of several drifts. The place is judged by what the same sum gives everywhere else. What promises is
 * then summed over the whole clip, start and drift searched together. (Coherent summation along a line of motion, as in
 * track-before-detect; Knapp & Carter 1976 for the correlation.)
 * @param master whitened, see {@link whiteOf}
 * @param clip whitened, at the master's speed
 * @param near only starts within this are wanted
 * @returns null where nothing stands out at all
 */
export function searchSum(master: Int8Array, clip: Int8Array, near?: { startSeconds: number; tolerance: number }): SumResult | null {
  if (Math.min(clip.length, master.length) < LEAST_OVERLAP) return null
  const curve = new Curve(LEAST_OVERLAP - clip.length, master.length - LEAST_OVERLAP)
  const places: Place[] = []
  for (const from of excerptsOf(clip.length)) places.push(...searchExcerpt(master, clip, from, curve, near))
  places.sort((a, b) => b.strength - a.strength)
  const taken: Place[] = []
  for (const place of places) {
    const alike = place.strength > Math.max(STANDS_OUT, ALIKE * places[0].strength)
    if (taken.length >= (alike ? MOST_ALIKE : MOST_PLACES)) break
    if (taken.every((t) => Math.abs(t.start - place.start) > APART)) taken.push(place)
  }
  const sums = taken.flatMap((place) => sumUp(master, clip, place) ?? []).sort((a, b) => b.strength - a.strength)
  const rivals = sums.filter((s, i) => sums.findIndex((o) => Math.abs(o.startSeconds - s.startSeconds) * ANALYSIS_RATE < APART) === i)
  const [best, ...others] = rivals
  return best ? { best, rivals: others, ...curve.drawn() } : null
}

/** Where excerpts begin, samples; one of all where the clip is short. */
function excerptsOf(length: number): number[] {
  const room = length - MOST_WINDOWS * WINDOW
  return room <= WINDOW ? [Math.max(0, Math.floor(room / 2))] : EXCERPTS.map((share) => Math.floor(share * room))
}

/** The best strength around each of some hundred places. */
class Curve {
  static readonly #POINTS = 600
  readonly #first: number
  readonly #step: number
  readonly #values: Float32Array

  constructor(first: number, last: number) {
    this.#first = first
    this.#step = Math.max(1, Math.ceil((last - first + 1) / Curve.#POINTS))
    this.#values = new Float32Array(Math.ceil((last - first + 1) / this.#step))
  }

  put(start: number, strength: number): void {
    const at = Math.floor((start - this.#first) / this.#step)
    if (strength > this.#values[at]) this.#values[at] = strength
  }

  drawn(): Pick<SumResult, 'curve' | 'curveStart' | 'curveStep'> {
    return { curve: this.#values, curveStart: this.#first / ANALYSIS_RATE, curveStep: this.#step / ANALYSIS_RATE }
  }
}

/** Samples from (included) to (excluded) of a whitened recording; outside is nothing. */
function cut(samples: Int8Array, from: number, to: number): Float32Array {
  const out = new Float32Array(to - from)
  const a = Math.max(0, from)
  if (to > a) out.set(samples.subarray(a, Math.min(samples.length, to)), a - from)
  return out
}

/** Correlation at the lags from 0 on: how well the window fits where it begins so many samples into the block. */
function correlate(correlator: Correlator, block: Packed, window: Packed): Float32Array {
  correlator.add(block, window)
  return correlator.take()
}

/** Adds what lies from there on. */
function addInto(sum: Float32Array, values: Float32Array, from: number): void {
  for (let i = 0; i < sum.length; i++) sum[i] += values[from + i]
}

/** Keeps the greater of both by size, and which drift it has. */
function keepGreater(best: Float32Array, drift: Uint8Array, sum: Float32Array, d: number): void {
  for (let i = 0; i < best.length; i++)
    if (Math.abs(sum[i]) > Math.abs(best[i])) {
      best[i] = sum[i]
      drift[i] = d
    }
}

function rootMean(values: Float32Array): number {
  let squares = 0
  for (let i = 0; i < values.length; i++) squares += values[i] * values[i]
  return Math.sqrt(squares / values.length)
}

/** Where the greatest by size is. */
function highest(values: Float32Array): number {
  let top = 0
  for (let i = 1; i < values.length; i++) if (Math.abs(values[i]) > Math.abs(values[top])) top = i
  return top
}

/** Searches some windows of the clip on all of the master. */
function searchExcerpt(master: Int8Array, clip: Int8Array, from: number, curve: Curve, near: { startSeconds: number; tolerance: number } | undefined): Place[] {
  const window = Math.min(WINDOW, Math.floor(clip.length / 3))
  const count = Math.min(MOST_WINDOWS, Math.floor((clip.length - from) / window))
  const span = count * window
  const middle = from + span / 2
  const half = Math.ceil(MOST_DRIFT * (span / 2)) + 1
  const size = powerOfTwo(Math.min(master.length + 2 * span, Math.max(MOST_BLOCK, 2 * span)))
  const windows = Array.from({ length: count }, (_, i) => packedTurned(cut(clip, from + i * window, from + (i + 1) * window), size))
  // One more drift for each sample by which the outermost windows part.
  const reach = Math.floor(MOST_DRIFT * ((count - 1) / 2) * window)
  const drifts = Array.from({ length: 2 * reach + 1 }, (_, i) => (reach === 0 ? 0 : ((i - reach) / reach) * MOST_DRIFT))
  const shifts = drifts.map((drift) => Array.from({ length: count }, (_, i) => Math.round(drift * (i - (count - 1) / 2) * window)))
  const step = size - span - 2 * half
  const least = Math.min(LEAST_OVERLAP, span)
  let first = least - span
  let last = master.length - least
  if (near) {
    first = Math.max(first, Math.floor((near.startSeconds - near.tolerance) * ANALYSIS_RATE) + from)
    last = Math.min(last, Math.ceil((near.startSeconds + near.tolerance) * ANALYSIS_RATE) + from)
  }
  const out: Place[] = []
  using correlator = new Correlator(size)
  for (let at = first; at <= last; at += step) {
    const block = packed(cut(master, at - half, at - half + size), size)
    const found = windows.map((w) => correlate(correlator, block, w))
    const starts = Math.min(step, last - at + 1)
    const best = new Float32Array(starts)
    const drift = new Uint8Array(starts)
    const sum = new Float32Array(starts)
    const sumFor = (shift: readonly number[]) => {
      sum.fill(0)
      for (let i = 0; i < count; i++) addInto(sum, found[i], half + i * window + shift[i])
    }
    for (const [d, shift] of shifts.entries()) {
      sumFor(shift)
      keepGreater(best, drift, sum, d)
    }
    sumFor(shifts[reach])
    for (let s = 0; s < starts; s += SEGMENT) {
      const end = Math.min(starts, s + SEGMENT)
      const local = rootMean(sum.subarray(s, end))
      for (let k = s; k < end; k += APART) {
        const top = k + highest(best.subarray(k, Math.min(end, k + APART)))
        const start = at + top
        const overlap = Math.min(master.length, start + span) - Math.max(0, start)
        const strength = Math.abs(best[top]) / Math.max(local, LEAST_SPREAD * Math.sqrt(Math.max(1, overlap)))
        curve.put(start - from, strength)
        if (strength < LEAST) continue
        // The line is through the middle of the excerpt.
        out.push({ start: start - from - drifts[drift[top]] * middle, drift: drifts[drift[top]], middle, strength })
      }
    }
  }
  return out.sort((a, b) => b.strength - a.strength).slice(0, MOST_ALIKE)
}

/** Windows over the whole overlap of clip and master. */
function windowsAt(master: Int8Array, clip: Int8Array, { start, drift }: Place): { from: number; length: number }[] {
  const a = Math.max(0, Math.ceil(-start) + SURROUND)
  const b = Math.min(clip.length, Math.floor((master.length - start) / (1 + drift)) - SURROUND)
  const length = Math.min(WINDOW, Math.floor((b - a) / LEAST_SUMMED))
  if (length < ANALYSIS_RATE) return []
  const count = Math.floor((b - a) / length)
  const used = Math.min(count, MOST_SUMMED)
  return Array.from({ length: used }, (_, i) => ({ from: a + Math.floor((i * (b - a - length)) / Math.max(1, used - 1)), length }))
}

/** Sums the windows of the whole clip around a place, over starts and drifts. */
function sumUp(master: Int8Array, clip: Int8Array, place: Place): Sum | null {
  const windows = windowsAt(master, clip, place)
  if (windows.length < 2) return null
  const size = powerOfTwo(windows[0].length + 2 * SURROUND + 1)
  using correlator = new Correlator(size)
  const found = windows.map(({ from, length }) => {
    const middle = from + length / 2
    const at = Math.round(place.start + from + place.drift * middle)
    const lags = correlate(correlator, packed(cut(master, at - SURROUND, at + length + SURROUND), size), packedTurned(cut(clip, from, from + length), size))
    const values = lags.subarray(0, 2 * SURROUND + 1)
    const spread = Math.max(rootMean(values), 0.2 * LEAST_SPREAD * Math.sqrt(length))
    return { middle, values: values.map((v) => v / spread), late: at - (place.start + from + place.drift * middle) }
  })
  const anchor = (found[0].middle + found[found.length - 1].middle) / 2
  const half = Math.max(1, (found[found.length - 1].middle - found[0].middle) / 2)
  const root = Math.sqrt(found.length)
  // Drift in steps that move the outermost windows by half a sample.
  const steps = Math.ceil((DRIFT_UNSURE * half) / 0.5)
  const reach = Math.ceil(DRIFT_UNSURE * Math.abs(anchor - place.middle)) + 12
  const sumAt = (offset: number, drift: number) => {
    let sum = 0
    for (const f of found) {
      const lag = Math.round(offset + drift * (f.middle - anchor) - f.late) + SURROUND
      sum += f.values[lag] ?? 0
    }
    return sum / root
  }
  let best = { offset: 0, drift: 0, value: 0 }
  for (let k = -steps; k <= steps; k++)
    for (let offset = -reach; offset <= reach; offset++) {
      const drift = (0.5 * k) / half
      const value = sumAt(offset, drift)
      if (Math.abs(value) > Math.abs(best.value)) best = { offset, drift, value }
    }
  const sign = Math.sign(best.value) || 1
  const around = (list: number[]) =>
    parabola(
      list.map((v) => sign * v),
      1,
    )
  const offset = best.offset + around([-1, 0, 1].map((d) => sumAt(best.offset + d, best.drift)))
  const oneStep = 1 / half
  const drift = best.drift + oneStep * around([-1, 0, 1].map((d) => sumAt(best.offset, best.drift + d * oneStep)))
  const said = found.map((f) => sign * (f.values[Math.round(offset + drift * (f.middle - anchor) - f.late) + SURROUND] ?? 0))
  const rest = (said.reduce((s, v) => s + v, 0) - Math.max(...said)) / Math.sqrt(said.length - 1)
  const whole = place.drift + drift
  return {
    startSeconds: (place.start + offset - drift * anchor) / ANALYSIS_RATE,
    rate: 1 + whole,
    strength: Math.abs(best.value),
    rest,
    inverted: sign < 0,
    windows: found.map((f, i) => ({ clipSeconds: f.middle / ANALYSIS_RATE, strength: said[i] })),
  }
}
