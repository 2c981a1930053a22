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
 * Power spectra of overlapping Hann windows of a signal that comes in pieces. Window f is centred on sample f × hop, so
 * that it speaks for that instant; outside the signal is silence.
 */
export class FrameReader {
  readonly #size: number
  readonly #hop: number
  readonly #visit: (power: Float64Array, frame: number) => void
  readonly #window: Float64Array
  readonly #input: Float64Array
  readonly #out: Float64Array
  readonly #power: Float64Array
  /** What later windows still need, with the sample number of its first. */
  #held: Float32Array
  #heldFrom: number
  #total = 0
  #frame = 0

  /**
   * @param size window length, a power of two
   * @param hop step in samples
   * @param visit called with `size/2 + 1` powers (the array is used again for the next frame) and the frame number
   */
  constructor(size: number, hop: number, visit: (power: Float64Array, frame: number) => void) {
    this.#size = size
    this.#hop = hop
    this.#visit = visit
    this.#window = hann(size)
    this.#input = new Float64Array(size)
    this.#out = new Float64Array(size * 2)
    this.#power = new Float64Array(size / 2 + 1)
    this.#held = new Float32Array(0)
    this.#heldFrom = 0
  }

  push(samples: Float32Array): void {
    this.#total += samples.length
    this.#hold(samples)
    while (this.#frame * this.#hop + this.#size / 2 <= this.#total) this.#read()
    const needed = this.#frame * this.#hop - this.#size / 2
    if (needed > this.#heldFrom) {
      this.#held = this.#held.slice(Math.min(this.#held.length, needed - this.#heldFrom))
      this.#heldFrom = needed
    }
  }

  /** @returns number of frames in all: one for each hop begun */
  finish(): number {
    const frames = this.#total === 0 ? 0 : Math.floor((this.#total - 1) / this.#hop) + 1
    while (this.#frame < frames) this.#read()
    return frames
  }

  #hold(samples: Float32Array): void {
    if (this.#held.length === 0) {
      this.#held = samples
      return
    }
    const joined = new Float32Array(this.#held.length + samples.length)
    joined.set(this.#held)
    joined.set(samples, this.#held.length)
    this.#held = joined
  }

  #read(): void {
    const from = this.#frame * this.#hop - this.#size / 2 - this.#heldFrom
    const held = this.#held
    for (let i = 0; i < this.#size; i++) {
      const at = from + i
      this.#input[i] = at >= 0 && at < held.length ? held[at] * this.#window[i] : 0
    }
    plan(this.#size).realTransform(this.#out, this.#input)
    for (let k = 0; k <= this.#size / 2; k++) this.#power[k] = this.#out[2 * k] * this.#out[2 * k] + this.#out[2 * k + 1] * this.#out[2 * k + 1]
    this.#visit(this.#power, this.#frame++)
  }
}

/** {@link FrameReader} for a signal that is there as a whole. @returns number of frames */
export function eachPowerFrame(samples: Float32Array, size: number, hop: number, visit: (frame: number, power: Float64Array) => void): number {
  const reader = new FrameReader(size, hop, (power, frame) => visit(frame, power))
  reader.push(samples)
  return reader.finish()
}
