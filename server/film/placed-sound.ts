import type { ExchangeFile } from '@pendolo/core/formats'
import type { Placement } from '@pendolo/core/project'
import { interpolate } from '@pendolo/core/signal'
import { FLICKS_PER_SECOND, piecesOf } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { type Apart, canSeek, takenApart, takenInTwo } from '../media/sound-clock.ts'
import type { MediaError } from '../media/words.ts'
import { HeldStreams } from './held-sound.ts'
import { type SoundReader, soundReader } from './sound-reader.ts'

export const FILM_SOUND_RATE = 48000
/** A decoder that begins in the middle needs so much before it gives what it would have given anyway. */
const WARM_SECONDS = 2
/** Where so many frames would be read for nothing, reading begins anew. */
const FAR = 20 * FILM_SOUND_RATE
/** So much is read ahead while the desk works, frames: decoders hand on little before they wait. */
const AHEAD = FILM_SOUND_RATE / 2
/** Input kept around a block for interpolation, frames. */
const MARGIN = 64

/** What is read of one file by one reader, for the desk. */
export interface Heard {
  readonly file: ExchangeFile
  readonly placement: Placement
  /** Channels of one or more streams, each by itself; null: all of the clip, in two or in one that is both. */
  readonly apart: readonly Apart[] | null
  /** Numbers of its inputs of the desk, stream after stream. */
  readonly inputs: readonly number[]
}

/** Gives frames of all channels, `some` from the nth on. */
export type GivesFrames = (n: number, some: number) => readonly Float32Array[]

/**
 * Adds frames of a channel to another.
 * @param shift frame of `held` that belongs to frame 0 of what is counted from `begins` to `ends`
 * @param at frame of `out` that belongs to it
 */
function addFrames(held: Float32Array, shift: number, out: Float32Array, at: number, begins: number, ends: number, shape: Float32Array | null): void {
  const [first, last] = [Math.max(begins, -shift), Math.min(ends, held.length - shift)]
  if (shape) for (let n = first; n < last; n++) out[at + n] += shape[n] * held[n + shift]
  else for (let n = first; n < last; n++) out[at + n] += held[n + shift]
}

/** Sound of one original on the master's clock, some channels of it, read in blocks: forwards in one go, backwards by beginning anew. */
export class PlacedSound {
  /** Numbers of the inputs of the desk that it gives; one for all of a clip. */
  readonly inputs: readonly number[]
  /** Channels that it gives; whether each is an input by itself. */
  readonly channels: number
  readonly apart: boolean
  #reader: SoundReader | null = null
  readonly #open: (seconds: number) => SoundReader
  readonly #seeks: boolean
  readonly #placement: Placement
  /** Pieces that ran through: where each begins and ends on the master, and where its clip time 0 would lie, frames. */
  readonly #pieces: { begins: number; ends: number; offset: number }[]
  /** How far a jump may lead back, frames. */
  readonly #back: number
  readonly #held: HeldStreams
  /** Where blocks are put together that do not come in one piece. */
  readonly #own: Float32Array[]
  #ended = false
  #closed = false
  #failure: MediaError | null = null
  /** What comes is held from here on, and up to there is read ahead, clip frames. */
  #from = 0
  #wanted = 0
  /** Tells who waits for more. */
  #wake: (() => void) | null = null

  constructor(config: Config, { file, placement, apart, inputs }: Heard) {
    this.#placement = placement
    this.inputs = inputs
    this.apart = apart !== null
    const taken = apart ? apart.map((a) => takenApart(file.facts, a, FILM_SOUND_RATE)) : [takenInTwo(file.facts, FILM_SOUND_RATE)]
    this.channels = taken.reduce((sum, t) => sum + t.columns.length, 0)
    this.#held = new HeldStreams(taken)
    this.#own = Array.from({ length: this.channels }, () => new Float32Array(0))
    const frames = (t: number) => (t / FLICKS_PER_SECOND) * FILM_SOUND_RATE
    const pieces = piecesOf(placement).map(({ from, to, start }) => ({
      begins: frames(start + placement.rate * from),
      ends: frames(start + placement.rate * to),
      offset: frames(start),
    }))
    this.#pieces = pieces.map((p, i) => ({ ...p, ends: Math.min(p.ends, pieces[i + 1]?.begins ?? p.ends) }))
    this.#back = Math.ceil(Math.max(0, ...(placement.jumps ?? []).map((j) => -frames(j.by))))
    this.#seeks = canSeek(file.facts)
    this.#open = (seconds) =>
      soundReader(config, file, taken, seconds, {
        came: (stream, bytes) => this.#came(stream, bytes),
        ended: (failure) => this.#finish(failure),
      })
  }

