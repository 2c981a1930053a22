/// <reference path="./fft-js.d.ts" />
import FFT from 'fft.js'

const plans = new Map<number, FFT>()

function plan(size: number): FFT {
  let found = plans.get(size)
  if (!found) {
    found = new FFT(size)
    plans.set(size, found)
  }
  return found
}

/** Smallest power of two that is at least `n` and at least 4. */
export function powerOfTwo(n: number): number {
  let size = 4
  while (size < n) size *= 2
  return size
}

/** Half spectrum of a real signal: `size/2 + 1` bins, real and imaginary parts apart. */
export interface Spectrum {
  readonly size: number
  readonly re: Float64Array
  readonly im: Float64Array
}

/**
 * Discrete Fourier transform of a real signal, zero-padded or cut to `size`.
 * @param signal samples
 * @param size a power of two, at least 4
 */
export function realSpectrum(signal: ArrayLike<number>, size: number): Spectrum {
  const input = new Float64Array(size)
  const length = Math.min(size, signal.length)
  for (let i = 0; i < length; i++) input[i] = signal[i]
  const out = new Float64Array(size * 2)
  plan(size).realTransform(out, input)
  const half = size / 2 + 1
  const re = new Float64Array(half)
  const im = new Float64Array(half)
  for (let k = 0; k < half; k++) {
    re[k] = out[2 * k]
    im[k] = out[2 * k + 1]
  }
  return { size, re, im }
}

/** Real signal of a half spectrum (the inverse of {@link realSpectrum}); length `spectrum.size`. */
export function inverseReal(spectrum: Spectrum): Float64Array {
  const { size, re, im } = spectrum
  const packed = new Float64Array(size * 2)
  for (let k = 0; k <= size / 2; k++) {
    packed[2 * k] = re[k]
    packed[2 * k + 1] = im[k]
    if (k > 0 && k < size / 2) {
      packed[2 * (size - k)] = re[k]
      packed[2 * (size - k) + 1] = -im[k]
    }
  }
  const out = new Float64Array(size * 2)
  plan(size).inverseTransform(out, packed)
  const signal = new Float64Array(size)
  for (let i = 0; i < size; i++) signal[i] = out[2 * i]
  return signal
}

/** Periodic Hann window of `size` points. */
export function hann(size: number): Float64Array {
  return Float64Array.from({ length: size }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size))
}

/**
 * Power spectra of overlapping windows, handed out one at a time so that nothing long is kept.
 * @param samples mono signal
 * @param size window length, a power of two
 * @param hop step in samples
 * @param visit called with the frame number and `size/2 + 1` powers (the array is used again for the next frame)
 */
export function eachPowerFrame(samples: Float32Array, size: number, hop: number, visit: (frame: number, power: Float64Array) => void): number {
  const window = hann(size)
  const transform = plan(size)
  const input = new Float64Array(size)
  const out = new Float64Array(size * 2)
  const power = new Float64Array(size / 2 + 1)
  const frames = samples.length === 0 ? 0 : Math.floor((samples.length - 1) / hop) + 1
  for (let frame = 0; frame < frames; frame++) {
    // The window is centred on the frame's instant, so that frame f speaks for sample f × hop.
    const from = frame * hop - size / 2
    for (let i = 0; i < size; i++) {
      const at = from + i
      input[i] = at >= 0 && at < samples.length ? samples[at] * window[i] : 0
    }
    transform.realTransform(out, input)
    for (let k = 0; k <= size / 2; k++) power[k] = out[2 * k] * out[2 * k] + out[2 * k + 1] * out[2 * k + 1]
    visit(frame, power)
  }
  return frames
}
