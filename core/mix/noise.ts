import { emptySpectrum, hann, inverseReal, realSpectrum, type Spectrum } from '../signal/index.ts'
import { decibelsToGain } from './gain.ts'

/** Steady noise, known from a stretch where nothing else is heard, is taken down. */
export interface Noise {
  readonly on: boolean
  /** How far it is taken down at most, dB. */
  readonly reductionDb: number
  /** Power in each of {@link NOISE_BANDS} bands, dB for one bin of a transform. */
  readonly bandsDb: readonly number[]
}

/** Gusts of wind and what shakes a stand: lows are taken down while they rise above what lies over them. */
export interface Wind {
  readonly on: boolean
  /** They reach up to here, Hz. */
  readonly hz: number
}

export const NOISE_BANDS = 48
const SIZE = 1024
const HOP = SIZE / 4
const BINS = SIZE / 2 + 1
const LOWEST_HZ = 40
const HIGHEST_HZ = 20_000

/** Sound comes out of a {@link SpectralRun} so much later, frames. */
export const SPECTRAL_LATENCY = SIZE

/** Share of the frame before in what is taken for the signal's part (decision-directed). */
const TRUST = 0.97
/** Least ratio of signal to noise that is reckoned with. */
const LEAST_RATIO = 0.003
/** Lows may have so much more power than what lies above them: voices do not have more. */
const WIND_OVER = 2
const MOST_WIND = decibelsToGain(-30)
/** A gain of lows goes back to 1 by this share a frame. */
const WIND_RELEASE = 0.06

const WINDOW = Float32Array.from(hann(SIZE), Math.sqrt)
/** Windows of both ways overlap four times. */
const OVERLAP = 0.5

/** Band of each bin, with fractions: bands are as wide as each other in octaves. */
function bandOfBin(bin: number, rate: number): number {
  const hz = Math.max(LOWEST_HZ, Math.min(HIGHEST_HZ, (bin * rate) / SIZE))
  return (Math.log(hz / LOWEST_HZ) / Math.log(HIGHEST_HZ / LOWEST_HZ)) * (NOISE_BANDS - 1)
}

/**
 * What noise a stretch holds: mean power of its bands.
 * @param samples one channel, at least 1024 of them
 * @param rate frames a second
 * @returns dB for a bin, {@link NOISE_BANDS} numbers
 * @throws RangeError when the stretch is too short to tell
 */
export function noiseOf(samples: Float32Array, rate: number): number[] {
  if (samples.length < SIZE) throw new RangeError(`noise is learnt from at least ${SIZE} frames`)
  const power = new Float64Array(BINS)
  let frames = 0
  const windowed = new Float32Array(SIZE)
  for (let from = 0; from + SIZE <= samples.length; from += HOP, frames++) {
    for (let i = 0; i < SIZE; i++) windowed[i] = WINDOW[i] * samples[from + i]
    const { re, im } = realSpectrum(windowed, SIZE)
    for (let k = 0; k < BINS; k++) power[k] += re[k] * re[k] + im[k] * im[k]
  }
  const [sums, shares] = [new Float64Array(NOISE_BANDS), new Float64Array(NOISE_BANDS)]
  for (let k = 0; k < BINS; k++) {
    const band = bandOfBin(k, rate)
    const [low, part] = [Math.floor(band), band % 1]
    for (const [i, share] of [
      [low, 1 - part],
      [low + 1, part],
    ]) {
      if (share === 0) continue
      sums[i] += (share * power[k]) / frames
      shares[i] += share
    }
  }
  // Low bands lie closer than bins: those between two bins are as their neighbours.
  const decibels = Array.from(sums, (sum, i) => (shares[i] > 1e-3 ? 10 * Math.log10(sum / shares[i] + 1e-14) : null))
  return decibels.map((d, i) => {
    if (d !== null) return d
    const [before, behind] = [decibels.findLastIndex((x, k) => k < i && x !== null), decibels.findIndex((x, k) => k > i && x !== null)]
    const [a, b] = [decibels[before] ?? decibels[behind], decibels[behind] ?? decibels[before]] as [number, number]
    return before >= 0 && behind >= 0 ? a + ((b - a) * (i - before)) / (behind - before) : a
  })
}

/** Noise power of each bin as its bands say. */
function binsOf(bandsDb: readonly number[], rate: number): Float64Array {
  return Float64Array.from({ length: BINS }, (_, k) => {
    const band = bandOfBin(k, rate)
    const low = Math.floor(band)
    const [a, b] = [bandsDb[low] ?? -140, bandsDb[Math.min(NOISE_BANDS - 1, low + 1)] ?? -140]
    return 10 ** ((a + (b - a) * (band - low)) / 10)
  })
}

/**
 * Takes steady noise and gusts of wind out of one channel. Noise goes by the log-spectral amplitude estimator with the
 * decision-directed ratio (Y. Ephraim, D. Malah, IEEE Trans. ASSP 33(2), 1985), which leaves no ringing rests.
 */
