import { ANALYSIS_RATE, emptySpectrum, inverseReal, realSpectrum, type SampleSource, type Spectrum } from '../signal/index.ts'
import { parabola } from './coarse.ts'

/** One short stretch of a clip compared with the master by itself. */
export interface WindowMeasure {
  /** Middle of the stretch in clip time, s. */
  readonly clipSeconds: number
  /** How much later than predicted the clip's sound lies on the master, s. */
  readonly lagSeconds: number
  /** Height of the peak over the spread of the other lags. */
  readonly strength: number
  /** Generalised correlation at the peak, −1..1; negative for turned polarity. */
  readonly coherence: number
}

/** Window strength below which a peak may be chance. */
export const STRONG = 8
/** Lags searched on either side of the prediction, samples (64 ms: two frames of the coarse search and the room). */
const REACH = 512
/** Lags on either side used to judge what chance gives, samples. */
const SURROUND = 4000
/** Bands outside hold hum or what codecs removed, Hz. */
const LOW_HZ = 120
const HIGH_HZ = 3700

/** Bins this far below the strongest (−60 dB in power) hold rounding and codec dirt, no sound of the event. */
const EMPTY_BIN = 1e-6

/** Spectra kept at most: half a megabyte each. */
const MOST_KEPT = 80

/** Spectra of a clip's windows, kept while the same window is tried at several places. */
export type WindowCache = Map<string, Spectrum>

/**
 * Generalised cross-correlation with phase transform of one window
 * (Knapp & Carter 1976, "The generalized correlation method for estimation of time delay").
 * @param master mono at {@link ANALYSIS_RATE}
 * @param clip mono at {@link ANALYSIS_RATE}, at the master's speed
 * @param clipFrom first sample of the window in the clip
 * @param length samples in the window
 * @param predictedStart master sample of the clip's sample 0 by the estimate so far
 * @param cache spectra of this clip's windows, filled here
 * @param reach lags searched on either side, samples, at most 3900
 * @returns null where either side is silent or the window leaves the master
 */
export function measureWindow(
  master: SampleSource,
  clip: SampleSource,
  clipFrom: number,
  length: number,
  predictedStart: number,
  cache: WindowCache = new Map(),
  reach = REACH,
): WindowMeasure | null {
  const margin = SURROUND
  const at = Math.round(predictedStart) + clipFrom
  if (at < 0 || at + length > master.length || clipFrom < 0 || clipFrom + length > clip.length) return null
  let size = 4
  while (size < length * 2 + margin) size *= 2
  const key = `${clipFrom}:${length}`
  let x = cache.get(key)
  if (!x) {
    const a = clip.read(clipFrom, clipFrom + length)
    if (energy(a) < 1e-9 * length) return null
    x = realSpectrum(tapered(a), size)
    if (cache.size >= MOST_KEPT) cache.clear()
    cache.set(key, x)
  }
  const b = master.read(at, at + length)
  if (energy(b) < 1e-9 * length) return null
  const y = realSpectrum(tapered(b), size)
  const floorX = EMPTY_BIN * strongest(x)
  const floorY = EMPTY_BIN * strongest(y)
  const { re, im } = emptySpectrum(size)
  const low = Math.ceil((LOW_HZ / ANALYSIS_RATE) * size)
  const high = Math.floor((HIGH_HZ / ANALYSIS_RATE) * size)
  let total = 0
  for (let k = low; k <= high; k++) {
    const cr = y.re[k] * x.re[k] + y.im[k] * x.im[k]
    const ci = y.im[k] * x.re[k] - y.re[k] * x.im[k]
    const magnitude = Math.sqrt(cr * cr + ci * ci)
    if (magnitude <= 0 || x.re[k] * x.re[k] + x.im[k] * x.im[k] < floorX || y.re[k] * y.re[k] + y.im[k] * y.im[k] < floorY) continue
    re[k] = cr / magnitude
    im[k] = ci / magnitude
    total++
  }
  const correlation = inverseReal({ size, re, im })
  const scale = total > 0 ? size / (2 * total) : 0
  const values = new Float64Array(2 * margin + 1)
  for (let i = 0; i < values.length; i++) {
    const lag = i - margin
    values[i] = correlation[lag < 0 ? lag + size : lag] * scale
  }
  let best = margin
  for (let i = margin - reach; i <= margin + reach; i++) if (Math.abs(values[i]) > Math.abs(values[best])) best = i
  const sign = Math.sign(values[best]) || 1
  // Peaks of turned polarity are as good as upright ones; the stronger of both is taken.
  const upright = sign > 0 ? values : values.map((v) => -v)
  let sum = 0
  let n = 0
  for (let i = 0; i < values.length; i++) {
    if (Math.abs(i - best) < 24) continue
    sum += values[i] * values[i]
    n++
  }
  const spread = Math.sqrt(sum / Math.max(1, n))
  const lag = best + parabola(upright, best) - margin
  const shift = Math.round(predictedStart) - predictedStart
  return {
    clipSeconds: (clipFrom + length / 2) / ANALYSIS_RATE,
    lagSeconds: (lag + shift) / ANALYSIS_RATE,
    strength: spread > 0 ? Math.abs(values[best]) / spread : 0,
    coherence: values[best],
  }
}

const tapers = new Map<number, Float32Array>()

/**
 * Fades a window in and out over an eighth of its length each. Without it the cut-off edges of both windows, which stand
 * at the same place by construction, correlate in all empty bins and would confirm any prediction.
 */
export function tapered(samples: Float32Array): Float32Array {
  const n = samples.length
  let taper = tapers.get(n)
  if (!taper) {
    const ramp = Math.floor(n / 8)
    taper = Float32Array.from({ length: n }, (_, i) => {
      const edge = Math.min(i, n - 1 - i)
      return edge >= ramp ? 1 : 0.5 - 0.5 * Math.cos((Math.PI * edge) / ramp)
    })
    if (tapers.size > 8) tapers.clear()
    tapers.set(n, taper)
  }
  const out = new Float32Array(n)
  for (let i = 0; i < n; i++) out[i] = samples[i] * taper[i]
  return out
}

function strongest(spectrum: Spectrum): number {
  let max = 0
  for (let k = 0; k < spectrum.re.length; k++) max = Math.max(max, spectrum.re[k] * spectrum.re[k] + spectrum.im[k] * spectrum.im[k])
  return max
}

export function energy(samples: Float32Array): number {
  let sum = 0
  for (const x of samples) sum += x * x
  return sum
}
