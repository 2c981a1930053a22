import type { ChildProcess } from 'node:child_process'
import path from 'node:path'
import { createInterface } from 'node:readline'
import type { Readable } from 'node:stream'
import type { Framing } from '@pendolo/core/picture'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { decoderArguments, dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { MediaError, wordsFor } from '../media/words.ts'

/** A decoded picture with its number on the file's frame grid. */
export interface GridFrame {
  readonly grid: number
  readonly data: Buffer
}

/** Seconds decoded before the first wanted picture, so that the one whose interval holds it is surely among them. */
const RUN_UP_SECONDS = 0.5

/** Pictures of an original in film size, in order, from a grid frame on. Opened early, it waits with the first picture ready. */
export class FrameDecoder {
  readonly #child: ChildProcess
  readonly #stdout: AsyncIterator<Buffer>
  readonly #frameBytes: number
  readonly #grids: number[] = []
  #rest: Buffer[] = []
  #restBytes = 0
  #ended = false
  #said = ''
  #wake: (() => void) | null = null
  readonly #name: string

  constructor(config: Config, file: string, facts: FileFacts, fromGrid: number, size: { width: number; height: number }, framing: Framing) {
    const video = facts.video
    if (!video) throw new MediaError('this file has no picture')
    this.#name = path.basename(file)
    this.#frameBytes = (size.width * size.height * 3) / 2
    const rate = video.rate.num / video.rate.den
    const from = Math.max(0, video.startSeconds + fromGrid / rate - RUN_UP_SECONDS)
    const square = `scale=w='trunc(iw*sar/2)*2':h='trunc(ih/2)*2',setsar=1`
    const fitted =
      framing === 'fill'
        ? `scale=${size.width}:${size.height}:force_original_aspect_ratio=increase:flags=bicubic:out_color_matrix=bt709:out_range=tv,crop=${size.width}:${size.height}`
        : `scale=${size.width}:${size.height}:force_original_aspect_ratio=decrease:force_divisible_by=2:flags=bicubic:out_color_matrix=bt709:out_range=tv,pad=${size.width}:${size.height}:(ow-iw)/2:(oh-ih)/2`
    const filter = `showinfo=checksum=0,${square},${fitted},format=yuv420p`
    const seek = from > 0 ? ['-ss', from.toFixed(6)] : []
    this.#child = start(
      config,
      [
        '-v',
        'info',
        '-nostats',
        '-hide_banner',
        '-nostdin',
        '-copyts',
        ...seek,
        ...decoderArguments(facts),
        ...inputArguments(file),
        '-map',
        '0:v:0',
        '-an',
        '-vf',
        filter,
        '-fps_mode',
        'passthrough',
        '-f',
        'rawvideo',
        'pipe:1',
      ],
      ['ignore', 'pipe', 'pipe'],
      // It waits while others are read, so its time is the film's.
      { ...limitsFor(facts), seconds: Number.MAX_SAFE_INTEGER },
      (words) => {
        this.#said = words
      },
    )
    this.#child.on('error', () => this.#finish())
    this.#child.on('close', () => this.#finish())
    this.#stdout = (this.#child.stdout as Readable)[Symbol.asyncIterator]()
    let base = 1 / 90000
    createInterface({ input: this.#child.stderr as Readable }).on('line', (line) => {
      const config = /config in time_base: (\d+)\/(\d+)/.exec(line)
      if (config) base = Number(config[1]) / Number(config[2])
      const picture = /Parsed_showinfo.*\bn: *\d+ pts: *(-?\d+|NOPTS)/.exec(line)
      if (picture) {
        const seconds = picture[1] === 'NOPTS' ? Number.NaN : Number(picture[1]) * base
        const place = (seconds - video.startSeconds) * rate
        // As the light copies are made: steady rates to the nearest, variable ones to the next grid frame.
        this.#grids.push(video.variableRate ? Math.ceil(place - 1e-4) : Math.round(place))
        this.#wake?.()
      } else if (!line.includes('Parsed_showinfo')) this.#said = `${this.#said}${line}\n`.slice(-2000)
    })
  }

  #finish(): void {
    this.#ended = true
    this.#wake?.()
  }

  /** The next picture, or null at the end of the file. @throws MediaError when nothing at all could be decoded */
  async next(): Promise<GridFrame | null> {
    while (this.#restBytes < this.#frameBytes) {
      const { value, done } = await this.#stdout.next()
      if (done) return null
      this.#rest.push(value)
      this.#restBytes += value.length
    }
    const all = this.#rest.length === 1 ? this.#rest[0] : Buffer.concat(this.#rest)
    const data = all.subarray(0, this.#frameBytes)
    this.#rest = all.length > this.#frameBytes ? [all.subarray(this.#frameBytes)] : []
    this.#restBytes = all.length - this.#frameBytes
    while (this.#grids.length === 0 && !this.#ended) await new Promise<void>((resolve) => (this.#wake = resolve))
    const grid = this.#grids.shift()
    if (grid === undefined) throw new MediaError(`${this.#name} ${wordsFor(this.#said)}`, lastWords(this.#said))
    return { grid, data }
  }

  get said(): string {
    return lastWords(this.#said)
  }

  /** May be called twice. */
  close(): void {
    dropChild(this.#child)
  }
}
