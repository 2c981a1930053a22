import { hann, inverseReal, realSpectrum } from './fft.ts'
import type { SampleSource } from './source.ts'

/** Samples in a window of the transform (64 ms at 8 kHz) and between two of them. */
const WINDOW = 512
const HOP = WINDOW / 2
/** Powers are averaged over so many bins to either side (about 60 Hz), so that what rings does not vanish into itself. */
const SMOOTH = 4
/** Whole numbers in one standard deviation of the result. */
export const WHITE_STEPS = 20
/** Mean power of a bin that stands for −90 dB of full scale, as in the band features. */
const FLOOR = 1e-5
/** Samples read at once. */
const PIECE = 1 << 18

/**
 * A recording with every short stretch of every narrow band brought to one level: what is loud for a moment or in a band (a
 * shout, a roar, hum) counts no more than what is quiet beside it, and a pumping level control drops out. (Spectral whitening
 * in time and frequency; compare Benesty et al. 2004, "Time-delay estimation via linear interpolation and cross correlation".)
 * @param source mono
 * @param low, high band that is kept, as shares of the sampling rate, 0..0.5
 * @returns as many samples as the source has, {@link WHITE_STEPS} = one standard deviation, limited to ±127
 */
export function whitened(source: SampleSource, low: number, high: number): Int8Array {
  const { length } = source
  const out = new Int8Array(length)
  const window = hann(WINDOW).map((x) => Math.sqrt(x))
  const first = Math.max(1, Math.round(low * WINDOW))
  const last = Math.min(WINDOW / 2 - 1, Math.round(high * WINDOW))
  const count = last - first + 1
  // Every bin has power 1 in the end, under a taper of mean power ½; tapers that lie over each other add up to one.
  const scale = (WHITE_STEPS * WINDOW) / Math.sqrt(4 * count)
  const frame = new Float32Array(WINDOW)
  const sums = new Float64Array(count + 1)
  const tail = new Float64Array(WINDOW)
  let piece = new Float32Array(0)
  let pieceFrom = 0
  const frames = Math.ceil(length / HOP) + 1
  for (let f = 0; f < frames; f++) {
    const from = (f - 1) * HOP
    if (from + WINDOW > pieceFrom + piece.length && pieceFrom + piece.length < length) {
      pieceFrom = Math.max(0, from)
      piece = source.read(pieceFrom, Math.min(length, pieceFrom + PIECE)).slice()
    }
    for (let i = 0; i < WINDOW; i++) frame[i] = (piece[from + i - pieceFrom] ?? 0) * window[i]
    const spectrum = realSpectrum(frame, WINDOW)
    const { re, im } = spectrum
    for (let k = 0; k < count; k++) sums[k + 1] = sums[k] + re[first + k] ** 2 + im[first + k] ** 2
    re.fill(0, 0, first)
    im.fill(0, 0, first)
    re.fill(0, last + 1)
    im.fill(0, last + 1)
    for (let k = 0; k < count; k++) {
      const a = Math.max(0, k - SMOOTH)
      const b = Math.min(count, k + SMOOTH + 1)
      const even = 1 / Math.sqrt((sums[b] - sums[a]) / (b - a) + FLOOR)
      re[first + k] *= even
      im[first + k] *= even
    }
    const back = inverseReal(spectrum)
    for (let i = 0; i < WINDOW; i++) tail[i] += back[i] * window[i]
    const to = Math.min(HOP, length - from)
    for (let i = Math.max(0, -from); i < to; i++) out[from + i] = Math.max(-127, Math.min(127, Math.round(tail[i] * scale)))
    tail.copyWithin(0, HOP)
    tail.fill(0, HOP)
  }
  return out
}
