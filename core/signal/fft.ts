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

/** Roots of unity e^(−2πik/size) for k up to size/4, real and imaginary parts. */
const roots = new Map<number, { cos: Float64Array; sin: Float64Array }>()

function rootsOf(size: number): { cos: Float64Array; sin: Float64Array } {
  let found = roots.get(size)
  if (!found) {
    const quarter = size / 4 + 1
    found = { cos: new Float64Array(quarter), sin: new Float64Array(quarter) }
    for (let k = 0; k < quarter; k++) {
      found.cos[k] = Math.cos((2 * Math.PI * k) / size)
      found.sin[k] = Math.sin((2 * Math.PI * k) / size)
    }
    roots.set(size, found)
  }
  return found
}

/** Room for the complex transform of half the length, kept for each size: it is filled anew at each use. */
const rooms = new Map<number, { input: Float64Array; output: Float64Array }>()

function roomOf(size: number): { input: Float64Array; output: Float64Array } {
  let found = rooms.get(size)
  if (!found) {
    found = { input: new Float64Array(size), output: new Float64Array(size) }
    rooms.set(size, found)
  }
  return found
}

/**
 * Discrete Fourier transform of a real signal, zero-padded or cut to `size`: even and odd samples are the parts of one
 * complex signal of half the length (Press et al., "Numerical Recipes", FFT of real functions).
 * @param signal samples
 * @param size a power of two, at least 4
 */
export function realSpectrum(signal: ArrayLike<number>, size: number): Spectrum {
  const spectrum = { size, re: new Float64Array(size / 2 + 1), im: new Float64Array(size / 2 + 1) }
  const { input } = roomOf(size)
  const length = Math.min(size, signal.length)
  for (let i = 0; i < length; i++) input[i] = signal[i]
  input.fill(0, length)
  transformRoom(spectrum)
  return spectrum
}

/** Transforms what lies in the room of its size into a spectrum. */
function transformRoom({ size, re, im }: Spectrum): void {
  const { input, output } = roomOf(size)
  const n = size / 2
  plan(n).transform(output, input)
  const { cos, sin } = rootsOf(size)
  re[0] = output[0] + output[1]
  re[n] = output[0] - output[1]
  for (let k = 1; k <= n / 2; k++) {
    const aRe = output[2 * k]
    const aIm = output[2 * k + 1]
    const bRe = output[2 * (n - k)]
    const bIm = output[2 * (n - k) + 1]
    const evenRe = 0.5 * (aRe + bRe)
    const evenIm = 0.5 * (aIm - bIm)
    const oddRe = 0.5 * (aIm + bIm)
    const oddIm = 0.5 * (bRe - aRe)
    const turnedRe = oddRe * cos[k] + oddIm * sin[k]
    const turnedIm = oddIm * cos[k] - oddRe * sin[k]
    re[k] = evenRe + turnedRe
    im[k] = evenIm + turnedIm
    re[n - k] = evenRe - turnedRe
    im[n - k] = turnedIm - evenIm
  }
}

/** Real signal of a half spectrum (the inverse of {@link realSpectrum}); length `spectrum.size`. */
export function inverseReal(spectrum: Spectrum): Float64Array {
  const { size, re, im } = spectrum
  const { input } = roomOf(size)
  const n = size / 2
  const { cos, sin } = rootsOf(size)
  input[0] = 0.5 * (re[0] + re[n])
  input[1] = 0.5 * (re[0] - re[n])
  for (let k = 1; k <= n / 2; k++) {
    const evenRe = 0.5 * (re[k] + re[n - k])
    const evenIm = 0.5 * (im[k] - im[n - k])
    const turnedRe = 0.5 * (re[k] - re[n - k])
    const turnedIm = 0.5 * (im[k] + im[n - k])
    const oddRe = turnedRe * cos[k] - turnedIm * sin[k]
    const oddIm = turnedIm * cos[k] + turnedRe * sin[k]
    input[2 * k] = evenRe - oddIm
    input[2 * k + 1] = evenIm + oddRe
    input[2 * (n - k)] = evenRe + oddIm
    input[2 * (n - k) + 1] = oddRe - evenIm
  }
  const signal = new Float64Array(size)
  plan(n).inverseTransform(signal, input)
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
  readonly #spectrum: Spectrum
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
    this.#spectrum = { size, re: new Float64Array(size / 2 + 1), im: new Float64Array(size / 2 + 1) }
    this.#power = new Float64Array(size / 2 + 1)
    this.#held = new Float32Array(0)
    this.#heldFrom = 0
  }

  /** Takes the next samples, −1..1, as many as there are; each frame is told as soon as it is whole. */
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
    const { input } = roomOf(this.#size)
    for (let i = 0; i < this.#size; i++) {
      const at = from + i
      input[i] = at >= 0 && at < held.length ? held[at] * this.#window[i] : 0
    }
    transformRoom(this.#spectrum)
    const { re, im } = this.#spectrum
    for (let k = 0; k <= this.#size / 2; k++) this.#power[k] = re[k] * re[k] + im[k] * im[k]
    this.#visit(this.#power, this.#frame++)
  }
}

/** {@link FrameReader} for a signal that is there as a whole. @returns number of frames */
export function eachPowerFrame(samples: Float32Array, size: number, hop: number, visit: (frame: number, power: Float64Array) => void): number {
  const reader = new FrameReader(size, hop, (power, frame) => visit(frame, power))
  reader.push(samples)
  return reader.finish()
}
