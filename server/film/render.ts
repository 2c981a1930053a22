import { rm } from 'node:fs/promises'
import type { Detail, FilmSound } from '@pendolo/api'
import type { Exchange, ExchangeFile } from '@pendolo/core/formats'
import type { Config } from '../config.ts'
import { completeFiles } from '../media/artefacts.ts'
import { inputArguments, PROBE_LIMITS, run } from '../media/ffmpeg.ts'
import { present } from '../media/originals.ts'
import { PictureWriter } from '../media/picture-writer.ts'
import { COLOUR_TAGS } from '../media/pictures.ts'
import { MediaError } from '../media/words.ts'
import { FilmPictures } from './compose.ts'
import type { PictureSize } from './framing.ts'
import { filmMeter, levelTo, soundReport } from './loudness.ts'
import { mixSound } from './mix.ts'
import { FILM_ENDINGS } from './parts.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'

const isLossless = (out: string): boolean => out.toLowerCase().endsWith(FILM_ENDINGS.lossless)

/** Pictures of a film that are wanted. */
export interface PicturesOrder {
  readonly config: Config
  /** The project laid out at the film's frame rate. */
  readonly exchange: Exchange
  readonly size: PictureSize
  readonly out: string
}

/** A film that is wanted; the ending of `out` says how its sound is kept, see {@link FILM_ENDINGS}. */
export interface FilmOrder extends PicturesOrder {
  readonly files: ReadonlyMap<string, ExchangeFile>
  /** LUFS that its sound is brought to; null as it is balanced. */
  readonly loudness: number | null
}

/**
 * Renders the cut from the originals, one output frame at a time: each shows the source frame that the rule of
 * core/time names for its start. Sound is mixed to the sample and encoded beside it.
 * @returns how loud it is
 * @throws Cancelled, or MediaError with what was wrong with which file
 */
export async function renderFilm(
  { config, exchange, files, size, out, loudness }: FilmOrder,
  report: (share: number, detail: Detail) => void,
  signal: AbortSignal,
): Promise<FilmSound> {
  await allPresent(config, exchange)
  return completeFiles([out], async ([part]) => {
    const soundFile = `${part}.f32`
    try {
      report(0, { code: 'mixing' })
      const meter = filmMeter()
      await mixSound(config, exchange, files, soundFile, signal, (samples) => meter.add(samples))
      const sound = loudness === null ? soundReport(meter.measured()) : await levelTo(soundFile, loudness, meter.measured(), signal)
      const pictures = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '18', '-pix_fmt', 'yuv420p', ...COLOUR_TAGS]
      const encoded = isLossless(out) ? ['-c:a', 'pcm_s24le'] : ['-c:a', 'aac', '-b:a', '256k']
      const heard = ['-f', 'f32le', '-ar', String(FILM_SOUND_RATE), '-ac', '2', '-i', `file:${soundFile}`, '-map', '0:v', '-map', '1:a']
      await renderPictures({ config, exchange, size, out: part }, [...heard, ...pictures, ...encoded, '-f', isLossless(out) ? 'mov' : 'mp4'], report, signal)
      await asPromised(config, exchange, part, signal)
      return sound
    } finally {
      await rm(soundFile, { force: true })
    }
  })
}

/** Looks whether all originals of a film are there and as they were. @throws MediaError with which is not */
async function allPresent(config: Config, exchange: Exchange): Promise<void> {
  for (const { source } of [...exchange.cut, ...exchange.givings, ...exchange.insets]) if (source) await present(config, source.pictures)
  for (const { file } of exchange.layers) if (file) await present(config, file)
}

/** Pictures between two that stand alone: short, so that a jump decodes little. */
const LIGHT_GROUP = 12

/** Makes the pictures of a film alone, to be played as light copies are. @throws as {@link renderFilm} */
export async function renderLight({ out, ...order }: PicturesOrder, report: (share: number, detail: Detail) => void, signal: AbortSignal): Promise<null> {
  await allPresent(order.config, order.exchange)
  const light = ['-an', '-c:v', 'libx264', '-preset', 'veryfast', '-profile:v', 'main', '-crf', '20', '-g', String(LIGHT_GROUP), '-bf', '0']
  await completeFiles([out], ([part]) =>
    renderPictures({ ...order, out: part }, [...light, '-pix_fmt', 'yuv420p', ...COLOUR_TAGS, '-f', 'mp4'], report, signal),
  )
  return null
}

/** Sound and picture of a film may end so far apart, s: a packet of sound. */
const PACKET_SECONDS = 0.1

/** Looks whether the film holds every frame and all of the sound that it was to have. @throws MediaError with what is missing */
async function asPromised(config: Config, exchange: Exchange, film: string, signal: AbortSignal): Promise<void> {
  const args = ['-v', 'error', '-show_entries', 'stream=codec_type,nb_frames,duration', '-of', 'json', ...inputArguments(film)]
  const { streams = [] } = JSON.parse(await run(config.ffprobe, args, { limits: PROBE_LIMITS, about: 'the film', signal })) as {
    streams?: { codec_type?: string; nb_frames?: string; duration?: string }[]
  }
  const of = (kind: string) => streams.find((s) => s.codec_type === kind)
  const promised = exchange.toFrame - exchange.fromFrame
  const seconds = (promised * exchange.rate.den) / exchange.rate.num
  const [frames, heard] = [Number(of('video')?.nb_frames ?? 0), Number(of('audio')?.duration ?? 0)]
  if (frames !== promised) throw new MediaError(`the film came out with ${frames} frames instead of ${promised}; make it again`)
  if (Math.abs(heard - seconds) > PACKET_SECONDS)
    throw new MediaError(`the film came out with ${heard.toFixed(1)} s of sound instead of ${seconds.toFixed(1)} s; make it again`)
}

/** @param how what the encoder is told behind the pictures, of what comes with them and how all is written */
async function renderPictures(
  { config, exchange, size, out }: PicturesOrder,
  how: readonly string[],
  report: (share: number, detail: Detail) => void,
  signal: AbortSignal,
): Promise<void> {
  const { rate } = exchange
  const writer = new PictureWriter(config, { ...size, rate, about: 'the film', out }, [...how, '-movflags', '+faststart'], signal)
  const pictures = new FilmPictures(config, exchange, size, out)
  const total = exchange.toFrame - exchange.fromFrame
  const began = performance.now()
  let written = 0
  try {
    for await (const frame of pictures.frames()) {
      await writer.write(frame)
      if (++written % 10 !== 0) continue
      const speed = written / Math.max(0.001, (performance.now() - began) / 1000)
      const left = Math.round((total - written) / speed)
      report((written / total) * 0.98, { code: 'rendering', leftSeconds: left, speed: speed / (rate.num / rate.den) })
    }
    await writer.end()
    report(1, { code: 'done' })
  } finally {
    await writer.close()
    await pictures.close()
  }
}
