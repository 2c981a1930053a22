import { hann, powerOfTwo, realSpectrum } from '../signal/index.ts'
import { type Biquad, notchSection } from './biquad.ts'

/** Hum of the mains: a tone and its harmonics, each taken out by a narrow notch. */
export interface Hum {
  readonly on: boolean
  /** Of the lowest, Hz. */
  readonly hz: number
  /** How many tones, the lowest among them; at most {@link MOST_HARMONICS}. */
  readonly harmonics: number
}

export const MOST_HARMONICS = 24
/** A notch is as wide as mains swing: all of them some hertz. */
const notchQ = (harmonic: number): number => Math.min(45, 18 + 2 * harmonic)

/** The notches of a hum; none above 0.45 of the rate. */
export const humSections = ({ hz, harmonics }: Hum, rate: number): readonly Biquad[] =>
  Array.from({ length: Math.min(harmonics, MOST_HARMONICS) }, (_, i) => i + 1)
    .filter((k) => k * hz < 0.45 * rate)
    .map((k) => notchSection(k * hz, notchQ(k), rate))

/** Mains of the world, Hz, and how far they swing. */
const MAINS = [50, 60] as const
const SWING = 0.3
/** A tone stands out of what lies beside it by so much, dB. */
const STANDS_OUT_DB = 9
/** Tones beside one that are no part of it, Hz. */
const BESIDE = [-9, -6.5, -4, 4, 6.5, 9]
/** What stands out counts as no more than this, dB: a strong tone of music is no hum. */
const MOST_DB = 25
/** Hum never ends: in no part of the stretch a tone of it is quieter than this against all of it, dB. */
const NEVER_BELOW_DB = -8
/** So many tones at least make a hum: a low note of music has some that fit as well. */
const LEAST_TONES = 3
/** The lowest by itself is hum where it stands out so far, dB. */
const PLAIN_DB = 20
/** Looked at in parts of this length, s. */
const PART = 1.5
/** Rate at which low tones are looked at, frames a second. */
const LOW_RATE = 4000

/** Power over frequency, mean and least of all parts. */
interface Powers {
  readonly mean: Float64Array
  readonly least: Float64Array
  /** Hz from one to the next. */
  readonly step: number
}

/**
 * Looks for hum in a stretch: the mains whose harmonics stand out most, and how many of them.
 * @param samples one channel; three seconds and more
 * @param rate frames a second, at least 4000
 * @returns null where there is none
 */
export function humIn(samples: Float32Array, rate: number): { hz: number; harmonics: number } | null {
  const by = Math.max(1, Math.floor(rate / LOW_RATE))
  const slow = rate / by
  const powers = powersOf(decimated(samples, by), slow)
  if (!powers) return null
  const countOf = (hz: number) => Math.min(MOST_HARMONICS, Math.floor((0.4 * slow) / hz))
  const excessOf = (hz: number, k: number) => {
    const beside = BESIDE.map((d) => at(powers.mean, k * hz + d, powers.step)).sort((a, b) => a - b)
    return decibels(at(powers.mean, k * hz, powers.step) / ((beside[2] + beside[3]) / 2))
  }
  const sumOf = (hz: number, tones: readonly number[], most: number) => tones.reduce((sum, k) => sum + Math.max(0, Math.min(most, excessOf(hz, k))), 0)
  const tonesOf = (hz: number) => Array.from({ length: countOf(hz) }, (_, i) => i + 1)
  const rough = best(
    MAINS.flatMap((mains) => around(mains, SWING, 0.05)),
    (hz) => sumOf(hz, tonesOf(hz), MOST_DB),
  )
  const isSteady = (k: number) => decibels(at(powers.least, k * rough, powers.step) / at(powers.mean, k * rough, powers.step)) >= NEVER_BELOW_DB
  const standing = tonesOf(rough).filter((k) => excessOf(rough, k) >= STANDS_OUT_DB && isSteady(k))
  // As far up as half of the tones are there: a single one high above is something else.
  const harmonics = standing.findLast((k, i) => i + 1 >= k / 2) ?? 0
  const own = standing.filter((k) => k <= harmonics)
  // Under a voice the lowest may be all that is seen of it.
  const plain = own[0] === 1 && excessOf(rough, 1) >= PLAIN_DB
  if (own.length < LEAST_TONES && !plain) return null
  return {
    hz: best(around(rough, SWING, 0.01), (hz) => sumOf(hz, own, Number.POSITIVE_INFINITY)),
    harmonics,
  }
}

const decibels = (ratio: number): number => 10 * Math.log10(ratio + 1e-20)
const around = (hz: number, reach: number, step: number): number[] =>
  Array.from({ length: 2 * Math.round(reach / step) + 1 }, (_, i) => Math.round((hz - reach + i * step) * 100) / 100)
const best = (list: readonly number[], of: (one: number) => number): number => list.reduce((a, b) => (of(b) > of(a) ? b : a))
const at = (powers: Float64Array, hz: number, step: number): number => powers[Math.max(0, Math.min(powers.length - 1, Math.round(hz / step)))] + 1e-16

/** Every n-th sample behind a mean over some: enough for looking at low tones. */
function decimated(samples: Float32Array, by: number): Float32Array {
  const out = new Float32Array(Math.floor(samples.length / by))
  for (let i = 0; i < out.length; i++) {
    let sum = 0
    for (let k = 0; k < by; k++) sum += samples[i * by + k]
    out[i] = sum / by
  }
  return out
}

/** Spectra of Hann windows over all parts, which overlap by half (P. Welch, 1967); null where there is not one part. */
function powersOf(samples: Float32Array, rate: number): Powers | null {
  const length = Math.floor(PART * rate)
  if (samples.length < length) return null
  const size = powerOfTwo(8 * length)
  const window = hann(length)
  const mean = new Float64Array(size / 2 + 1)
  const least = new Float64Array(size / 2 + 1).fill(Number.POSITIVE_INFINITY)
  let parts = 0
  for (let from = 0; from + length <= samples.length; from += Math.floor(length / 2), parts++) {
    const { re, im } = realSpectrum(
      samples.subarray(from, from + length).map((x, i) => x * window[i]),
      size,
    )
    for (let k = 0; k < mean.length; k++) {
      const power = (re[k] * re[k] + im[k] * im[k]) / length
      mean[k] += power
      if (power < least[k]) least[k] = power
    }
  }
  return { mean: mean.map((p) => p / parts), least, step: rate / size }
}
