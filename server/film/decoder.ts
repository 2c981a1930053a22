import type { ChildProcess } from 'node:child_process'
import { createInterface } from 'node:readline'
import type { Readable } from 'node:stream'
import type { ExchangeFile } from '@pendolo/core/formats'
import { type FileFacts, frameGridOf, paceOf } from '@pendolo/core/project'
import { type Flicks, type FrameGrid, flicks, flicksToSeconds, frameStart, gridTolerance, pictureTime, rateToNumber } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { decoderArguments, dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import type { PictureSource } from '../media/pictures.ts'
import { MediaError, wordsFor } from '../media/words.ts'
import { bytesOf, framed, type PictureSize, type Seen } from './framing.ts'

/** A decoded picture and the clip time from which it is shown. */
interface Picture {
  readonly time: Flicks
  readonly data: Buffer
}

/**
 * Seconds before the wanted picture at which decoding is tried to begin, one after the other: where the picture whose
 * interval holds it is not among what comes (a long hold, a long group), earlier. At last the file is read from its start.
 * Mostly the group that the wanted instant falls in is enough, and one before it would cost as much as a second of film.
 */
const RUN_UPS = [0, 0.5, 3, 12, 60]

/** Clip times from the first to the last that is asked for. */
export interface ClipRange {
  readonly from: Flicks
  readonly to: Flicks
}

/** No file lasts so long, s. */
const NEVER = 1e9
/**
 * Pictures before and after what is asked for that are handed on too: one of them is shown at its beginning, even where one is missing, and the
 * one before and the one after are woven with what is shown where pictures are made of fields.
 */
const MARGIN_FRAMES = { before: 2.5, after: 1.5 }
/** Share of a picture's length by which its time is moved at most: see {@link gridTolerance}. */
const MOVED_FRAMES = 0.5

/** A file that ends so much earlier than it did when it was gathered has lost its end. */
const LOST_SECONDS = 1

/** Pictures that are needed at once: the one that is shown, the next, the one that is read, and one to be safe. */
const HELD = 4

/** One run of ffmpeg over the pictures of a file, from some place on. */
class Run {
  readonly #child: ChildProcess
  readonly #stdout: AsyncIterator<Buffer>
  readonly #frameBytes: number
  readonly #times: number[] = []
  readonly #ring: Buffer[] = []
  #turn = 0
  #rest: Buffer = Buffer.alloc(0)
  #ended = false
  #said = ''
  #wake: (() => void) | null = null
  /** Stored time of the first picture that needs no other; what comes before it may be damaged. */
  #sound: number

  /**
   * @param seek stored time, s, at whose key picture reading begins; null for the file's start
   * @param from stored time, s, from which pictures are handed on
   * @param only stored times between which pictures are handed on, s; all from `from` on where it is null
   */
  constructor(
    config: Config,
    { path: file, facts }: ExchangeFile,
    seek: number | null,
    from: number,
    only: readonly (readonly [number, number])[] | null,
    filter: string,
    frameBytes: number,
  ) {
    this.#frameBytes = frameBytes
    this.#sound = seek === null ? Number.NEGATIVE_INFINITY : Number.POSITIVE_INFINITY
    // Everything from the group's first picture on is decoded; which it is tells the first showinfo, what is handed on the second.
    const within = only?.map(([a, b]) => `between(t,${a.toFixed(7)},${b.toFixed(7)})`).join('+')
    const chosen = `showinfo=checksum=0,select='${within ?? `not(lt(t,${from.toFixed(7)}))`}',showinfo=checksum=0`
    const there = seek === null ? [] : ['-noaccurate_seek', '-seek_timestamp', '1', '-ss', seek.toFixed(6)]
    this.#child = start(
      config,
      [
        ...['-v', 'info', '-nostats', '-hide_banner', '-nostdin', '-copyts'],
        ...there,
        ...decoderArguments(facts),
        ...inputArguments(file),
        ...['-map', '0:V:0', '-an', '-vf', `${chosen},${filter}`, '-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1'],
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
    createInterface({ input: this.#child.stderr as Readable }).on('line', (line) => this.#hear(line))
  }

  #base = 1 / 90000

  #hear(line: string): void {
    const told = /Parsed_showinfo_(\d+) /.exec(line)
    if (!told) {
      this.#said = `${this.#said}${line}\n`.slice(-2000)
      return
    }
    const base = /config in time_base: (\d+)\/(\d+)/.exec(line)
    if (base) this.#base = Number(base[1]) / Number(base[2])
    const picture = /\bn: *\d+ pts: *(-?\d+|NOPTS) .*iskey:(\d)/.exec(line)
    if (!picture) return
    const seconds = picture[1] === 'NOPTS' ? Number.NaN : Number(picture[1]) * this.#base
    if (told[1] === '0') {
      if (picture[2] === '1' && this.#sound === Number.POSITIVE_INFINITY) this.#sound = seconds
      return
    }
    this.#times.push(seconds)
    this.#wake?.()
  }

  #finish(): void {
    this.#ended = true
    this.#wake?.()
  }

  /** The next picture that is whole, with its stored time; null at the end. @throws MediaError when it cannot be read */
  async next(name: string): Promise<{ seconds: number; data: Buffer } | null> {
    for (;;) {
      const data = await this.#bytes()
      if (!data) return null
      while (this.#times.length === 0 && !this.#ended) await new Promise<void>((resolve) => (this.#wake = resolve))
      const seconds = this.#times.shift()
      if (seconds === undefined) throw new MediaError(`${name} ${wordsFor(this.#said)}`, lastWords(this.#said))
      if (!(seconds < this.#sound - 1e-9)) return { seconds, data }
    }
  }

  /** The next picture's bytes, in memory that is used again once {@link HELD} more have been read. */
  async #bytes(): Promise<Buffer | null> {
    this.#turn = (this.#turn + 1) % HELD
    const out = this.#ring[this.#turn] ?? Buffer.allocUnsafeSlow(this.#frameBytes)
    this.#ring[this.#turn] = out
    let filled = 0
    while (filled < out.length) {
      if (this.#rest.length === 0) {
        const { value, done } = await this.#stdout.next()
        if (done) return null
        this.#rest = value
      }
      const taken = this.#rest.copy(out, filled, 0, out.length - filled)
      filled += taken
      this.#rest = this.#rest.subarray(taken)
    }
    return out
  }

  get said(): string {
    return lastWords(this.#said)
  }

  close(): void {
    dropChild(this.#child)
  }
}

/**
 * Pictures of an original as they come into the film. Each is shown from its own time until that of the next. Opened early, it waits
 * with the first picture ready.
 */
export class PictureDecoder {
  readonly #config: Config
  readonly #file: ExchangeFile
  readonly #source: PictureSource
  readonly #filter: string
  readonly #frameBytes: number
  readonly #grid: FrameGrid
  /** Pictures by the file's own times, and seconds of these in a second of the clip: another than its grid where its rate was set. */
  readonly #fileGrid: FrameGrid
  readonly #pace: number
  readonly #tolerance: number
  readonly #begun: Promise<void>
  readonly #ranges: readonly ClipRange[]
  /** Whether only pictures of the ranges are handed on. */
  #selects: boolean
  #run: Run | null = null
  #closed = false
  #current: Picture | null = null
  #next: Picture | null = null

  /**
   * @param ranges clip times that will be asked for, in order, from the first to the last; what lies between them need not come. A
   *   single range has no end
   * @throws MediaError when the file has no picture
   */
  constructor(config: Config, file: ExchangeFile, source: PictureSource, ranges: readonly ClipRange[], size: PictureSize, seen: Seen) {
    const grid = frameGridOf(file.facts)
    if (!grid) throw new MediaError(`${file.name} has no picture`)
    this.#config = config
    this.#file = file
    const { told, variableRate } = file.facts.video as NonNullable<FileFacts['video']>
    this.#source = source
    this.#grid = grid
    this.#pace = paceOf(file.facts)
    this.#fileGrid = told ? { ...grid, rate: told } : grid
    this.#tolerance = gridTolerance(this.#fileGrid, source.tick.num / source.tick.den, variableRate)
    this.#filter = `${source.chain}${framed(size, seen, source.plain)}`
    this.#frameBytes = bytesOf(size, seen)
    this.#ranges = ranges
    // Where pictures come as they like, any of them may be held over what is asked for.
    this.#selects = ranges.length > 1 && !variableRate
    this.#begun = this.#begin(ranges[0].from)
    // Whoever asks for a picture is told.
    this.#begun.catch(() => undefined)
  }

  async #begin(wanted: Flicks): Promise<void> {
    const first = this.#source.zero + flicksToSeconds(this.#grid.start)
    const stored = (time: Flicks) => first + flicksToSeconds(flicks(time - this.#grid.start)) * this.#pace
    const rate = rateToNumber(this.#fileGrid.rate)
    const room = MARGIN_FRAMES.before / rate
    const after = MARGIN_FRAMES.after / rate
    // The last has no end: what comes after it waits until the source is closed.
    const last = this.#ranges.length - 1
    const ranges = this.#ranges.map((r, i) => [stored(r.from) - room, i < last ? stored(r.to) + after : NEVER] as const)
    // Where pictures come as they like, the one that is seen was mostly held from an earlier group.
    const runUps = this.#file.facts.video?.variableRate ? RUN_UPS.slice(1) : RUN_UPS
    for (const runUp of [...runUps, Number.POSITIVE_INFINITY]) {
      const at = stored(wanted) - runUp
      const seeks = at > first
      const from = seeks ? stored(wanted) - Math.max(runUp, room) : -1e9
      const run = new Run(this.#config, this.#file, seeks ? at : null, from, this.#selects ? ranges : null, this.#filter, this.#frameBytes)
      this.#run = run
      if (this.#closed) return run.close()
      this.#next = await this.#read()
      // A picture that is held longer than the margin is not among those that were chosen: from here on all come.
      if (this.#selects && runUp > 0 && !(this.#next && this.#next.time <= wanted)) {
        run.close()
        this.#selects = false
        return this.#begin(wanted)
      }
      if (this.#closed || !seeks || (this.#next && this.#next.time <= wanted)) return
      run.close()
    }
  }

  async #read(): Promise<Picture | null> {
    const got = (await this.#run?.next(this.#file.name)) ?? null
    if (!got) return null
    // A picture without a time of its own follows the one before.
    const time = Number.isNaN(got.seconds)
      ? flicks((this.#next?.time ?? this.#grid.start) + frameStart(this.#next ? 1 : 0, this.#grid.rate))
      : this.#clipTime(pictureTime(got.seconds - this.#source.zero, this.#fileGrid, this.#tolerance))
    return { time, data: got.data }
  }

  /** Clip time of a time of the file's pictures. */
  #clipTime(time: Flicks): Flicks {
    if (this.#pace === 1) return time
    return flicks(this.#grid.start + Math.round((time - this.#grid.start) / this.#pace))
  }

  /**
   * The picture shown at a clip time, which must not be earlier than the one asked for before; before the first picture,
   * that one. Its memory is used again after the next but one is asked for.
   * @throws MediaError when nothing can be decoded, or the file has lost its end
   */
  async shownAt(time: Flicks): Promise<Buffer> {
    await this.#begun
    await this.#advance(time)
    if (this.#selects && (this.#leftOut(time) || !this.#next)) {
      this.#selects = false
      this.#run?.close()
      this.#current = null
      this.#next = null
      await this.#begin(time)
      await this.#advance(time)
    }
    const shown = this.#current ?? this.#next
    const { name } = this.#file
    if (!shown) throw new MediaError(`${name} gives no picture ${this.#when(time)}; it may be damaged. Copy it from the card again`, this.#run?.said ?? null)
    if (!this.#next) this.#complete(shown.time, time)
    return shown.data
  }

  /**
   * The picture that follows the one that {@link shownAt} gave last, and how much of the way to it is gone at a clip time, 0..1; null where
   * none follows. Its memory lasts as long as that of the other.
   */
  following(time: Flicks): { readonly data: Buffer; readonly share: number } | null {
    const [shown, next] = [this.#current, this.#next]
    if (!shown || !next || next.time <= shown.time) return null
    return { data: next.data, share: Math.max(0, Math.min(1, (time - shown.time) / (next.time - shown.time))) }
  }

  async #advance(time: Flicks): Promise<void> {
    while (this.#next && this.#next.time <= time) {
      this.#current = this.#next
      this.#next = await this.#read()
    }
  }

  /** Whether the picture of an instant may have been held from before what was handed on. */
  #leftOut(time: Flicks): boolean {
    const range = this.#ranges.findLast((r) => r.from <= time)
    const shown = this.#current
    return !!range && shown !== null && shown.time < range.from - (MARGIN_FRAMES.before - MOVED_FRAMES) * frameStart(1, this.#grid.rate)
  }

  /** Once there are no more pictures: whether these were all. */
  #complete(last: Flicks, time: Flicks): void {
    const promised = this.#grid.start + frameStart(this.#grid.count - 1, this.#grid.rate)
    const lost = flicksToSeconds(flicks(Math.min(time, promised) - last))
    if (lost > LOST_SECONDS)
      throw new MediaError(
        `${this.#file.name} gives no picture ${this.#when(last)} and later, where it had some when it was gathered; it was cut off or is damaged. Copy it from the card again`,
        this.#run?.said ?? null,
      )
  }

  #when(time: Flicks): string {
    return `at ${flicksToSeconds(time).toFixed(1)} s`
  }

  /** May be called twice. */
  close(): void {
    this.#closed = true
    this.#run?.close()
  }
}
