import { type FileHandle, open } from 'node:fs/promises'
import type { Readable } from 'node:stream'
import type { ExchangeFile } from '@pendolo/core/formats'
import { SAMPLE_BYTES } from '@pendolo/core/signal'
import type { Config } from '../config.ts'
import { dropChild, inputArguments, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { endingTogether, soundClock, type Taken } from '../media/sound-clock.ts'
import { samplesOf } from '../media/wave-chunks.ts'
import { MediaError, wordsFor } from '../media/words.ts'

/** Reads sound of a file from somewhere on, until it is closed or has come to the end. */
export interface SoundReader {
  /** Lets more come, and no more for now. */
  readonly goOn: () => void
  readonly pause: () => void
  /** Nothing comes any more. */
  readonly close: () => void
}

/** Who is told what comes; never before {@link soundReader} has returned. */
export interface Listener {
  /** @param stream the number of what was asked for @param bytes its own: nobody writes to them any more */
  readonly came: (stream: number, bytes: Uint8Array) => void
  /** It has come to the end, or to what cannot be read. */
  readonly ended: (failure: MediaError | null) => void
}

/**
 * Begins to read what is wanted of a file, on its presentation clock: frame by frame, all channels of each stream beside each other.
 * @param seconds where, whole seconds; other than 0 only where the file can be read from the middle on
 */
export function soundReader(config: Config, file: ExchangeFile, taken: readonly Taken[], seconds: number, listener: Listener): SoundReader {
  const [one] = taken
  if (one.picks === null) return new WaveReader(file, one, seconds, listener)
  return decoder(config, file, taken, seconds, listener)
}

/** Bytes of a wave file that are read at once: about so much of a second, within these. */
const READ_SECONDS = 0.1
const [LEAST_BYTES, MOST_BYTES] = [2 ** 16, 2 ** 20]

/** A disk that gives nothing for so long has gone, ms; one that slept is awake by then. */
const SILENT_MS = 60_000

/** Waits for what a disk gives. */
async function inTime<T>(given: Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const silent = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error(`Connection timed out: nothing came for ${SILENT_MS / 1000} s`)), SILENT_MS)
  })
  return Promise.race([given, silent]).finally(() => clearTimeout(timer))
}

/** Samples as they lie in a wave file. */
class WaveReader implements SoundReader {
  readonly #file: ExchangeFile
  readonly #listener: Listener
  /** Bytes that are read at once. */
  readonly #atOnce: number
  readonly #wait: { until: Promise<void>; go: () => void } = { until: Promise.resolve(), go: () => undefined }
  #closed = false

  constructor(file: ExchangeFile, { width, form }: Taken, seconds: number, listener: Listener) {
    this.#file = file
    this.#listener = listener
    const rate = file.facts.audio?.sampleRate ?? 0
    const frameBytes = width * SAMPLE_BYTES[form]
    const wanted = Math.min(MOST_BYTES, Math.max(LEAST_BYTES, READ_SECONDS * rate * frameBytes))
    this.#atOnce = Math.ceil(wanted / frameBytes) * frameBytes
    void this.#read(seconds * rate * frameBytes).then(
      () => this.#end(null),
      (error: Error) => this.#end(new MediaError(`${file.name} ${wordsFor(error.message)}`, error.message)),
    )
  }

  async #read(from: number): Promise<void> {
    const opening = open(this.#file.path, 'r')
    // What hangs is not waited for, and let go should it ever come.
    const letGo = () => void opening.then((handle) => handle.close()).catch(() => undefined)
    try {
      const handle = await inTime(opening)
      const samples = await inTime(samplesOf(handle))
      if (!samples) throw new Error('no samples')
      const ends = samples.at + samples.length
      for (let at = samples.at + from; at < ends && !this.#closed; ) {
        const bytes = await this.#some(handle, at, ends)
        if (bytes === 0) return
        at += bytes
      }
    } finally {
      letGo()
    }
  }

  /** @returns how much came */
  async #some(handle: FileHandle, at: number, ends: number): Promise<number> {
    // Each has its own room: it is kept as it comes.
    const buffer = Buffer.allocUnsafeSlow(Math.min(this.#atOnce, ends - at))
    const { bytesRead } = await inTime(handle.read(buffer, 0, buffer.length, at))
    if (!this.#closed && bytesRead > 0) this.#listener.came(0, buffer.subarray(0, bytesRead))
    await this.#wait.until
    return bytesRead
  }

  #end(failure: MediaError | null): void {
    if (!this.#closed) this.#listener.ended(failure)
    this.#closed = true
  }

  goOn(): void {
    this.#wait.go()
  }

  pause(): void {
    this.#wait.go()
    this.#wait.until = new Promise((resolve) => (this.#wait.go = resolve))
  }

  close(): void {
    this.#closed = true
    this.goOn()
  }
}

/** Decoders of a film run beside each other: threads of each would only wait for one another. */
const ALONE = ['-threads', '1', '-filter_complex_threads', '1']

/** Its number as the decoder knows it: 2 is what it says. */
const pipeNumber = (n: number) => (n === 0 ? 1 : n + 2)

/** Streams as ffmpeg decodes them. */
function decoder(config: Config, file: ExchangeFile, taken: readonly Taken[], seconds: number, { came, ended }: Listener): SoundReader {
  const { before, filter } = soundClock(file.facts, seconds)
  const ending = taken.length > 1 ? endingTogether(file.facts, seconds) : ''
  const outputs = taken.flatMap(({ picks }, n) => [...(picks?.(`${filter}${ending}`, `a${n}`) ?? []), `pipe:${pipeNumber(n)}`])
  let failure: MediaError | null = null
  const child = start(
    config,
    ['-v', 'error', '-nostdin', ...ALONE, ...before, ...inputArguments(file.path), ...outputs],
    ['ignore', 'pipe', 'pipe', ...taken.slice(1).map(() => 'pipe' as const)],
    limitsFor(file.facts),
    (words) => {
      failure ??= new MediaError(`${file.name} ${words}`)
    },
  )
  let closed = false
  const end = () => {
    if (!closed) ended(failure)
    closed = true
  }
  let said = ''
  child.stderr?.on('data', (chunk: Buffer) => {
    said = (said + chunk.toString('utf8')).slice(-2000)
  })
  child.on('error', (error) => {
    failure ??= new MediaError(`${file.name} ${wordsFor(error.message)}`, error.message)
    end()
  })
  child.on('close', (code) => {
    if (code) failure ??= new MediaError(`${file.name} ${wordsFor(said)}`, lastWords(said))
    end()
  })
  const pipes = taken.map((_, n) => child.stdio[pipeNumber(n)] as Readable | null)
  for (const [n, pipe] of pipes.entries()) pipe?.on('data', (bytes: Buffer) => !closed && came(n, bytes))
  return {
    goOn: () => {
      for (const pipe of pipes) pipe?.resume()
    },
    pause: () => {
      for (const pipe of pipes) pipe?.pause()
    },
    close: () => {
      closed = true
      dropChild(child)
    },
  }
}
