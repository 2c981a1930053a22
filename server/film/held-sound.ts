import { ChannelTaker, SAMPLE_BYTES } from '@pendolo/core/signal'
import type { Taken } from '../media/sound-clock.ts'

/** Frames of one stream as they come: what comes is kept as it came, what is old is let go, and channels are taken out where they are wanted. */
export class HeldSound {
  /** Clip frame of the first held one. */
  from = 0
  /** What is held, piece behind piece; pieces begin and end anywhere within frames. */
  #pieces: Uint8Array[] = []
  /** Where the first held frame begins in the first piece, and how much is held from there on, bytes. */
  #first = 0
  #length = 0
  readonly #frameBytes: number
  readonly #taker: ChannelTaker

  constructor({ columns, width, form }: Pick<Taken, 'columns' | 'width' | 'form'>) {
    this.#frameBytes = width * SAMPLE_BYTES[form]
    this.#taker = new ChannelTaker(columns, width, form)
  }

  /** Behind the last held frame. */
  get end(): number {
    return this.from + Math.floor(this.#length / this.#frameBytes)
  }

  /** Holds nothing, and goes on from a frame. */
  begin(from: number): void {
    this.from = from
    this.#pieces = []
    this.#first = 0
    this.#length = 0
  }

  /** @param bytes all channels of a frame beside each other; it may begin and end within one, and is kept: nobody writes to it any more */
  append(bytes: Uint8Array): void {
    this.#pieces.push(bytes)
    this.#length += bytes.length
  }

  /** Lets go what lies before a frame. */
  drop(before: number): void {
    const gone = Math.min(this.end, before) - this.from
    if (gone <= 0) return
    this.from += gone
    this.#length -= gone * this.#frameBytes
    this.#first += gone * this.#frameBytes
    let past = 0
    while (past < this.#pieces.length && this.#first >= this.#pieces[past].length) this.#first -= this.#pieces[past++].length
    if (past > 0) this.#pieces.splice(0, past)
  }

  /**
   * Frames of all wanted channels, as they are until this is asked again; null where not all of them are held.
   * @param from clip frame
   */
  view(from: number, count: number): readonly Float32Array[] | null {
    if (from < this.from || from + count > this.end) return null
    return this.#taker.take(this.#bytes(this.#first + (from - this.from) * this.#frameBytes, count * this.#frameBytes))
  }

  /** So many bytes from somewhere on, piece by piece. */
  #bytes(from: number, count: number): Uint8Array[] {
    const found: Uint8Array[] = []
    let [at, left] = [from, count]
    for (const piece of this.#pieces) {
      if (left === 0) break
      if (at < piece.length) {
        found.push(piece.subarray(at, at + left))
        left -= Math.min(left, piece.length - at)
        at = 0
      } else at -= piece.length
    }
    return found
  }
}

/** Frames of several streams of a file as one decoder gives them: they come beside each other and are handed on together. */
export class HeldStreams {
  readonly #streams: readonly HeldSound[]

  constructor(taken: readonly Pick<Taken, 'columns' | 'width' | 'form'>[]) {
    this.#streams = taken.map((t) => new HeldSound(t))
  }

  /** Clip frame of the first one that all hold. */
  get from(): number {
    return this.#streams.reduce((most, s) => Math.max(most, s.from), 0)
  }

  /** Behind the last one that all hold. */
  get end(): number {
    return this.#streams.reduce((least, s) => Math.min(least, s.end), Number.POSITIVE_INFINITY)
  }

  /** Holds nothing, and goes on from a frame. */
  begin(from: number): void {
    for (const stream of this.#streams) stream.begin(from)
  }

  append(stream: number, bytes: Uint8Array): void {
    this.#streams[stream].append(bytes)
  }

  /** Lets go what lies before a frame. */
  drop(before: number): void {
    for (const stream of this.#streams) stream.drop(before)
  }

  /** Frames of all wanted channels of all streams, one stream's behind the other's; null where not all of them are held. */
  view(from: number, count: number): readonly Float32Array[] | null {
    const [one, ...others] = this.#streams.map((s) => s.view(from, count))
    if (others.length === 0) return one
    const all: Float32Array[] = []
    for (const planes of [one, ...others]) {
      if (!planes) return null
      all.push(...planes)
    }
    return all
  }
}