  /** Begins to read, a little before a clip frame where the file lets it, else from its beginning. */
  #begin(frame: number): void {
    this.#reader?.close()
    const seconds = this.#seeks ? Math.max(0, Math.floor(frame / FILM_SOUND_RATE) - WARM_SECONDS) : 0
    this.#held.begin(seconds * FILM_SOUND_RATE)
    this.#ended = false
    this.#reader = this.#open(seconds)
  }

  /**
   * Gets master frames [from, from + count) ready that are wanted as they lie in the file.
   * @returns gives some of them, from the nth on, until it is asked for others; null where they have to be put together
   */
  async whole(from: number, count: number): Promise<GivesFrames | null> {
    const [piece] = this.#pieces
    if (this.#placement.rate !== 1 || this.#pieces.length !== 1 || from < piece.begins || from + count > piece.ends) return null
    const first = Math.round(from - piece.offset)
    // Before its beginning there is nothing to read.
    if (first + count <= 0) return null
    await this.#hold(first - MARGIN, first + count + MARGIN)
    const held = this.#held
    if (first < held.from || first + count > held.end) return null
    return (n, some) => held.view(first + n, some) as readonly Float32Array[]
  }

  /** Silence as long as a block, one array a channel, to be added to; overwritten by the next. */
  blank(count: number): readonly Float32Array[] {
    if (this.#own[0].length < count) for (const c of this.#own.keys()) this.#own[c] = new Float32Array(count)
    for (const plane of this.#own) plane.fill(0, 0, count)
    return this.#own.map((plane) => plane.subarray(0, count))
  }

  /**
   * Adds master frames [from, from + count), times a factor for each, to channels from their frame `at` on.
   * @param into planar, one array a channel
   */
  async addTo(into: readonly Float32Array[], at: number, from: number, count: number, shape: Float32Array | null): Promise<void> {
    const { rate } = this.#placement
    for (const piece of this.#pieces) {
      const position = (n: number) => (from + n - piece.offset) / rate
      // A doubled stretch is heard from the later piece; what was lost is silence.
      const begins = Math.max(0, Math.ceil(piece.begins - from))
      const ends = Math.min(count, Math.ceil(piece.ends - from))
      if (ends <= begins) continue
      const last = Math.ceil(position(ends)) + MARGIN
      if (last < 0) continue
      const first = Math.floor(position(begins)) - MARGIN
      await this.#hold(first - this.#back, last)
      const there = Math.max(first, this.#held.from)
      const planes = this.#held.view(there, Math.max(0, Math.min(last, this.#held.end) - there)) ?? []
      // A clock that agrees is copied sample by sample, to the nearest one.
      const shift = Math.round(position(0)) - there
      for (const [c, held] of planes.entries()) {
        const out = into[c]
        if (rate === 1) addFrames(held, shift, out, at, begins, ends, shape)
        else
          for (let n = begins; n < ends; n++) {
            const i = position(n) - there
            if (i >= 0 && i <= held.length) out[at + n] += (shape ? shape[n] : 1) * interpolate(held, held.length, 1, 0, i)
          }
      }
    }
  }

  /** Waits until frames are held, or the file has ended. */
  async #hold(first: number, last: number): Promise<void> {
    if (this.#closed) return
    const from = Math.max(0, first)
    const held = this.#held
    // What lies before the held frames has been let go, and a programme may go back all the same; far ahead it is quicker to begin anew.
    if (!this.#reader || from < held.from || (this.#seeks && !this.#ended && from - held.end > FAR)) this.#begin(from)
    held.drop(from)
    this.#from = from
    this.#wanted = last + AHEAD
    if (held.end < this.#wanted) this.#reader?.goOn()
    while (held.end < last && !this.#ended) await new Promise<void>((resolve) => (this.#wake = resolve))
    if (held.end < last && this.#failure) throw this.#failure
  }

  #came(stream: number, bytes: Uint8Array): void {
    this.#held.append(stream, bytes)
    // What nobody asked for is let go as it comes.
    this.#held.drop(this.#from)
    // It waits where one of its streams is not taken: all of them are, until none lacks anything.
    if (this.#held.end >= this.#wanted) this.#reader?.pause()
    this.#wake?.()
  }

  #finish(failure: MediaError | null): void {
    this.#failure ??= failure
    this.#ended = true
    this.#wake?.()
  }

  /** Nothing more is read; who still waits for frames has what there is. */
  close(): void {
    this.#closed = true
    this.#reader?.close()
    this.#finish(null)
  }
}
