import { open } from 'node:fs/promises'
import type { Readable } from 'node:stream'
import type { Exchange, ExchangeFile } from '@pendolo/core/formats'
import { heardGains, type LevelPoint, levelAt, masterShares } from '@pendolo/core/mix'
import { type Clip, type Placement, type ProjectDoc, stripOf } from '@pendolo/core/project'
import { interpolate } from '@pendolo/core/signal'
import { clipToMaster, FLICKS_PER_SECOND, flicks, frameStart, piecesOf, secondsToFlicks, ZERO } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { Cancelled, dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { present } from '../media/originals.ts'
import { canSeek, hearingGraph, soundClock } from '../media/sound-clock.ts'
import { MediaError, wordsFor } from '../media/words.ts'

export const FILM_SOUND_RATE = 48000
/** Frames mixed at once: one second. */
const BLOCK = FILM_SOUND_RATE
/** A decoder that begins in the middle needs so much before it gives what it would have given anyway. */
const WARM_SECONDS = 2
/** Where so many frames would be read for nothing, reading begins anew. */
const FAR = 20 * FILM_SOUND_RATE
/** Input kept around a block for interpolation, frames. */
const MARGIN = 64

/** Sound of one original on the master's clock, read in blocks: forwards in one go, backwards by beginning anew. */
class PlacedSound {
  #child: ReturnType<typeof start> | null = null
  #chunks: AsyncIterator<Buffer> | null = null
  readonly #open: (seconds: number) => ReturnType<typeof start>
  readonly #seeks: boolean
  readonly #placement: Placement
  /** Level over master time; empty where it is the same throughout. */
  readonly #levels: readonly LevelPoint[]
  /** Pieces that ran through: where each begins and ends on the master, and where its clip time 0 would lie, frames. */
  readonly #pieces: { begins: number; ends: number; offset: number }[]
  /** How far a jump may lead back, frames. */
  readonly #back: number
  readonly gain: number
  #held = new Float32Array(0)
  /** Clip frame of the first held one. */
  #heldFrom = 0
  #odd: Buffer = Buffer.alloc(0)
  #ended = false
  #failure: MediaError | null = null

  constructor(config: Config, { file, placement, gain, levels, channels }: Heard) {
    this.#placement = placement
    this.#levels = levels
    this.gain = gain
    const frames = (t: number) => (t / FLICKS_PER_SECOND) * FILM_SOUND_RATE
    const pieces = piecesOf(placement).map(({ from, to, start }) => ({
      begins: frames(start + placement.rate * from),
      ends: frames(start + placement.rate * to),
      offset: frames(start),
    }))
    this.#pieces = pieces.map((p, i) => ({ ...p, ends: Math.min(p.ends, pieces[i + 1]?.begins ?? p.ends) }))
    this.#back = Math.ceil(Math.max(0, ...(placement.jumps ?? []).map((j) => -frames(j.by))))
    const output = ['-ar', String(FILM_SOUND_RATE), '-ac', '2', '-f', 'f32le', 'pipe:1']
    this.#seeks = canSeek(file.facts)
    this.#open = (seconds) => {
      const { before, filter } = soundClock(file.facts, seconds)
      const graph = hearingGraph(file.facts, filter, channels)
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

  /** Adds master frames [from, from + count) to an interleaved stereo block. */
  async addTo(block: Float32Array, from: number, count: number): Promise<void> {
    if (this.#levels.length === 0) return this.#addTo(block, from, count)
    const own = new Float32Array(block.length)
    await this.#addTo(own, from, count)
    for (let n = 0; n < count; n++) {
      const level = levelAt(this.#levels, flicks(Math.round(((from + n) / FILM_SOUND_RATE) * FLICKS_PER_SECOND)))
      block[2 * n] += level * own[2 * n]
      block[2 * n + 1] += level * own[2 * n + 1]
    }
  }

  async #addTo(block: Float32Array, from: number, count: number): Promise<void> {
    const { rate } = this.#placement
    for (const piece of this.#pieces) {
      const position = (n: number) => (from + n - piece.offset) / rate
      // A doubled stretch is heard from the later piece; what was lost is silence.
      const begins = Math.max(0, Math.ceil(piece.begins - from))
      const ends = Math.min(count, Math.ceil(piece.ends - from))
      if (ends <= begins) continue
      const last = Math.ceil(position(ends)) + MARGIN
      if (last < 0) continue
      await this.#hold(Math.floor(position(begins)) - MARGIN - this.#back, last)
      const frames = this.#held.length / 2
      for (let n = begins; n < ends; n++) {
        if (rate === 1) {
          // A clock that agrees is copied sample by sample, to the nearest one.
          const i = Math.round(position(n)) - this.#heldFrom
          if (i < 0 || i >= frames) continue
          block[2 * n] += this.gain * this.#held[2 * i]
          block[2 * n + 1] += this.gain * this.#held[2 * i + 1]
        } else {
          const i = position(n) - this.#heldFrom
          if (i < 0 || i > frames) continue
          block[2 * n] += this.gain * interpolate(this.#held, frames, 2, 0, i)
          block[2 * n + 1] += this.gain * interpolate(this.#held, frames, 2, 1, i)
        }
      }
    }
  }

  async #hold(first: number, last: number): Promise<void> {
    const from = Math.max(0, first)
    let have = this.#heldFrom + this.#held.length / 2
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
      const whole = bytes.length - (bytes.length % 8)
      this.#odd = bytes.subarray(whole)
      const samples = new Float32Array(Uint8Array.from(bytes.subarray(0, whole)).buffer)
      pieces.push(samples)
      length += samples.length
      have += samples.length / 2
      // What nobody asked for is let go as it comes.
      while (pieces.length > 1 && start + pieces[0].length / 2 <= from) {
        const gone = (pieces.shift() as Float32Array).length
        start += gone / 2
        length -= gone
      }
    }
    const all = new Float32Array(length)
    let at = 0
    for (const piece of pieces) {
      all.set(piece, at)
      at += piece.length
    }
    const drop = Math.max(0, Math.min(all.length / 2, from - start))
    this.#held = all.subarray(drop * 2)
    this.#heldFrom = start + drop
  }

  close(): void {
    if (this.#child) dropChild(this.#child)
  }
}

interface Heard {
  readonly file: ExchangeFile
  readonly placement: Placement
  readonly gain: number
  readonly levels: readonly LevelPoint[]
  /** What was said of its channels. */
  readonly channels: Clip['channels']
}

/** Which clips are heard in the film, with their factors; recordings that are the master together give way to each other. */
function heard(doc: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>): Heard[] {
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && doc.placements[c.id] && files.get(c.fileId)?.facts.audio)
  const gains = heardGains(clips.map((c) => stripOf(doc, c.id)))
  const shares = sharesOf(doc, files)
  return clips
    .map((c, i) => ({
      file: files.get(c.fileId) as ExchangeFile,
      placement: doc.placements[c.id],
      gain: gains[i],
      levels: shares.get(c.id) ?? [],
      channels: c.channels,
    }))
    .filter((x) => x.gain > 0)
}

/** Levels of the recordings of a master of several; empty where there is but one. */
function sharesOf({ master, clips, placements }: ProjectDoc, files: ReadonlyMap<string, ExchangeFile>): ReadonlyMap<string, readonly LevelPoint[]> {
  if (master.clipIds.length < 2) return new Map()
  const recordings = master.clipIds.flatMap((id) => {
    const file = files.get(clips[id]?.fileId ?? '')
    const placement = placements[id]
    if (!file?.facts.audio || !placement) return []
    return [{ id, start: clipToMaster(ZERO, placement), end: clipToMaster(secondsToFlicks(file.facts.durationSeconds), placement) }]
  })
  return masterShares(recordings, master.join, master.fade)
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

function soundRuns({ runs, fromFrame, rate }: Exchange): SoundRun[] {
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
  const sounds = heard(doc, files)
  for (const { file } of sounds) await present(config, file)
  const sources = sounds.map((h) => new PlacedSound(config, h))
  try {
    // What reaches over a join, for the run that follows.
    let over: Float32Array = new Float32Array(0)
    for (const run of runs) over = await mixRun(sources, run, over, write, signal)
    if (over.length > 0) await write(new Uint8Array(Float32Array.from(over).buffer))
  } finally {
    for (const source of sources) source.close()
  }
  return runs.at(-1)?.ends ?? 0
}

/** @param over what the run before reaches into this one @returns what this one reaches into the next */
async function mixRun(
  sources: readonly PlacedSound[],
  run: SoundRun,
  over: Float32Array,
  write: (bytes: Uint8Array) => Promise<void>,
  signal: AbortSignal,
): Promise<Float32Array> {
  let ahead: Float32Array = new Float32Array(0)
  const [first, last] = [run.begins - run.into, run.ends + run.out]
  const shaped = run.into > 0 || run.out > 0
  for (let at = first; at < last; ) {
    if (signal.aborted) throw new Cancelled()
    const count = Math.min(BLOCK, last - at)
    const block = new Float32Array(count * 2)
    if (run.from !== null) for (const source of sources) await source.addTo(block, run.from + (at - run.begins), count)
    if (shaped) shape(block, run, at)
    const reach = (at - first) * 2
    for (let i = reach; i < over.length && i - reach < block.length; i++) block[i - reach] += over[i]
    // The last part, in which the next run is faded in, waits for it.
    const whole = Math.max(0, Math.min(count, run.ends - run.out - at))
    await write(new Uint8Array(block.buffer, 0, whole * 8))
    if (whole < count) ahead = joinedBlocks(ahead, block.subarray(whole * 2))
    at += count
  }
  return ahead
}

function shape(block: Float32Array, run: SoundRun, at: number): void {
  for (let n = 0; n < block.length / 2; n++) {
    const level = runLevel(run, at + n + 0.5)
    if (level === 1) continue
    block[2 * n] *= level
    block[2 * n + 1] *= level
  }
}

function joinedBlocks(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array(a.length + b.length)
  out.set(a)
  out.set(b, a.length)
  return out
}
