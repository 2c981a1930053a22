import type { ExchangeFile } from '@pendolo/core/formats'
import type { Config } from '../config.ts'
import { decoderArguments, inputArguments, limitsFor, run } from '../media/ffmpeg.ts'
import type { PictureSource } from '../media/pictures.ts'
import { MediaError } from '../media/words.ts'
import { bytesOf, framed, type PictureSize, type Seen } from './framing.ts'

/** One picture as it comes into the film, for as long as it is wanted. */
export class StillDecoder {
  readonly #picture: Promise<Buffer>
  readonly #abort = new AbortController()

  constructor(config: Config, file: ExchangeFile, source: PictureSource, size: PictureSize, seen: Seen) {
    this.#picture = this.#read(config, file, `${source.chain}${framed(size, seen, source.plain)}`, bytesOf(size, seen))
    // Whoever asks for the picture is told.
    this.#picture.catch(() => undefined)
  }

  async #read(config: Config, { path: file, name, facts }: ExchangeFile, filter: string, bytes: number): Promise<Buffer> {
    const got: Buffer[] = []
    const args = ['-v', 'error', '-nostdin', ...decoderArguments(facts), ...inputArguments(file)]
    await run(config.ffmpeg, [...args, '-map', '0:V:0', '-frames:v', '1', '-vf', filter, '-f', 'rawvideo', 'pipe:1'], {
      signal: this.#abort.signal,
      limits: { ...limitsFor(facts), outputBytes: bytes },
      about: name,
      onStdout: (chunk) => void got.push(chunk),
    })
    const picture = Buffer.concat(got)
    if (picture.length !== bytes) throw new MediaError(`${name} gives no picture; it may be damaged. Copy it from the card again`)
    return picture
  }

  /** @throws MediaError when it cannot be read */
  shownAt(): Promise<Buffer> {
    return this.#picture
  }

  /** Nothing follows it. */
  following(): null {
    return null
  }

  /** May be called twice. */
  close(): void {
    this.#abort.abort()
  }
}
