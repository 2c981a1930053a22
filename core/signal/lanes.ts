import embedded from './lanes.json' with { type: 'json' }
import { compiled, growTo, instance, type Memory } from './wasm.ts'

/** What the module in `assembly` does; pointers are byte offsets into its memory. */
interface Lanes {
  readonly memory: Memory
  readonly takeFour: (bytes: number, from: number, apart: number, to: number, plane: number, frames: number) => void
  readonly takeOne: (bytes: number, from: number, apart: number, to: number, frames: number) => void
  readonly runPairs: (count: number, pairs: number, samples: number, frames: number) => void
  readonly peaksOf: (samples: number, frames: number, peaks: number) => void
  readonly scaleBy: (samples: number, frames: number, gains: number) => void
  readonly highestOf: (samples: number, frames: number, weights: number, over: number, highest: number) => number
  readonly addToBoth: (sounds: number, plane: number, count: number, factors: number, left: number, frames: number) => void
}

let code: object | null = null

function start(): Lanes {
  code ??= compiled(embedded.wasm)
  return instance(code) as unknown as Lanes
}

/** Nothing of ours lies before it in a module's memory. */
const BEGINS = 4096

/** Frames come in lanes of so many at a time. */
const AT_ONCE = 8

/** Bytes from one channel to the next: whole lanes, and not all channels of a block in the same lines of a cache. */
const planeFor = (frames: number) => 4 * Math.ceil(frames / AT_ONCE) * AT_ONCE + 64

/** How samples lie in bytes, the lowest byte first. */
export type SampleForm = 's16' | 's24' | 's32' | 'f32'

/** Bytes of a sample. */
export const SAMPLE_BYTES: Readonly<Record<SampleForm, number>> = { s16: 2, s24: 3, s32: 4, f32: 4 }

/** Takes some channels out of frames in which all lie beside each other, four neighbours at once. */
export class ChannelTaker {
  readonly #lanes = start()
  readonly #columns: readonly number[]
  readonly #width: number
  readonly #form: SampleForm
  #planes: readonly Float32Array[] = []

  /**
   * @param columns numbers of the channels that are wanted, from 0, in the order in which they are given
   * @param width channels of a frame
   */
  constructor(columns: readonly number[], width: number, form: SampleForm) {
    this.#columns = columns
    this.#width = width
    this.#form = form
  }

