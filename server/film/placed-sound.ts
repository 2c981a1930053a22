import type { Readable } from 'node:stream'
import type { ExchangeFile } from '@pendolo/core/formats'
import type { Placement } from '@pendolo/core/project'
import { interpolate } from '@pendolo/core/signal'
import { FLICKS_PER_SECOND, piecesOf } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { type Apart, canSeek, soundClock, type Taken, takenApart, takenInTwo } from '../media/sound-clock.ts'
import { MediaError, wordsFor } from '../media/words.ts'

export const FILM_SOUND_RATE = 48000
/** A decoder that begins in the middle needs so much before it gives what it would have given anyway. */
const WARM_SECONDS = 2
/** Where so many frames would be read for nothing, reading begins anew. */
const FAR = 20 * FILM_SOUND_RATE
/** So much is read ahead while the desk works, frames: decoders hand on little before they wait. */
const AHEAD = FILM_SOUND_RATE / 2
/** Input kept around a block for interpolation, frames. */
const MARGIN = 64

/** What one decoder gives to the desk. */
export interface Heard {
  readonly file: ExchangeFile
  readonly placement: Placement
  /** Channels of one stream, each by itself; null: all of the clip in two. */
  readonly apart: Apart | null
  /** Numbers of its inputs of the desk. */
  readonly inputs: readonly number[]
}

/** Decoders of a film run beside each other: threads of each would only wait for one another. */
const ALONE = ['-threads', '1', '-filter_complex_threads', '1']

/** Frames that are taken apart at once: of all channels they stay near the processor. */
const TILE = 512

/**
 * Frames of a decoder, each channel by itself: what comes is put behind, what is old is let go. What was given to look at stays as it
 * is until the next is let go.
 */
class Held {
  /** Clip frame of the first held one. */
  from = 0
  #length = 0
  /** Where the first held frame lies. */
  #first = 0
  readonly #planes: Float32Array[]
  /** Which channels of what comes are held. */
  readonly #columns: readonly number[]
  readonly #width: number

  constructor({ columns, width }: Taken) {
    this.#columns = columns
    this.#width = width
    this.#planes = columns.map(() => new Float32Array(0))
  }

  /** Behind the last held frame. */
  get end(): number {
    return this.from + this.#length
  }

  /** Holds nothing, and goes on from a frame. */
  begin(from: number): void {
    this.from = from
    this.#length = 0
    this.#first = 0
  }

