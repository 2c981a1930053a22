import { readFile, rm } from 'node:fs/promises'
import path from 'node:path'
import { type Motion, MotionFinder, planesThrough, type Steadying, steadying } from '@pendolo/core/picture'
import { EncodedPacketSink, EncodedVideoPacketSource, FilePathSource, FilePathTarget, Input, MP4, Mp4OutputFormat, Output } from 'mediabunny'
import type { Config } from '../config.ts'
import { completeFiles } from './artefacts.ts'
import { limitsFor, run } from './ffmpeg.ts'
import { PictureWriter } from './picture-writer.ts'
import { COLOUR_TAGS } from './pictures.ts'
import { STEADY_WRITTEN, type SteadyFile, steadySource } from './steady.ts'
import { MediaError } from './words.ts'

/** Pictures are followed at this width at most, pixels. */
const FOLLOWED_WIDTH = 480
/** Share of the work after which the camera's way is known. */
const FOLLOWED = 0.4

/** Divides what a pipe gives into pieces of one length, each in memory that is used again. */
class Pieces {
  readonly #one: Buffer
  #filled = 0

  constructor(bytes: number) {
    this.#one = Buffer.alloc(bytes)
  }

  async add(chunk: Buffer, take: (piece: Buffer) => void | Promise<void>): Promise<void> {
    for (let at = 0; at < chunk.length; ) {
      const many = Math.min(chunk.length - at, this.#one.length - this.#filled)
      chunk.copy(this.#one, this.#filled, at, at + many)
      at += many
      this.#filled += many
      if (this.#filled < this.#one.length) continue
      this.#filled = 0
      await take(this.#one)
    }
  }
}

/** The camera's motions, the size of its upright pictures with square pixels, and their times in steps of the clock. */
interface Way {
  readonly motions: readonly Motion[]
  readonly width: number
  readonly height: number
  readonly times: readonly number[]
}

/** Times and size that ffmpeg's list of pictures tells (`framecrc`). @param clock steps a second of the times that are wanted */
function listed(text: string, clock: number): Pick<Way, 'width' | 'height' | 'times'> {
  const [, num, den] = /^#tb 0: (\d+)\/(\d+)/m.exec(text) ?? []
  const step = (clock * Number(num)) / Number(den)
  const [, width, height] = /^#dimensions 0: (\d+)x(\d+)/m.exec(text) ?? []
  const times = text.split('\n').flatMap((line) => {
    const found = /^0, *-?\d+, *(-?\d+),/.exec(line)
    return found ? [Math.round(Number(found[1]) * step)] : []
  })
  return { width: Number(width), height: Number(height), times }
}

/**
 * Steadies a file's pictures as {@link makeSteady} does where ffmpeg has no vid.stab: the camera is followed by
 * {@link MotionFinder}, its way is evened out by {@link steadying}. To be called away from where requests are answered.
 * @returns share by which the pictures were enlarged, 0.1 = a tenth
 * @throws Cancelled, or MediaError in plain words
 */
export async function makeSteadyOwn(
  config: Config,
  file: SteadyFile,
  seconds: number,
  out: string,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<number> {
  const { source, smoothing, clock, startSeconds, rate } = await steadySource(config, file, seconds, signal)
  const about = path.basename(file.path)
  const common = { signal, limits: limitsFor(file.facts), about }
  const frames = Math.max(1, file.facts.video?.frames ?? 1)
  const follow = async (list: string): Promise<Way> => {
    const motions: Motion[] = []
    const { width = 0, height = 0 } = file.facts.video ?? {}
    const across = Math.min(1, FOLLOWED_WIDTH / Math.max(width, height))
    // An even part of it, so that a pixel of it is as many of the picture in both directions.
    const small = { width: Math.max(32, Math.round(width * across)), height: Math.max(32, Math.round(height * across)) }
    const finder = new MotionFinder(small.width, small.height)
    const pieces = new Pieces(small.width * small.height)
    const graph = `[0:V:0]${source.filter},split[a][b];[a]scale=${small.width}:${small.height}:flags=area,format=gray[small]`
    const shown = ['-map', '[small]', '-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1']
    const told = ['-map', '[b]', '-fps_mode', 'passthrough', '-enc_time_base', `1/${clock}`, '-c:v', 'wrapped_avframe', '-f', 'framecrc', list]
    await run(config.ffmpeg, ['-v', 'error', ...source.before, '-an', '-filter_complex', graph, ...shown, ...told], {
      ...common,
      onStdout: (chunk) =>
        pieces.add(chunk, (luma) => {
          motions.push(finder.next(luma))
          onProgress(FOLLOWED * Math.min(0.99, motions.length / frames))
        }),
    })
    const { times, ...size } = listed(await readFile(list, 'utf8'), clock)
    const many = Math.min(times.length, motions.length)
    if (many === 0 || !(size.width > 0)) throw new MediaError(`${about} has no pictures that can be read; look whether it plays`)
    const larger = { x: size.width / small.width, y: size.height / small.height }
    const whole = motions.slice(0, many).map((m) => ({ ...m, x: m.x * larger.x, y: m.y * larger.y }))
    return { ...size, motions: whole, times: times.slice(0, many) }
  }
  const move = async ({ width, height }: Way, { maps }: Steadying, to: string) => {
    const how = [...STEADY_WRITTEN, '-pix_fmt', 'yuv420p', ...COLOUR_TAGS, '-f', 'mp4']
    const writer = new PictureWriter(config, { width, height, rate, about: `the steadied pictures of ${about}`, out: to }, how, signal)
    const data = new Uint8Array((width * height * 3) / 2)
    const pieces = new Pieces(data.length)
    let done = 0
    try {
      await run(
        config.ffmpeg,
        ['-v', 'error', ...source.before, '-map', '0:V:0', '-an', '-vf', source.filter, '-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1'],
        {
          ...common,
          onStdout: (chunk) =>
            pieces.add(chunk, async (picture) => {
              if (done >= maps.length) return
              planesThrough({ data: picture, width, height }, maps[done++], { x: 0, y: 0, width, height }, { data, width, height })
              await writer.write(data)
              onProgress(FOLLOWED + (1 - FOLLOWED) * Math.min(0.97, done / maps.length))
            }),
        },
      )
      await writer.end()
    } finally {
      await writer.close()
    }
  }
  return completeFiles([out], async ([part]) => {
    const [list, even] = [`${part}.times`, `${part}.even.mp4`]
    try {
      const way = await follow(list)
      const steadied = steadying(way.motions, smoothing, way.width, way.height)
      await move(way, steadied, even)
      await retimed(even, part, way.times, clock, Math.round(startSeconds * clock))
      onProgress(1)
      return steadied.zoom - 1
    } finally {
      await Promise.all([list, even].map((f) => rm(f, { force: true })))
    }
  })
}

/** Writes encoded pictures anew, each at its own time. @param times in steps of a clock, from `first` on */
async function retimed(from: string, to: string, times: readonly number[], clock: number, first: number): Promise<void> {
  const input = new Input({ source: new FilePathSource(from), formats: [MP4] })
  try {
    const track = await input.getPrimaryVideoTrack()
    const decoderConfig = await track?.getDecoderConfig()
    if (!track || !decoderConfig) throw new MediaError('the steadied pictures cannot be read; steady the clip again')
    const output = new Output({ format: new Mp4OutputFormat({ fastStart: false }), target: new FilePathTarget(to) })
    const source = new EncodedVideoPacketSource('avc')
    output.addVideoTrack(source, { frameRate: clock })
    await output.start()
    let n = 0
    for await (const packet of new EncodedPacketSink(track).packets()) {
      const [here, next] = [times[n], times[n + 1] ?? 2 * times[n] - (times[n - 1] ?? times[n] - 1)]
      await source.add(packet.clone({ timestamp: (first + here) / clock, duration: (next - here) / clock }), { decoderConfig })
      n++
    }
    if (n !== times.length) throw new MediaError(`${n} of ${times.length} steadied pictures came out; steady the clip again`)
    await output.finalize()
  } finally {
    input.dispose()
  }
}
