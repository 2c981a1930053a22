import { ANALYSIS_RATE, emptySpectrum, inverseReal, realSpectrum, type SampleSource, type Spectrum, sourceOf, whitened } from '../signal/index.ts'
import { energy, tapered } from './windows.ts'

/** A place on the master that a clip may have: master second of clip second 0, and master seconds in one clip second. */
export interface Line {
  readonly startSeconds: number
  readonly rate: number
}

/** What speaks for two places, standard deviations of chance. */
export interface Compared {
  readonly ofA: number
  readonly ofB: number
  readonly forA: number
}

/** Windows compared: length in samples (3.5 s), how many at most. */
const LENGTH = 28000
const MOST_WINDOWS = 16
/** Spectra are averaged over this many bins to either side (about 35 Hz), so that a short room fits in. */
const SMOOTH = 290
/** Lags around the place that count as hit, samples, and those around by which chance is judged. */
const HIT = 2
const SURROUND = 3000
const LOW_HZ = 100
const HIGH_HZ = 3700

/**
 * Where music repeats itself, two places on the master resemble a clip alike; only what differs between them can tell.
 * In each window all that the one place explains (by a smoothed transfer function) is taken from the clip and from the
 * other place, and what is left of both is correlated: partial coherence, after Bendat & Piersol, "Random Data", ch. 7.
 * A clip that belongs to a place goes on resembling it; where it does not belong, nothing but chance is left. One that belongs to
 * neither resembles something of both.
 * @param clip at the master's speed
 * @param sign −1 for a clip of turned polarity
 * @param asked `which` of both it is, though something louder lies over it: what is left of the clip is whitened in time and
 *   frequency, and all windows are late by the same sample or two. Or what is `left` of `b` where `a` was found: as it sounds,
 *   each window by itself, since people who play a passage again are now before, now behind
 * @returns what is heard of each place that the other has not, and how much more speaks for `a` than for `b`, all in standard
 *   deviations of chance; null when nothing can be compared
 */
export function compareLines(master: SampleSource, clip: SampleSource, a: Line, b: Line, sign: number, asked: 'which' | 'left'): Compared | null {
  const first = Math.max(0, ...[a, b].map((l) => Math.ceil((-l.startSeconds / l.rate) * ANALYSIS_RATE) + 1))
  const last = Math.min(clip.length, ...[a, b].map((l) => Math.floor((master.length - l.startSeconds * ANALYSIS_RATE) / l.rate) - 1))
  const length = Math.min(LENGTH, last - first)
  if (length < ANALYSIS_RATE) return null
  const count = Math.max(1, Math.min(MOST_WINDOWS, Math.floor((last - first - length) / (length / 2)) + 1))
  const [ofA, ofB] = [new Float64Array(2 * HIT + 1), new Float64Array(2 * HIT + 1)]
  let windows = 0
  for (let i = 0; i < count; i++) {
    const from = first + Math.floor(count === 1 ? 0 : ((last - first - length) * i) / (count - 1))
    const x = clip.read(from, from + length)
    const [ya, yb] = [a, b].map((line) => {
      const at = Math.round(line.startSeconds * ANALYSIS_RATE + line.rate * (from + length / 2) - length / 2)
      return at < 0 || at + length > master.length ? null : master.read(at, at + length)
    })
    if (!ya || !yb || [x, ya, yb].some((s) => energy(s) < 1e-9 * length)) continue
    let size = 4
    while (size < length + SURROUND) size *= 2
    const [sx, sa, sb] = [x, ya, yb].map((s) => realSpectrum(tapered(s), size))
    for (const [of, own, other] of [[ofA, sa, sb] as const, [ofB, sb, sa] as const]) {
      const rest = restCorrelation(sx, own, other, SMOOTH, asked === 'which' ? whitenedRest : undefined)
      const lags = Array.from(of, (_, i) => rest.at(i - HIT))
      const hit = greatest(lags)
      for (let i = 0; i < lags.length; i++) of[i] += asked === 'which' ? lags[i] : hit
    }
    windows++
  }
  if (windows === 0) return null
  const [byA, byB] = [ofA, ofB].map((of) => (sign * greatest(of)) / Math.sqrt(windows))
  return { ofA: byA, ofB: byB, forA: (byA - byB) / Math.SQRT2 }
}