export class SpectralRun {
  readonly #rate: number
  readonly #held = new Float32Array(SIZE)
  readonly #sum = new Float32Array(SIZE)
  readonly #spectrum: Spectrum = emptySpectrum(SIZE)
  readonly #windowed = new Float32Array(SIZE)
  /** Power of the signal in the frame before, by its estimate, over that of the noise. */
  readonly #before = new Float64Array(BINS)
  #bands: readonly number[] = []
  #noise: Float64Array = new Float64Array(BINS)
  #lows = 1
  #at = 0

  constructor(rate: number) {
    this.#rate = rate
  }

  /** @param samples of the channel, in place; each comes out {@link SPECTRAL_LATENCY} later */
  run(noise: Noise | undefined, wind: Wind | undefined, samples: Float32Array): void {
    for (let n = 0; n < samples.length; ) {
      const count = Math.min(HOP - this.#at, samples.length - n)
      for (let i = 0; i < count; i++) {
        this.#held[SIZE - HOP + this.#at + i] = samples[n + i]
        samples[n + i] = this.#sum[this.#at + i]
      }
      n += count
      this.#at += count
      if (this.#at < HOP) continue
      this.#at = 0
      this.#sum.copyWithin(0, HOP)
      this.#sum.fill(0, SIZE - HOP)
      this.#frame(noise, wind)
      this.#held.copyWithin(0, HOP)
    }
  }

  #frame(noise: Noise | undefined, wind: Wind | undefined): void {
    const windowed = this.#windowed
    let any = false
    for (let i = 0; i < SIZE; i++) {
      windowed[i] = WINDOW[i] * this.#held[i]
      if (windowed[i] !== 0) any = true
    }
    if (!any) return
    const { re, im } = realSpectrum(windowed, SIZE)
    if (wind?.on) this.#calm(wind, re, im)
    if (noise?.on) this.#quieten(noise, re, im)
    this.#spectrum.re.set(re)
    this.#spectrum.im.set(im)
    const out = inverseReal(this.#spectrum)
    for (let i = 0; i < SIZE; i++) this.#sum[i] += OVERLAP * WINDOW[i] * out[i]
  }

  #calm({ hz }: Wind, re: Float32Array, im: Float32Array): void {
    const edge = Math.max(2, Math.round((hz * SIZE) / this.#rate))
    const power = (from: number, to: number) => {
      let sum = 0
      for (let k = from; k < to; k++) sum += re[k] * re[k] + im[k] * im[k]
      return sum / (to - from)
    }
    const [low, above] = [power(0, edge), power(2 * edge, Math.min(BINS, 6 * edge))]
    const wanted = low > WIND_OVER * above ? Math.max(MOST_WIND, Math.sqrt((WIND_OVER * above) / low)) : 1
    this.#lows = wanted < this.#lows ? wanted : this.#lows + WIND_RELEASE * (wanted - this.#lows)
    if (this.#lows > 0.999) return
    // From nothing taken away at twice the edge to all of it at the edge.
    for (let k = 0; k < 2 * edge; k++) {
      const part = k <= edge ? 1 : 1 - (k - edge) / edge
      const gain = 1 + part * (this.#lows - 1)
      re[k] *= gain
      im[k] *= gain
    }
  }

  #quieten({ reductionDb, bandsDb }: Noise, re: Float32Array, im: Float32Array): void {
    if (this.#bands !== bandsDb) {
      this.#bands = bandsDb
      this.#noise = binsOf(bandsDb, this.#rate)
    }
    const least = decibelsToGain(-reductionDb)
    for (let k = 0; k < BINS; k++) {
      const posterior = (re[k] * re[k] + im[k] * im[k]) / this.#noise[k]
      const prior = Math.max(LEAST_RATIO, TRUST * this.#before[k] + (1 - TRUST) * Math.max(0, posterior - 1))
      const wiener = prior / (1 + prior)
      const estimate = Math.min(1, wiener * Math.exp(0.5 * exponentialIntegral(wiener * posterior)))
      this.#before[k] = estimate * estimate * posterior
      const gain = Math.max(least, estimate)
      re[k] *= gain
      im[k] *= gain
    }
  }
}

/** E₁(x), x > 0, within 5·10⁻⁵ of itself (M. Abramowitz, I. Stegun, 5.1.53 and 5.1.56). */
export function exponentialIntegral(x: number): number {
  const v = Math.max(x, 1e-8)
  if (v <= 1) return -Math.log(v) - 0.57721566 + v * (0.99999193 + v * (-0.24991055 + v * (0.05519968 + v * (-0.00976004 + v * 0.00107857))))
  if (v > 50) return 0
  const top = 0.2677737343 + v * (8.6347608925 + v * (18.059016973 + v * (8.5733287401 + v)))
  const bottom = 3.9584969228 + v * (21.0996530827 + v * (25.6329561486 + v * (9.5733223454 + v)))
  return (Math.exp(-v) / v) * (top / bottom)
}