  /**
   * The wanted channels of frames, one array each, as fractions of full scale; overwritten by the next.
   * @param pieces whole frames in all, one behind the other; each piece may begin and end within one
   */
  take(pieces: readonly Uint8Array[]): readonly Float32Array[] {
    const size = SAMPLE_BYTES[this.#form]
    const apart = size * this.#width
    const length = pieces.reduce((sum, piece) => sum + piece.length, 0)
    const frames = length / apart
    const plane = planeFor(frames)
    // What reads four samples reads up to four bytes more.
    const to = BEGINS + Math.ceil(length / 16) * 16 + 16
    const { memory, takeFour, takeOne } = this.#lanes
    growTo(memory, to + this.#columns.length * plane)
    const bytes = new Uint8Array(memory.buffer, BEGINS, length)
    let behind = 0
    for (const piece of pieces) {
      bytes.set(piece, behind)
      behind += piece.length
    }
    const bytesOrFloat = this.#form === 'f32' ? 0 : size
    for (let c = 0; c < this.#columns.length; c++) {
      const first = this.#columns[c]
      const from = BEGINS + size * first
      if ([1, 2, 3].every((k) => this.#columns[c + k] === first + k)) {
        takeFour(bytesOrFloat, from, apart, to + c * plane, plane, frames)
        c += 3
      } else takeOne(bytesOrFloat, from, apart, to + c * plane, frames)
    }
    return this.#over(memory.buffer, to, plane, frames)
  }

  #over(buffer: ArrayBuffer, to: number, plane: number, frames: number): readonly Float32Array[] {
    const [known] = this.#planes
    if (known?.buffer !== buffer || known.byteOffset !== to || known.length !== frames)
      this.#planes = this.#columns.map((_, c) => new Float32Array(buffer, to + c * plane, frames))
    return this.#planes
  }
}

/** Channels that are added at once. */
const MOST_ADDED = 64

/** Adds many channels, each at a level for each side, to two sums, in single precision. */
export class LevelSum {
  readonly #lanes = start()
  #frames = 0
  #plane = 0
  #count = 0
  #sounds: readonly Float32Array[] = []
  #factors = new Float32Array(0)
  #sums: readonly Float32Array[] = []

  /** Whether there is room for no more. */
  get full(): boolean {
    return this.#count === MOST_ADDED
  }

  /**
   * Keeps a copy of a channel until {@link addTo}; all that wait have the same length.
   * @throws RangeError when it is full
   */
  add(sound: Float32Array, left: number, right: number): void {
    if (this.full) throw new RangeError(`no more than ${MOST_ADDED} channels are added at once`)
    if (this.#count === 0) this.#room(sound.length)
    this.#sounds[this.#count].set(sound)
    this.#factors[2 * this.#count] = left
    this.#factors[2 * this.#count + 1] = right
    this.#count++
  }

  /** Adds all that wait to the beginning of two sums that are at least as long; none waits behind it. */
  addTo([left, right]: readonly [Float32Array, Float32Array]): void {
    if (this.#count === 0) return
    const [a, b] = this.#sums
    a.set(left.subarray(0, this.#frames))
    b.set(right.subarray(0, this.#frames))
    const [sounds] = this.#sounds
    this.#lanes.addToBoth(sounds.byteOffset, this.#plane, this.#count, this.#factors.byteOffset, a.byteOffset, Math.ceil(this.#frames / AT_ONCE) * AT_ONCE)
    left.set(a)
    right.set(b)
    this.#count = 0
  }

  #room(frames: number): void {
    if (frames === this.#frames) return
    const { memory } = this.#lanes
    this.#frames = frames
    this.#plane = planeFor(frames)
    const sounds = BEGINS + 8 * MOST_ADDED
    growTo(memory, sounds + (MOST_ADDED + 2) * this.#plane)
    this.#factors = new Float32Array(memory.buffer, BEGINS, 2 * MOST_ADDED)
    const planes = Array.from({ length: MOST_ADDED + 2 }, (_, c) => new Float32Array(memory.buffer, sounds + c * this.#plane, frames))
    this.#sounds = planes.slice(0, MOST_ADDED)
    this.#sums = planes.slice(MOST_ADDED)
  }
}

/** Frames of a stretch: levels are looked at once in each, and gains lead in a straight line through it. */
export const STRETCH = 16

/** A second-order section with a0 = 1: y = b0·x + b1·x₁ + b2·x₂ − a1·y₁ − a2·y₂. */
export interface Biquad {
  readonly b0: number
  readonly b1: number
  readonly b2: number
  readonly a1: number
  readonly a2: number
}

/** Numbers of two sections beside each other: five coefficients and two states of each. */
const PAIR_NUMBERS = 14
/** Where the states begin among them. */
const STATES = 10
/** Pairs that are run at once. */
const PAIRS_AT_ONCE = 3
/** What is smaller is nothing: what dies away would be counted on in the smallest of numbers, which processors are slow at. */
const TINY = 1e-30

/** Second-order sections one behind the other, and what they remember of one channel. */
export class SectionRow {
  readonly count: number
  /** As they lie for the lanes, two beside each other; where there is no second one it lets all through. */
  readonly numbers: Float64Array

  /** @param old what goes on where the same number of a section was before */
  constructor(sections: readonly Biquad[], old: SectionRow | null = null) {
    this.count = sections.length
    this.numbers = new Float64Array(PAIR_NUMBERS * Math.ceil(sections.length / 2))
    for (let k = 0; k < sections.length; k += 2) this.numbers[placeOf(k + 1)] = 1
    for (const [k, { b0, b1, b2, a1, a2 }] of sections.entries()) {
      const at = placeOf(k)
      for (const [i, value] of [b0, b1, b2, a1, a2].entries()) this.numbers[at + 2 * i] = value
      if (old && k < old.count) for (const i of [STATES, STATES + 2]) this.numbers[at + i] = old.numbers[at + i]
    }
  }

  /** Takes what they remember from where they ran. */
  remember(ran: Float64Array): void {
    for (let pair = 0; pair < this.numbers.length; pair += PAIR_NUMBERS)
      for (let i = pair + STATES; i < pair + PAIR_NUMBERS; i++) this.numbers[i] = Math.abs(ran[i]) < TINY ? 0 : ran[i]
  }
}

const placeOf = (k: number) => PAIR_NUMBERS * (k >> 1) + (k & 1)

/** Sections that are run at once at most, and channels that are worked on together. */
const MOST_PAIRS = 32
const MOST_CHANNELS = 2

/** Works on one or two channels of sound: they are put in, run through what is asked for, and taken out again. */
export class SoundWork {
  readonly #lanes = start()
  #frames = 0
  #channels = 0
  #room = 0
  #planes: readonly Float32Array[] = []
  #pairs = new Float64Array(0)
  #peaks: readonly Float32Array[] = []
  #gains = new Float32Array(0)

  /** Frames that are worked on. */
  get frames(): number {
    return this.#frames
  }

  /** Stretches of {@link STRETCH} frames, the last of which may be shorter. */
  get stretches(): number {
    return Math.ceil(this.#frames / STRETCH)
  }

  /** @param sound one or two channels of the same length */
  put(sound: readonly Float32Array[]): void {
    this.#frames = sound[0].length
    this.#channels = sound.length
    if (this.#frames > this.#room) this.#make(this.#frames)
    for (const [c, channel] of sound.entries()) {
      this.#planes[c].set(channel)
      // What is looked at of the last stretch is zero behind the last frame.
      this.#planes[c].fill(0, this.#frames, this.stretches * STRETCH)
    }
  }

  /** @param sound as it was put in; overwritten */
  take(sound: readonly Float32Array[]): void {
    for (const [c, channel] of sound.entries()) channel.set(this.#planes[c].subarray(0, this.#frames))
  }

  /** Runs sections over each channel, its own row over each (transposed direct form II, in double precision). */
  sections(rows: readonly SectionRow[]): void {
    for (let c = 0; c < this.#channels; c++) {
      const row = rows[c]
      if (row.count === 0) continue
      this.#pairs.set(row.numbers)
      const pairs = row.numbers.length / PAIR_NUMBERS
      for (let k = 0; k < pairs; k += PAIRS_AT_ONCE)
        this.#lanes.runPairs(Math.min(PAIRS_AT_ONCE, pairs - k), this.#pairs.byteOffset + 8 * PAIR_NUMBERS * k, this.#planes[c].byteOffset, this.#frames)
      row.remember(this.#pairs)
    }
  }

  /** The highest sample of each stretch over all channels, whatever its sign; overwritten by the next. */
  peaks(): Float32Array {
    const [one, two] = this.#peaks
    const count = this.stretches
    for (let c = 0; c < this.#channels; c++) this.#lanes.peaksOf(this.#planes[c].byteOffset, this.#frames, this.#peaks[c].byteOffset)
    if (this.#channels > 1) for (let k = 0; k < count; k++) if (two[k] > one[k]) one[k] = two[k]
    return one.subarray(0, count)
  }

  /** Room for {@link stretches} + 1 gains for {@link scale}. */
  get gains(): Float32Array {
    return this.#gains
  }

  /** Multiplies all channels by {@link gains}: through the kth stretch they lead in a straight line from the kth to the next. */
  scale(): void {
    for (let c = 0; c < this.#channels; c++) this.#lanes.scaleBy(this.#planes[c].byteOffset, this.#frames, this.#gains.byteOffset)
  }

  #make(frames: number): void {
    const { memory } = this.#lanes
    const stretches = Math.ceil(frames / STRETCH)
    const plane = planeFor(stretches * STRETCH)
    const levels = 4 * Math.ceil((stretches + 1) / 4) * 4
    const pairs = BEGINS + MOST_CHANNELS * plane
    const peaks = pairs + 8 * PAIR_NUMBERS * MOST_PAIRS
    growTo(memory, peaks + (MOST_CHANNELS + 1) * levels)
    this.#room = frames
    this.#planes = Array.from({ length: MOST_CHANNELS }, (_, c) => new Float32Array(memory.buffer, BEGINS + c * plane, stretches * STRETCH))
    this.#pairs = new Float64Array(memory.buffer, pairs, PAIR_NUMBERS * MOST_PAIRS)
    this.#peaks = Array.from({ length: MOST_CHANNELS }, (_, c) => new Float32Array(memory.buffer, peaks + c * levels, stretches + 1))
    this.#gains = new Float32Array(memory.buffer, peaks + MOST_CHANNELS * levels, stretches + 1)
  }
}

/** Instants between two samples that are looked at together, and samples that each is made of. */
const INSTANTS = 4
const BETWEEN_TAPS = 24
/** Samples that may be read behind the last one. */
const READ_ON = 32

/** Looks for the highest level that interleaved channels reach at and between their samples, with a filter in polyphase form. */
export class HighestBetween {
  readonly #lanes = start()
  readonly #channels: number
  readonly #over: number
  #lines: readonly Float32Array[] = []
  #room = -1
  /** Until now; 0 of silence. */
  highest = 0

  /**
   * @param weights of four instants, of 24 samples each, newest first
   * @throws RangeError when there are others
   */
  constructor(channels: number, weights: readonly Float64Array[]) {
    if (weights.length !== INSTANTS || weights.some((w) => w.length !== BETWEEN_TAPS))
      throw new RangeError(`weights of ${INSTANTS} instants, of ${BETWEEN_TAPS} samples each`)
    this.#channels = channels
    this.#over = Math.max(...weights.map((w) => w.reduce((sum, x) => sum + Math.abs(x), 0)))
    this.#make(0)
    const own = new Float32Array(this.#lanes.memory.buffer, BEGINS, INSTANTS * BETWEEN_TAPS)
    for (let k = 0; k < BETWEEN_TAPS; k++) for (let i = 0; i < INSTANTS; i++) own[INSTANTS * k + i] = weights[i][k]
  }

  /** @param samples interleaved, whole frames */
  add(samples: Float32Array): void {
    const frames = samples.length / this.#channels
    if (frames > this.#room) this.#make(frames)
    for (const [c, line] of this.#lines.entries()) {
      for (let n = 0, i = c; n < frames; n++, i += this.#channels) line[BETWEEN_TAPS - 1 + n] = samples[i]
      this.highest = this.#lanes.highestOf(line.byteOffset, frames, BEGINS, this.#over, this.highest)
      line.copyWithin(0, frames, frames + BETWEEN_TAPS - 1)
    }
  }

  /** Makes room for so many frames; what came before them is kept. */
  #make(frames: number): void {
    const { memory } = this.#lanes
    const before = this.#lines.map((line) => line.slice(0, BETWEEN_TAPS - 1))
    const plane = planeFor(BETWEEN_TAPS + frames + READ_ON)
    const first = BEGINS + 4 * INSTANTS * BETWEEN_TAPS
    growTo(memory, first + this.#channels * plane)
    this.#room = frames
    this.#lines = Array.from({ length: this.#channels }, (_, c) => new Float32Array(memory.buffer, first + c * plane, BETWEEN_TAPS - 1 + frames))
    for (const [c, line] of this.#lines.entries()) line.set(before[c] ?? new Float32Array(BETWEEN_TAPS - 1))
  }
}