/**
 * What two sounds still have in common when all that a third explains of both is taken away: their correlation by lag, in
 * samples, over its spread far from no lag (standard deviations of chance).
 * @param smooth bins to either side over which spectra are averaged: fewer allow for a longer room, and leave less to compare
 * @param evened what is done to the rest of the first before it is correlated
 */
export function restCorrelation(
  x: Spectrum,
  own: Spectrum,
  other: Spectrum,
  smooth = SMOOTH,
  evened: (rest: Spectrum) => Spectrum = (rest) => rest,
): { at: (lag: number) => number } {
  const low = Math.ceil((LOW_HZ / ANALYSIS_RATE) * x.size)
  const high = Math.floor((HIGH_HZ / ANALYSIS_RATE) * x.size)
  const [otherPower, clipByOther, ownByOther] = [
    smoothedCross(other, other, low, high, smooth),
    smoothedCross(x, other, low, high, smooth),
    smoothedCross(own, other, low, high, smooth),
  ]
  const rest = (s: Spectrum, by: Smoothed): Spectrum => {
    const { re, im } = emptySpectrum(s.size)
    for (let k = low; k <= high; k++) {
      const p = otherPower.re[k - low] + 1e-12
      const [hr, hi] = [by.re[k - low] / p, by.im[k - low] / p]
      re[k] = s.re[k] - (hr * other.re[k] - hi * other.im[k])
      im[k] = s.im[k] - (hr * other.im[k] + hi * other.re[k])
    }
    return { size: s.size, re, im }
  }
  const [p, q] = [evened(rest(x, clipByOther)), rest(own, ownByOther)]
  // Both are brought to an even spectrum, smoothly, so that no single band decides; what differs more counts more.
  const [clipPower, ownPower] = [smoothedCross(p, p, low, high), smoothedCross(own, own, low, high)]
  const { re, im } = emptySpectrum(x.size)
  for (let k = low; k <= high; k++) {
    const even = 1 / Math.sqrt(clipPower.re[k - low] * ownPower.re[k - low] + 1e-20)
    re[k] = (q.re[k] * p.re[k] + q.im[k] * p.im[k]) * even
    im[k] = (q.im[k] * p.re[k] - q.re[k] * p.im[k]) * even
  }
  const correlation = inverseReal({ size: x.size, re, im })
  const at = (lag: number) => correlation[lag < 0 ? lag + x.size : lag]
  let sum = 0
  let n = 0
  for (let lag = 24; lag <= SURROUND; lag++) {
    sum += at(lag) ** 2 + at(-lag) ** 2
    n += 2
  }
  const spread = Math.sqrt(sum / n)
  return { at: (lag) => (spread > 0 ? at(lag) / spread : 0) }
}

/** The one farthest from nothing. */
const greatest = (values: ArrayLike<number>): number => Array.from(values).reduce((top, v) => (Math.abs(v) > Math.abs(top) ? v : top), 0)

/** Brings every short stretch of every narrow band to one level: in the pauses of a shout beside the microphone most is heard of the rest. */
function whitenedRest(spectrum: Spectrum): Spectrum {
  const samples = Float32Array.from(inverseReal(spectrum))
  return realSpectrum(Float32Array.from(whitened(sourceOf(samples), LOW_HZ / ANALYSIS_RATE, HIGH_HZ / ANALYSIS_RATE)), spectrum.size)
}

interface Smoothed {
  readonly re: Float64Array
  readonly im: Float64Array
}

/** Moving average of s × conj(t) over bins. */
function smoothedCross(s: Spectrum, t: Spectrum, low: number, high: number, smooth = SMOOTH): Smoothed {
  const n = high - low + 1
  const sumRe = new Float64Array(n + 1)
  const sumIm = new Float64Array(n + 1)
  for (let i = 0; i < n; i++) {
    const k = low + i
    sumRe[i + 1] = sumRe[i] + s.re[k] * t.re[k] + s.im[k] * t.im[k]
    sumIm[i + 1] = sumIm[i] + s.im[k] * t.re[k] - s.re[k] * t.im[k]
  }
  const re = new Float64Array(n)
  const im = new Float64Array(n)
  for (let i = 0; i < n; i++) {
    const a = Math.max(0, i - smooth)
    const b = Math.min(n, i + smooth + 1)
    re[i] = (sumRe[b] - sumRe[a]) / (b - a)
    im[i] = (sumIm[b] - sumIm[a]) / (b - a)
  }
  return { re, im }
}