  /** @param samples interleaved */
  append(samples: Float32Array): void {
    const width = this.#width
    const frames = samples.length / width
    const wanted = this.#first + this.#length + frames
    if (this.#planes[0].length < wanted) {
      for (const c of this.#planes.keys()) {
        const larger = new Float32Array(2 * (wanted - this.#first))
        larger.set(this.plane(c))
        this.#planes[c] = larger
      }
      this.#first = 0
    }
    const at = this.#first + this.#length
    for (let begin = 0; begin < frames; begin += TILE) {
      const end = Math.min(frames, begin + TILE)
      for (const [c, plane] of this.#planes.entries())
        for (let n = at + begin, i = begin * width + this.#columns[c]; n < at + end; n++, i += width) plane[n] = samples[i]
    }
    this.#length += frames
  }

  /** Lets go what lies before a frame. */
  drop(before: number): void {
    const gone = Math.min(this.#length, before - this.from)
    if (gone <= 0) return
    this.#first += gone
    this.#length -= gone
    this.from += gone
    // It is moved to the front when that costs less than what has been let go.
    if (this.#first < this.#length) return
    for (const plane of this.#planes) plane.copyWithin(0, this.#first, this.#first + this.#length)
    this.#first = 0
  }

  /** All held frames of a channel. */
  plane(channel: number): Float32Array {
    return this.#planes[channel].subarray(this.#first, this.#first + this.#length)
  }

  /** Some frames of all channels; null where not all of them are held. */
  view(from: number, count: number): readonly Float32Array[] | null {
    const first = from - this.from
    if (first < 0 || first + count > this.#length) return null
    return this.#planes.map((plane) => plane.subarray(this.#first + first, this.#first + first + count))
  }
}

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

/** The samples of some bytes; they are copied only where they do not lie as numbers must. */
function floats(bytes: Buffer, length: number): Float32Array {
  if (bytes.byteOffset % 4 === 0) return new Float32Array(bytes.buffer, bytes.byteOffset, length / 4)
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + length))
}

/** Sound of one original on the master's clock, some channels of it, read in blocks: forwards in one go, backwards by beginning anew. */
export class PlacedSound {
  /** Channels that come out of its decoder. */
  readonly #width: number
  /** Numbers of the inputs of the desk that it gives; one for all of a clip. */
  readonly inputs: readonly number[]
  /** Channels that it gives; whether each is an input by itself. */
  readonly channels: number
  readonly apart: boolean
  #child: ReturnType<typeof start> | null = null
  #chunks: AsyncIterator<Buffer> | null = null
  readonly #open: (seconds: number) => ReturnType<typeof start>
  readonly #seeks: boolean
  readonly #placement: Placement
  /** Pieces that ran through: where each begins and ends on the master, and where its clip time 0 would lie, frames. */
  readonly #pieces: { begins: number; ends: number; offset: number }[]
  /** How far a jump may lead back, frames. */
  readonly #back: number
  readonly #held: Held
  /** Where blocks are put together that do not come in one piece. */
  readonly #own: Float32Array[]
  #odd: Buffer = Buffer.alloc(0)
  #ended = false
  #failure: MediaError | null = null
  readonly #name: string
  /** What is being read; null while nothing is. */
  #reading: Promise<void> | null = null
  /** Up to where is read ahead, clip frames, and whether it is. */
  #wanted = 0
  #readsAhead = false

  constructor(config: Config, { file, placement, apart, inputs }: Heard) {
    this.#placement = placement
    this.#name = file.name
    this.inputs = inputs
    this.channels = apart ? apart.channels.length : 2
    this.apart = apart !== null
    const taken = apart ? takenApart(file.facts, apart) : takenInTwo(file.facts)
    this.#width = taken.width
    this.#held = new Held(taken)
    this.#own = Array.from({ length: this.channels }, () => new Float32Array(0))
    const frames = (t: number) => (t / FLICKS_PER_SECOND) * FILM_SOUND_RATE
    const pieces = piecesOf(placement).map(({ from, to, start }) => ({
      begins: frames(start + placement.rate * from),
      ends: frames(start + placement.rate * to),
      offset: frames(start),
    }))
    this.#pieces = pieces.map((p, i) => ({ ...p, ends: Math.min(p.ends, pieces[i + 1]?.begins ?? p.ends) }))
    this.#back = Math.ceil(Math.max(0, ...(placement.jumps ?? []).map((j) => -frames(j.by))))
    const output = ['-ar', String(FILM_SOUND_RATE), ...(apart ? [] : ['-ac', '2']), '-f', 'f32le', 'pipe:1']
    this.#seeks = canSeek(file.facts)
    this.#open = (seconds) => {
      const { before, filter } = soundClock(file.facts, seconds)
      const input = [...ALONE, ...before, ...inputArguments(file.path)]
      const child = start(
        config,
        ['-v', 'error', '-nostdin', ...input, ...taken.picks(filter), ...output],
        ['ignore', 'pipe', 'pipe'],
        limitsFor(file.facts),
        (words) => {
          this.#failure ??= new MediaError(`${file.name} ${words}`)
        },
      )
      let said = ''
      child.stderr?.on('data', (chunk: Buffer) => {
        said = (said + chunk.toString('utf8')).slice(-2000)
      })
      child.on('error', (error) => {
        this.#ended = true
        this.#failure ??= new MediaError(`${file.name} ${wordsFor(error.message)}`, error.message)
      })
      child.on('exit', (code) => {
        if (code && child === this.#child) this.#failure ??= new MediaError(`${file.name} ${wordsFor(said)}`, lastWords(said))
      })
      return child
    }
  }

  /** Begins to read, a little before a clip frame where the file lets it, else from its beginning. */
  #begin(frame: number): void {
    if (this.#child) dropChild(this.#child)
    const seconds = this.#seeks ? Math.max(0, Math.floor(frame / FILM_SOUND_RATE) - WARM_SECONDS) : 0
    this.#child = this.#open(seconds)
    this.#chunks = (this.#child.stdout as Readable)[Symbol.asyncIterator]()
    this.#held.begin(seconds * FILM_SOUND_RATE)
    this.#odd = Buffer.alloc(0)
    this.#ended = false
    this.#reading = null
    this.#wanted = 0
  }

  /**
   * Master frames [from, from + count) as they lie in the file, until it is asked again; null where they have to be put together.
   */
  async whole(from: number, count: number): Promise<readonly Float32Array[] | null> {
    const [piece] = this.#pieces
    if (this.#placement.rate !== 1 || this.#pieces.length !== 1 || from < piece.begins || from + count > piece.ends) return null
    const first = Math.round(from - piece.offset)
    await this.#hold(first - MARGIN, first + count + MARGIN)
    return this.#held.view(first, count)
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
    const { channels } = this
    for (const piece of this.#pieces) {
      const position = (n: number) => (from + n - piece.offset) / rate
      // A doubled stretch is heard from the later piece; what was lost is silence.
      const begins = Math.max(0, Math.ceil(piece.begins - from))
      const ends = Math.min(count, Math.ceil(piece.ends - from))
      if (ends <= begins) continue
      const last = Math.ceil(position(ends)) + MARGIN
      if (last < 0) continue
      await this.#hold(Math.floor(position(begins)) - MARGIN - this.#back, last)
      // A clock that agrees is copied sample by sample, to the nearest one.
      const shift = Math.round(position(0)) - this.#held.from
      for (let c = 0; c < channels; c++) {
        const [held, out] = [this.#held.plane(c), into[c]]
        if (rate === 1) addFrames(held, shift, out, at, begins, ends, shape)
        else
          for (let n = begins; n < ends; n++) {
            const i = position(n) - this.#held.from
            if (i >= 0 && i <= held.length) out[at + n] += (shape ? shape[n] : 1) * interpolate(held, held.length, 1, 0, i)
          }
      }
    }
  }

  async #hold(first: number, last: number): Promise<void> {
    const from = Math.max(0, first)
    const held = this.#held
    // What lies before the held frames has been let go, and a programme may go back all the same; far ahead it is quicker to begin anew.
    if (!this.#chunks || from < held.from || (this.#seeks && !this.#ended && from - held.end > FAR)) this.#begin(from)
    held.drop(from)
    while (held.end < last && !this.#ended) {
      await this.#more()
      // What nobody asked for is let go as it comes.
      held.drop(from)
    }
    if (held.end < last && this.#failure) throw this.#failure
    this.#wanted = last + AHEAD
    void this.#readAhead()
  }

  async #readAhead(): Promise<void> {
    if (this.#readsAhead) return
    this.#readsAhead = true
    while (this.#held.end < this.#wanted && !this.#ended) await this.#more()
    this.#readsAhead = false
  }

  /** Reads what comes next, for all who wait for it. */
  #more(): Promise<void> {
    if (this.#reading) return this.#reading
    const reading = this.#read(this.#chunks as AsyncIterator<Buffer>).finally(() => {
      if (this.#reading === reading) this.#reading = null
    })
    this.#reading = reading
    return reading
  }

  async #read(chunks: AsyncIterator<Buffer>): Promise<void> {
    let failed = ''
    const next = await chunks.next().catch((error: Error): IteratorReturnResult<undefined> => {
      failed = error.message
      return { value: undefined, done: true }
    })
    // It was begun anew meanwhile.
    if (chunks !== this.#chunks) return
    if (failed) this.#failure ??= new MediaError(`${this.#name} ${wordsFor(failed)}`, failed)
    if (next.done) {
      this.#ended = true
      return
    }
    const { value } = next
    const bytes = this.#odd.length > 0 ? Buffer.concat([this.#odd, value]) : value
    const whole = bytes.length - (bytes.length % (4 * this.#width))
    this.#odd = bytes.subarray(whole)
    this.#held.append(floats(bytes, whole))
  }

  close(): void {
    if (this.#child) dropChild(this.#child)
  }
}
