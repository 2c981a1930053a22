import embedded from './pffft.json' with { type: 'json' }
import { compiled, growTo, instance, type Memory } from './wasm.ts'

/** What of PFFFT is used: pointers are byte offsets into its memory. */
interface Pffft {
  readonly memory: Memory
  readonly allocate: (bytes: number) => number
  readonly free: (pointer: number) => void
  readonly setup: (size: number, kind: number) => number
  readonly multiply: (setup: number, a: number, b: number, sum: number, scale: number) => void
  readonly transform: (setup: number, input: number, output: number, work: number, direction: number) => void
  readonly transformUnordered: Pffft['transform']
}

/** Starts PFFFT (J. Pommier, "a pretty fast FFT"), which computes four numbers at once, in single precision. */
function start(): Pffft {
  const fail = () => {
    throw new Error('the Fourier transform failed')
  }
  // What the module asks for: to end on a fault, to have more memory, to copy within it.
  const grow = (bytesWanted: number) => {
    growTo(exported.d as Memory, bytesWanted >>> 0)
    return 1
  }
  const copy = (to: number, from: number, count: number) => new Uint8Array((exported.d as Memory).buffer).copyWithin(to, from, from + count)
  const exported = instance(compiled(embedded.wasm), { a: { a: fail, b: grow, c: copy } })
  ;(exported.e as () => void)()
  return {
    memory: exported.d as Memory,
    allocate: exported.f as Pffft['allocate'],
    free: exported.h as Pffft['free'],
    setup: exported.k as Pffft['setup'],
    multiply: exported.n as Pffft['multiply'],
    transform: exported.p as Pffft['transform'],
    transformUnordered: exported.o as Pffft['transform'],
  }
}

let started: Pffft | null = null

const FORWARD = 0
const BACKWARD = 1
/** Shortest transform. */
const LEAST_SIZE = 32

/** Room for transforms of one size: two arrays and one to work in, each of `size` numbers. */
interface Room {
  readonly fft: Pffft
  readonly setup: number
  readonly a: number
  readonly b: number
  readonly work: number
  /** Both arrays as they lie in the memory of `seen`, so that short transforms need not make them each time. */
  views: { readonly seen: ArrayBuffer; readonly a: Float32Array; readonly b: Float32Array } | null
}

const rooms = new Map<number, Room>()

/** @throws RangeError when the size is no power of two or less than 32 */
function roomOf(size: number): Room {
  let found = rooms.get(size)
  if (!found) {
    if (size < LEAST_SIZE || !Number.isInteger(Math.log2(size)))
      throw new RangeError(`a transform has a power of two of at least ${LEAST_SIZE} points, not ${size}`)
    started ??= start()
    const fft = started
    const [a, b, work] = Array.from({ length: 3 }, () => fft.allocate(4 * size))
    found = { fft, setup: fft.setup(size, 0), a, b, work, views: null }
    rooms.set(size, found)
  }
  return found
}

/** Numbers in the transform's memory; only until it next asks for more. */
const at = (room: Room, pointer: number, size: number) => new Float32Array(room.fft.memory.buffer, pointer, size)

/** Both arrays of a room; only until the transform next asks for more memory. */
function viewsOf(room: Room, size: number): { readonly a: Float32Array; readonly b: Float32Array } {
  const seen = room.fft.memory.buffer
  if (room.views?.seen !== seen) room.views = { seen, a: at(room, room.a, size), b: at(room, room.b, size) }
  return room.views
}

function fill(room: Room, pointer: number, size: number, signal: ArrayLike<number>): void {
  const into = at(room, pointer, size)
  const length = Math.min(size, signal.length)
  if (ArrayBuffer.isView(signal) && length === signal.length) into.set(signal)
  else for (let i = 0; i < length; i++) into[i] = signal[i]
  into.fill(0, length)
}

/** Smallest power of two that is at least `n` and at least 32. */
export function powerOfTwo(n: number): number {
  let size = LEAST_SIZE
  while (size < n) size *= 2
  return size
}

/** Half spectrum of a real signal: `size/2 + 1` bins, real and imaginary parts apart. */
export interface Spectrum {
  readonly size: number
  readonly re: Float32Array
  readonly im: Float32Array
}

/** A spectrum of nothing. */
export function emptySpectrum(size: number): Spectrum {
  return { size, re: new Float32Array(size / 2 + 1), im: new Float32Array(size / 2 + 1) }
}

/**
 * Discrete Fourier transform of a real signal, zero-padded or cut to `size`, in single precision.
 * @param signal samples
 * @param size a power of two, at least 32
 * @throws RangeError when the size is another
 */
export function realSpectrum(signal: ArrayLike<number>, size: number): Spectrum {
  const spectrum = emptySpectrum(size)
  const room = roomOf(size)
  fill(room, room.a, size, signal)
  transformRoom(room, spectrum)
  return spectrum
}

/** Transforms what lies in the first array of the room into a spectrum. */
function transformRoom(room: Room, { size, re, im }: Spectrum): void {
  room.fft.transform(room.setup, room.a, room.b, room.work, FORWARD)
  const pairs = at(room, room.b, size)
  const n = size / 2
  re[0] = pairs[0]
  re[n] = pairs[1]
  im[0] = 0
  im[n] = 0
  for (let k = 1; k < n; k++) {
    re[k] = pairs[2 * k]
    im[k] = pairs[2 * k + 1]
  }
}

