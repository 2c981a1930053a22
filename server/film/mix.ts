import { open } from 'node:fs/promises'
import type { Readable } from 'node:stream'
import { type DeskSource, projectDesk } from '@pendolo/core/film'
import type { Exchange, ExchangeFile } from '@pendolo/core/formats'
import { channelsOf, type DeskInput, type DeskPassage, DeskRun, deskLatency } from '@pendolo/core/mix'
import type { FileFacts, Placement, ProjectDoc } from '@pendolo/core/project'
import { interpolate } from '@pendolo/core/signal'
import { FLICKS_PER_SECOND, frameStart, piecesOf } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { Cancelled, dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { present } from '../media/originals.ts'
import { apartGraph, canSeek, hearingOf, MOST_APART, soundClock } from '../media/sound-clock.ts'
import { MediaError, wordsFor } from '../media/words.ts'

export const FILM_SOUND_RATE = 48000
/** Frames read at once: a fifth of a second. */
const BLOCK = FILM_SOUND_RATE / 5
/** Frames that the desk takes at once: all its strips together stay near the processor. A block is a whole number of them. */
const DESK_BLOCK = 960
/** A decoder that begins in the middle needs so much before it gives what it would have given anyway. */
const WARM_SECONDS = 2
/** Where so many frames would be read for nothing, reading begins anew. */
const FAR = 20 * FILM_SOUND_RATE
/** Input kept around a block for interpolation, frames. */
const MARGIN = 64

/** Sound of one original on the master's clock, some channels of it, read in blocks: forwards in one go, backwards by beginning anew. */
class PlacedSound {
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
  #held = new Float32Array(0)
  /** Clip frame of the first held one. */
  #heldFrom = 0
  #odd: Buffer = Buffer.alloc(0)
  #ended = false
  #failure: MediaError | null = null

  constructor(config: Config, { file, placement, apart, inputs }: Heard) {
    this.#placement = placement
    this.inputs = inputs
    this.channels = apart ? apart.channels.length : 2
    this.apart = apart !== null
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
      const graph = apart ? apartGraph(apart.stream, apart.channels, filter) : `[0:a:0]${hearingOf(file.facts, filter)}`
      const child = start(
        config,
        ['-v', 'error', '-nostdin', ...before, ...inputArguments(file.path), '-filter_complex', graph, '-map', '[a]', ...output],
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
    this.#held = new Float32Array(0)
    this.#heldFrom = seconds * FILM_SOUND_RATE
    this.#odd = Buffer.alloc(0)
    this.#ended = false
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
      const held = this.#held
      const frames = held.length / channels
      // A clock that agrees is copied sample by sample, to the nearest one.
      if (rate === 1) addFrames(held, channels, Math.round(position(0)) - this.#heldFrom, into, at, begins, ends, shape)
      else
        for (let c = 0; c < channels; c++) {
          const out = into[c]
          for (let n = begins; n < ends; n++) {
            const i = position(n) - this.#heldFrom
            if (i >= 0 && i <= frames) out[at + n] += (shape ? shape[n] : 1) * interpolate(held, frames, channels, c, i)
          }
        }
    }
  }

  async #hold(first: number, last: number): Promise<void> {
    const { channels } = this
    const from = Math.max(0, first)
    let have = this.#heldFrom + this.#held.length / channels
    // What lies before the held frames has been let go, and a programme may go back all the same; far ahead it is quicker to begin anew.
    if (!this.#chunks || from < this.#heldFrom || (this.#seeks && !this.#ended && from - have > FAR)) {
      this.#begin(from)
      have = this.#heldFrom
    }
    const pieces: Float32Array[] = [this.#held]
    let [start, length] = [this.#heldFrom, this.#held.length]
    while (have < last && !this.#ended) {
      const { value, done } = await (this.#chunks as AsyncIterator<Buffer>).next()
      if (done) {
        this.#ended = true
        if (this.#failure) throw this.#failure
        break
      }
      const bytes = this.#odd.length > 0 ? Buffer.concat([this.#odd, value]) : value
      const whole = bytes.length - (bytes.length % (4 * channels))
      this.#odd = bytes.subarray(whole)
      const samples = floats(bytes, whole)
      pieces.push(samples)
      length += samples.length
      have += samples.length / channels
      // What nobody asked for is let go as it comes.
      while (pieces.length > 1 && start + pieces[0].length / channels <= from) {
        const gone = (pieces.shift() as Float32Array).length
        start += gone / channels
        length -= gone
      }
    }
    const all = new Float32Array(length)
    let at = 0
    for (const piece of pieces) {
      all.set(piece, at)
      at += piece.length
    }
    const drop = Math.max(0, Math.min(all.length / channels, from - start))
    this.#held = all.subarray(drop * channels)
    this.#heldFrom = start + drop
  }

  close(): void {
    if (this.#child) dropChild(this.#child)
  }
}

/** Frames that are taken apart at once: of all channels they stay near the processor. */
const TILE = 512

/**
 * Adds frames of interleaved channels to planar ones.
 * @param shift frame of `held` that belongs to frame 0 of what is counted from `begins` to `ends`
 * @param at frame of `into` that belongs to it
 */
function addFrames(
  held: Float32Array,
  channels: number,
  shift: number,
  into: readonly Float32Array[],
  at: number,
  begins: number,
  ends: number,
  shape: Float32Array | null,
): void {
  const [first, last] = [Math.max(begins, -shift), Math.min(ends, held.length / channels - shift)]
  for (let from = first; from < last; from += TILE) {
    const to = Math.min(last, from + TILE)
    for (let c = 0; c < channels; c++) {
      const out = into[c]
      let i = (from + shift) * channels + c
      if (shape) for (let n = from; n < to; n++, i += channels) out[at + n] += shape[n] * held[i]
      else for (let n = from; n < to; n++, i += channels) out[at + n] += held[i]
    }
  }
}

/** The samples of some bytes; they are copied only where they do not lie as numbers must. */
function floats(bytes: Buffer, length: number): Float32Array {
  if (bytes.byteOffset % 4 === 0) return new Float32Array(bytes.buffer, bytes.byteOffset, length / 4)
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + length))
}

/** What one decoder gives to the desk. */
interface Heard {
  readonly file: ExchangeFile
  readonly placement: Placement
  /** Channels of one stream, each by itself; null: all of the clip in two. */
  readonly apart: { readonly stream: number; readonly channels: readonly number[] } | null
  /** Numbers of its inputs of the desk. */
  readonly inputs: readonly number[]
}

/** Decoders for the inputs of a desk: channels of one stream come out of one, as far as one can. */
function decodersFor(doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>, sources: readonly DeskSource[]): Heard[] {
  const out: (Heard & { apart: { channels: number[] } | null; inputs: number[]; clipId: string })[] = []
  for (const [input, { clipId, channel, number }] of sources.entries()) {
    const file = files.get(doc.clips[clipId].fileId) as ExchangeFile
    const placement = doc.placements[clipId]
    if (channel === null) {
      out.push({ clipId, file, placement, apart: null, inputs: [input] })
      continue
    }
    const found = channelsOf(file.facts.audio as NonNullable<FileFacts['audio']>)[number - 1]
    const open = out.find((h) => h.clipId === clipId && h.apart?.stream === found.stream && h.apart.channels.length < MOST_APART)
    if (open?.apart) {
      open.apart.channels.push(found.channel)
      open.inputs.push(input)
    } else out.push({ clipId, file, placement, apart: { stream: found.stream, channels: [found.channel] }, inputs: [input] })
  }
  return out
}

/** A run of the programme in sound frames: where it begins and ends in the film, with its fades, and on the master. */
export interface SoundRun {
  readonly begins: number
  readonly ends: number
  /** Master frame at `begins`; null is silence. */
  readonly from: number | null
  /** Half the lengths of the crossfades at both ends. */
  readonly into: number
  readonly out: number
}

/** The runs of a film in sound frames. */
export function soundRuns({ runs, fromFrame, rate }: Exchange): SoundRun[] {
  const frame = (n: number) => Math.round((frameStart(n, rate) / FLICKS_PER_SECOND) * FILM_SOUND_RATE)
  const zero = frame(fromFrame)
  const plain = runs.map((r) => ({
    begins: frame(r.fromFrame) - zero,
    ends: frame(r.fromFrame + r.frames) - zero,
    from: r.masterFrame === null ? null : frame(r.masterFrame),
  }))
  const half = (i: number): number => {
    const [a, b] = [plain[i - 1], plain[i]]
    if (!a || !b) return 0
    const wanted = Math.round((runs[i].fade / FLICKS_PER_SECOND / 2) * FILM_SOUND_RATE)
    return Math.min(wanted, Math.floor((a.ends - a.begins) / 2), Math.floor((b.ends - b.begins) / 2))
  }
  return plain.map((r, i) => ({ ...r, into: half(i), out: half(i + 1) }))
}

/** Factor of a run at a frame of the film: 1 within it, falling to 0 over its crossfades. */
function runLevel(run: SoundRun, at: number): number {
  const into = run.into > 0 ? (at - (run.begins - run.into)) / (2 * run.into) : 1
  const out = run.out > 0 ? (run.ends + run.out - at) / (2 * run.out) : 1
  return Math.max(0, Math.min(1, into, out))
}

/**
 * Mixes the film's sound as raw 32-bit stereo at 48 kHz, exactly as long as its pictures. Outside of the crossfades at
 * its joins it is sample for sample what the master has there.
 * @param hear is given all of it as it comes
 * @returns number of sound frames written
 */
export async function mixSound(
  config: Config,
  exchange: Exchange,
  files: ReadonlyMap<string, ExchangeFile>,
  out: string,
  signal: AbortSignal,
  hear: (samples: Float32Array) => void = () => undefined,
): Promise<number> {
  const write = async (bytes: Uint8Array) => {
    hear(new Float32Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 4))
    await file.appendFile(bytes)
  }
  // A file handle rejects where a stream without a listener would end the server.
  const file = await open(out, 'w')
  try {
    return await mixRuns(config, exchange.doc, files, soundRuns(exchange), write, signal)
  } finally {
    await file.close()
  }
}

/**
 * Mixes what is heard of a project in runs, block by block.
 * @param write takes 32-bit stereo at 48 kHz
 * @returns number of sound frames written
 */
export async function mixRuns(
  config: Config,
  doc: ProjectDoc,
  files: ReadonlyMap<string, ExchangeFile>,
  runs: readonly SoundRun[],
  write: (bytes: Uint8Array) => Promise<void>,
  signal: AbortSignal,
): Promise<number> {
  const { nodes, sources: wanted } = projectDesk(doc, (id) => files.get(id)?.facts)
  const heard = decodersFor(doc, files, wanted)
  for (const { file } of heard) await present(config, file)
  const sources = heard.map((h) => new PlacedSound(config, h))
  try {
    const desk = new DeskRun(FILM_SOUND_RATE, false)
    desk.set(nodes)
    desk.play(runs.filter((r) => r.from !== null).map(passageOf))
    const ends = runs.at(-1)?.ends ?? 0
    const latency = ends > 0 ? deskLatency(nodes) : 0
    const out = [new Float32Array(BLOCK), new Float32Array(BLOCK)] as const
    const inputs: (Float32Array[] | null)[] = wanted.map(() => null)
    for (let at = 0; at < ends + latency; at += BLOCK) {
      if (signal.aborted) throw new Cancelled()
      const count = Math.min(BLOCK, ends + latency - at)
      const block = [out[0].subarray(0, count), out[1].subarray(0, count)] as const
      await Promise.all(sources.map((source) => read(source, runs, at, count, inputs)))
      for (let n = 0; n < count; n += DESK_BLOCK) {
        const part = (channel: Float32Array) => channel.subarray(n, Math.min(count, n + DESK_BLOCK))
        desk.run(
          inputs.map((input) => input?.map(part) ?? null),
          [part(block[0]), part(block[1])],
          (at + n) / FILM_SOUND_RATE,
        )
      }
      // What the desk gave before the first frame had come through is nothing.
      const early = Math.min(count, Math.max(0, latency - at))
      if (early < count) await write(interleaved([block[0].subarray(early), block[1].subarray(early)]))
    }
    return ends
  } finally {
    for (const source of sources) source.close()
  }
}

const seconds = (frames: number): number => frames / FILM_SOUND_RATE

function passageOf(run: SoundRun): DeskPassage {
  return {
    after: seconds(run.begins),
    master: seconds(run.from as number),
    length: seconds(run.ends - run.begins),
    fadeIn: 2 * seconds(run.into),
    fadeOut: 2 * seconds(run.out),
  }
}

/** Gives the desk what a source has for a block of the film: what each run has there, faded over its joins. */
async function read(source: PlacedSound, runs: readonly SoundRun[], at: number, count: number, inputs: (DeskInput | null)[]): Promise<void> {
  const own: Float32Array[] = Array.from({ length: source.channels }, () => new Float32Array(count))
  for (const run of runs) {
    const [from, to] = [Math.max(at, run.begins - run.into), Math.min(at + count, run.ends + run.out)]
    if (run.from === null || to <= from) continue
    const faded = from < run.begins + run.into || to > run.ends - run.out
    const shape = faded ? Float32Array.from({ length: to - from }, (_, n) => runLevel(run, from + n + 0.5)) : null
    await source.addTo(own, from - at, run.from + (from - run.begins), to - from, shape)
  }
  if (source.apart) for (const [c, input] of source.inputs.entries()) inputs[input] = [own[c]]
  else inputs[source.inputs[0]] = own
}

function interleaved([left, right]: readonly [Float32Array, Float32Array]): Uint8Array {
  const out = new Float32Array(left.length * 2)
  for (let n = 0; n < left.length; n++) {
    out[2 * n] = left[n]
    out[2 * n + 1] = right[n]
  }
  return new Uint8Array(out.buffer)
}
