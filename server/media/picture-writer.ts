import type { ChildProcess } from 'node:child_process'
import type { Writable } from 'node:stream'
import type { Rate } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { Cancelled, endChild, type Limits, lastWords, start } from './ffmpeg.ts'
import { MediaError, wordsFor } from './words.ts'

/** It lasts as long as what gives it pictures; the encoder holds a few dozen of them. */
const LIMITS: Limits = { seconds: Number.MAX_SAFE_INTEGER, memoryBytes: 1200 * 2 ** 20 }

interface Written {
  readonly width: number
  readonly height: number
  readonly rate: Rate
  /** What it becomes, as it is called when it fails. */
  readonly about: string
  readonly out: string
}

/** Encodes pictures (I420) that come one after the other at a steady rate. It must be closed. */
export class PictureWriter {
  readonly #about: string
  readonly #signal: AbortSignal
  readonly #encoder: ChildProcess
  readonly #sink: Writable
  readonly #closed: Promise<number | null>
  readonly #stop = () => endChild(this.#encoder)
  #said = ''

  /** @param how what the encoder is told behind the pictures: of what comes with them and how all is written */
  constructor(config: Config, { width, height, rate, about, out }: Written, how: readonly string[], signal: AbortSignal) {
    this.#about = about
    this.#signal = signal
    const raw = ['-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-s', `${width}x${height}`, '-framerate', `${rate.num}/${rate.den}`, '-i', 'pipe:3']
    this.#encoder = start(config, ['-v', 'error', '-y', '-nostdin', ...raw, ...how, out], ['ignore', 'ignore', 'pipe', 'pipe'], LIMITS, (words) => {
      this.#said = words
    })
    this.#encoder.stderr?.on('data', (chunk: Buffer) => {
      this.#said = (this.#said + chunk.toString('utf8')).slice(-2000)
    })
    this.#closed = new Promise((resolve) => {
      this.#encoder.on('close', (code) => resolve(code))
      this.#encoder.on('error', () => resolve(-1))
    })
    this.#sink = this.#encoder.stdio[3] as Writable
    this.#sink.on('error', () => undefined)
    signal.addEventListener('abort', this.#stop, { once: true })
  }

  /** Hands one on, and waits until the encoder has taken it: the memory may be used again when it is over. @throws Cancelled, or MediaError in plain words */
  async write(frame: Uint8Array): Promise<void> {
    if (this.#signal.aborted) throw new Cancelled()
    const { exitCode, signalCode } = this.#encoder
    if (exitCode !== null || signalCode !== null) throw new MediaError(`${this.#about} ${wordsFor(this.#said)}`, lastWords(this.#said))
    await Promise.race([new Promise<void>((resolve) => this.#sink.write(frame, () => resolve())), this.#closed])
  }

  /** Waits until all of it is written. @throws Cancelled, or MediaError in plain words */
  async end(): Promise<void> {
    this.#sink.end()
    const code = await this.#closed
    if (this.#signal.aborted) throw new Cancelled()
    if (code !== 0) throw new MediaError(`${this.#about} ${wordsFor(this.#said)}`, lastWords(this.#said) || `ffmpeg stopped with code ${code}`)
  }

  /** Ends it wherever it is. */
  async close(): Promise<void> {
    this.#signal.removeEventListener('abort', this.#stop)
    this.#stop()
    await this.#closed
  }
}