/** Real signal of a half spectrum (the inverse of {@link realSpectrum}); length `spectrum.size`. */
export function inverseReal({ size, re, im }: Spectrum): Float32Array {
  const room = roomOf(size)
  const pairs = at(room, room.a, size)
  const n = size / 2
  const scale = 1 / size
  pairs[0] = re[0] * scale
  pairs[1] = re[n] * scale
  for (let k = 1; k < n; k++) {
    pairs[2 * k] = re[k] * scale
    pairs[2 * k + 1] = im[k] * scale
  }
  room.fft.transform(room.setup, room.a, room.b, room.work, BACKWARD)
  return at(room, room.b, size).slice()
}

/** A signal transformed for {@link Correlator}: numbers in an order of the transform's own. */
export interface Packed {
  readonly size: number
  readonly numbers: Float32Array
}

/** Transforms a signal, zero-padded to `size`, for being searched in. */
export function packed(signal: ArrayLike<number>, size: number): Packed {
  const room = roomOf(size)
  fill(room, room.a, size, signal)
  room.fft.transformUnordered(room.setup, room.a, room.b, room.work, FORWARD)
  return { size, numbers: at(room, room.b, size).slice() }
}

/** Transforms a signal, zero-padded to `size`, for being searched for: turned round, so that products are correlations. */
export function packedTurned(signal: ArrayLike<number>, size: number): Packed {
  const turned = new Float32Array(size)
  const length = Math.min(size, signal.length)
  for (let i = 0; i < length; i++) turned[(size - i) % size] = signal[i]
  return packed(turned, size)
}

/** Sums correlations of pairs of signals of one size in the frequency domain, so that only the sum is transformed back. */
export class Correlator {
  readonly #room: Room
  readonly #sum: number
  readonly #wanted: number

  constructor(readonly size: number) {
    this.#room = roomOf(size)
    this.#sum = this.#room.fft.allocate(4 * size)
    this.#wanted = this.#room.fft.allocate(4 * size)
    at(this.#room, this.#sum, size).fill(0)
  }

  /** What {@link addIn} searches for from now on. */
  want(wanted: Packed): void {
    at(this.#room, this.#wanted, this.size).set(wanted.numbers)
  }

  /** Adds the correlation of what is searched in with what was named last. */
  addIn(within: Packed): void {
    const { fft, setup, a } = this.#room
    at(this.#room, a, this.size).set(within.numbers)
    fft.multiply(setup, a, this.#wanted, this.#sum, 1 / this.size)
  }

  /** Adds the correlation of what is searched in with what is searched for, both of this size. */
  add(within: Packed, wanted: Packed): void {
    this.want(wanted)
    this.addIn(within)
  }

  /**
   * Gives the sum and begins anew.
   * @param count how much of it is wanted, from lag 0 on
   * @returns at n, how well what is searched for fits n samples into what is searched in; negative n from the end back
   */
  take(count = this.size): Float32Array {
    const { fft, setup, b, work } = this.#room
    fft.transformUnordered(setup, this.#sum, b, work, BACKWARD)
    at(this.#room, this.#sum, this.size).fill(0)
    return at(this.#room, b, count).slice()
  }

  /** Gives its room back. */
  [Symbol.dispose](): void {
    this.#room.fft.free(this.#sum)
    this.#room.fft.free(this.#wanted)
  }
}

/**
 * Correlation of two signals, once.
 * @param size a power of two that holds both beside each other
 * @returns at n, how well `wanted` fits n samples into `within`; negative n from the end back
 */
export function correlation(within: ArrayLike<number>, wanted: ArrayLike<number>, size: number): Float32Array {
  using correlator = new Correlator(size)
  correlator.add(packed(within, size), packedTurned(wanted, size))
  return correlator.take()
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
  readonly #window: Float32Array
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
    this.#window = Float32Array.from(hann(size))
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
    const [held, window, power, size] = [this.#held, this.#window, this.#power, this.#size]
    const room = roomOf(size)
    const { a: input, b: pairs } = viewsOf(room, size)
    if (from >= 0 && from + size <= held.length) for (let i = 0; i < size; i++) input[i] = held[from + i] * window[i]
    else for (let i = 0; i < size; i++) input[i] = from + i >= 0 && from + i < held.length ? held[from + i] * window[i] : 0
    room.fft.transform(room.setup, room.a, room.b, room.work, FORWARD)
    const n = size / 2
    power[0] = pairs[0] * pairs[0]
    power[n] = pairs[1] * pairs[1]
    for (let k = 1; k < n; k++) power[k] = pairs[2 * k] * pairs[2 * k] + pairs[2 * k + 1] * pairs[2 * k + 1]
    this.#visit(power, this.#frame++)
  }
}

/** {@link FrameReader} for a signal that is there as a whole. @returns number of frames */
export function eachPowerFrame(samples: Float32Array, size: number, hop: number, visit: (frame: number, power: Float64Array) => void): number {
  const reader = new FrameReader(size, hop, (power, frame) => visit(frame, power))
  reader.push(samples)
  return reader.finish()
}
