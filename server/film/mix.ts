import { open } from 'node:fs/promises'
import type { Readable } from 'node:stream'
import type { Exchange, ExchangeFile } from '@pendolo/core/formats'
import { heardGains } from '@pendolo/core/mix'
import { DEFAULT_STRIP, type Placement } from '@pendolo/core/project'
import { interpolate } from '@pendolo/core/signal'
import { FLICKS_PER_SECOND, frameStart, piecesOf } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { Cancelled, dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { present } from '../media/originals.ts'
import { folded, soundClock } from '../media/sound-clock.ts'
import { MediaError, wordsFor } from '../media/words.ts'

export const FILM_SOUND_RATE = 48000
/** Frames mixed at once: one second. */
const BLOCK = FILM_SOUND_RATE
/** Input kept around a block for interpolation, frames. */
const MARGIN = 64

/** Sound of one original on the master's clock, read forwards in blocks. */
class PlacedSound {
  readonly #child: ReturnType<typeof start>
  readonly #chunks: AsyncIterator<Buffer>
  readonly #placement: Placement
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

  constructor(config: Config, file: ExchangeFile, placement: Placement, gain: number) {
    this.#placement = placement
    this.gain = gain
    const frames = (t: number) => (t / FLICKS_PER_SECOND) * FILM_SOUND_RATE
    const pieces = piecesOf(placement).map(({ from, to, start }) => ({
      begins: frames(start + placement.rate * from),
      ends: frames(start + placement.rate * to),
      offset: frames(start),
    }))
    this.#pieces = pieces.map((p, i) => ({ ...p, ends: Math.min(p.ends, pieces[i + 1]?.begins ?? p.ends) }))
    this.#back = Math.ceil(Math.max(0, ...(placement.jumps ?? []).map((j) => -frames(j.by))))
    const { before, filter } = soundClock(file.facts)
    const channels = file.facts.audio?.channels ?? 1
    const graph = channels > 2 ? `${folded(channels, 'stereo')},${filter}` : `${filter},aformat=channel_layouts=stereo`
    this.#child = start(
      config,
      [
        '-v',
        'error',
        '-nostdin',
        ...before,
        ...inputArguments(file.path),
        '-map',
        '0:a:0',
        '-af',
        graph,
        '-ar',
        String(FILM_SOUND_RATE),
        '-ac',
        '2',
        '-f',
        'f32le',
        'pipe:1',
      ],
      ['ignore', 'pipe', 'pipe'],
      limitsFor(file.facts),
      (words) => {
        this.#failure ??= new MediaError(`${file.name} ${words}`)
      },
    )
    let said = ''
    this.#child.stderr?.on('data', (chunk: Buffer) => {
      said = (said + chunk.toString('utf8')).slice(-2000)
    })
    this.#child.on('error', (error) => {
      this.#ended = true
      this.#failure ??= new MediaError(`${file.name} ${wordsFor(error.message)}`, error.message)
    })
    this.#child.on('exit', (code) => {
      if (code) this.#failure ??= new MediaError(`${file.name} ${wordsFor(said)}`, lastWords(said))
    })
    this.#chunks = (this.#child.stdout as Readable)[Symbol.asyncIterator]()
  }

  /** Adds master frames [from, from + count) to an interleaved stereo block. */
  async addTo(block: Float32Array, from: number, count: number): Promise<void> {
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
    const pieces: Float32Array[] = [this.#held]
    let have = this.#heldFrom + this.#held.length / 2
    while (have < last && !this.#ended) {
      const { value, done } = await this.#chunks.next()
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
      have += samples.length / 2
    }
    const all = new Float32Array(pieces.reduce((s, p) => s + p.length, 0))
    let at = 0
    for (const piece of pieces) {
      all.set(piece, at)
      at += piece.length
    }
    const drop = Math.max(0, Math.min(all.length / 2, first - this.#heldFrom))
    this.#held = all.subarray(drop * 2)
    this.#heldFrom += drop
  }

  close(): void {
    dropChild(this.#child)
  }
}

/** Which clips are heard in the film, with their factors. */
function heard(exchange: Exchange, files: ReadonlyMap<string, ExchangeFile>): { file: ExchangeFile; placement: Placement; gain: number }[] {
  const { doc } = exchange
  const clips = Object.values(doc.clips).filter((c) => c.state === 'in' && doc.placements[c.id] && files.get(c.fileId)?.facts.audio)
  const gains = heardGains(clips.map((c) => doc.strips[c.id] ?? { ...DEFAULT_STRIP, on: c.id === doc.masterClipId }))
  return clips.map((c, i) => ({ file: files.get(c.fileId) as ExchangeFile, placement: doc.placements[c.id], gain: gains[i] })).filter((x) => x.gain > 0)
}

/**
 * Mixes the film's sound as raw 32-bit stereo at 48 kHz, exactly as long as its pictures.
 * @returns number of sound frames written
 */
export async function mixSound(
  config: Config,
  exchange: Exchange,
  files: ReadonlyMap<string, ExchangeFile>,
  out: string,
  signal: AbortSignal,
): Promise<number> {
  const seconds = (frame: number) => frameStart(frame, exchange.rate) / FLICKS_PER_SECOND
  const from = Math.round(seconds(exchange.fromFrame) * FILM_SOUND_RATE)
  const total = Math.round(seconds(exchange.toFrame) * FILM_SOUND_RATE) - from
  const sounds = heard(exchange, files)
  for (const { file } of sounds) await present(config, file)
  const sources = sounds.map((h) => new PlacedSound(config, h.file, h.placement, h.gain))
  // A file handle rejects where a stream without a listener would end the server.
  const file = await open(out, 'w')
  try {
    for (let done = 0; done < total; done += BLOCK) {
      if (signal.aborted) throw new Cancelled()
      const count = Math.min(BLOCK, total - done)
      const block = new Float32Array(count * 2)
      for (const source of sources) await source.addTo(block, from + done, count)
      await file.appendFile(new Uint8Array(block.buffer))
    }
  } finally {
    for (const source of sources) source.close()
    await file.close()
  }
  return total
}
