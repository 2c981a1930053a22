import { ChannelTaker, SAMPLE_BYTES } from '@pendolo/core/signal'
import type { Taken } from '../media/sound-clock.ts'

/** Of how much more than is held at once there is room: what is held is moved to the front that much more seldom. */
const ROOM = 4

/** Frames of one stream as they come: what comes is put behind, what is old is let go, and channels are taken out where they are wanted. */
export class HeldSound {
  /** Clip frame of the first held one. */
  from = 0
  /** Where it begins, and where the next that comes is put; what is no whole frame yet waits there for its rest. */
  #first = 0
  #behind = 0
  #bytes = new Uint8Array(0)
  readonly #frameBytes: number
  readonly #taker: ChannelTaker

  constructor({ columns, width, form }: Pick<Taken, 'columns' | 'width' | 'form'>) {
    this.#frameBytes = width * SAMPLE_BYTES[form]
    this.#taker = new ChannelTaker(columns, width, form)
  }

  /** Behind the last held frame. */
  get end(): number {
    return this.from + Math.floor((this.#behind - this.#first) / this.#frameBytes)
  }

  /** Holds nothing, and goes on from a frame. */
  begin(from: number): void {
    this.from = from
    this.#first = 0
    this.#behind = 0
  }

  /** @param bytes all channels of a frame beside each other; it may begin and end within one */
  append(bytes: Uint8Array): void {
    const held = this.#bytes.subarray(this.#first, this.#behind)
    if (this.#behind + bytes.length > this.#bytes.length) {
      const wanted = held.length + bytes.length
      if (2 * wanted > this.#bytes.length) this.#bytes = new Uint8Array(ROOM * wanted)
      this.#bytes.set(held)
      this.#first = 0
      this.#behind = held.length
    }
    this.#bytes.set(bytes, this.#behind)
    this.#behind += bytes.length
  }

  /** Lets go what lies before a frame. */
  drop(before: number): void {
    const gone = Math.min(this.end, before) - this.from
    if (gone <= 0) return
    this.#first += gone * this.#frameBytes
    this.from += gone
  }

  /**
   * Frames of all wanted channels, as they are until this is asked again; null where not all of them are held.
   * @param from clip frame
   */
  view(from: number, count: number): readonly Float32Array[] | null {
    if (from < this.from || from + count > this.end) return null
    const first = this.#first + (from - this.from) * this.#frameBytes
    return this.#taker.take(this.#bytes.subarray(first, first + count * this.#frameBytes))
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
