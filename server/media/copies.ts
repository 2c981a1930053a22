import path from 'node:path'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { artefactPath, completeFiles, hasArtefact } from './artefacts.ts'
import { decoderArguments, inputArguments, limitsFor, PROBE_LIMITS, progressSeconds, run } from './ffmpeg.ts'
import { COLOUR_TAGS, COLOURS, copyClock, gridReach, pictureSource, timesFilter } from './pictures.ts'
import { MediaError } from './words.ts'

/**
 * The light copies: one for a tile of the wall, one for the programme. Many tiles are decoded at once, so theirs cost little; colours are
 * judged on the programme, where blocks would be seen.
 */
const TILE = { width: 480, height: 270, crf: 27, tune: ['-tune', 'fastdecode'] }
const SHARP = { width: 960, height: 540, crf: 18, tune: [] }
/** Pictures between two that stand alone: short, so that a jump decodes little. */
const GROUP = 12

function scaled(size: { width: number; height: number }, name: string): string {
  // Never larger than the source, whole picture, square pixels, even sizes for 4:2:0.
  return `[${name}]scale=w='min(${size.width},iw*sar)':h='min(${size.height},ih)':force_original_aspect_ratio=decrease:force_divisible_by=2:flags=fast_bilinear:${COLOURS},setsar=1,format=yuv420p[${name}o]`
}

function encode(name: string, { crf, tune }: { crf: number; tune: readonly string[] }, clock: number, file: string): string[] {
  return [
    '-map',
    `[${name}o]`,
    '-an',
    '-c:v',
    'libx264',
    '-preset',
    'veryfast',
    ...tune,
    '-profile:v',
    'main',
    '-crf',
    String(crf),
    '-g',
    String(GROUP),
    '-bf',
    '0',
    '-threads',
    '2',
    ...COLOUR_TAGS,
    // Every picture at its own time: nothing is repeated in a hold, nothing of a burst is lost.
    '-fps_mode',
    'vfr',
    '-enc_time_base',
    `1/${clock}`,
    '-video_track_timescale',
    String(clock),
    '-map_metadata',
    '-1',
    '-movflags',
    '+faststart',
    '-f',
    'mp4',
    file,
  ]
}

/**
 * Makes both light copies of a file's pictures in one decoding pass. Each picture of the file is one of the copy and
 * has its own time there, counted from the first one.
 * @returns how many frames of the file's grid its pictures reach
 */
export async function makeLightCopies(
  config: Config,
  file: string,
  key: string,
  facts: FileFacts,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<number | null> {
  const { video } = facts
  if (!video) return null
  const finals = [artefactPath(config, key, 'tile'), artefactPath(config, key, 'sharp')]
  if (hasArtefact(config, key, 'tile') && hasArtefact(config, key, 'sharp')) {
    const reach = await Promise.all(finals.map((copy) => reachOf(config, copy, video).catch(() => null)))
    // A copy that a failing disk damaged has no index: both are made again.
    if (reach[0] !== null && reach[1] === reach[0]) return reach[0]
  }
  const stretched = stretchedPictures(facts)
  if (stretched) throw new MediaError(`${path.basename(file)} ${stretched}`)
  const source = await pictureSource(config, file, signal)
  const clock = copyClock(video, source.tick)
  await completeFiles(finals, async ([tile, sharp]) => {
    const graph = `[0:V:0]${timesFilter(video, source)}${source.chain}split=2[t][s];${scaled(TILE, 't')};${scaled(SHARP, 's')}`
    const args = [
      '-v',
      'error',
      '-y',
      '-nostdin',
      '-progress',
      'pipe:2',
      '-copyts',
      ...decoderArguments(facts),
      ...inputArguments(file),
      '-filter_complex',
      graph,
      ...encode('t', TILE, clock, tile),
      ...encode('s', SHARP, clock, sharp),
    ]
    await run(config.ffmpeg, args, {
      signal,
      limits: limitsFor(facts),
      about: path.basename(file),
      onStderr: (text) => {
        const seconds = progressSeconds(text)
        if (seconds !== null && facts.durationSeconds > 0) onProgress(Math.min(0.99, seconds / facts.durationSeconds))
      },
    })
  })
  return reachOf(config, finals[0], video)
}

/** A steady copy may need so many pictures for each one of the source, and this many in any case. */
const MOST_REPEATED = 120
const REPEATED_ANYWAY = 15_000

/** Says why a steady copy cannot be made when the pictures' times leave gaps that only damage explains; null when it can. */
export function stretchedPictures({ video, durationSeconds }: FileFacts): string | null {
  if (!video?.counted) return null
  const wanted = durationSeconds * (video.rate.num / video.rate.den)
  if (wanted <= MOST_REPEATED * video.counted + REPEATED_ANYWAY) return null
  return `holds ${video.counted} pictures but says it lasts ${Math.round(durationSeconds / 3600)} hours: its times are damaged. Copy it from the card again, or write its pictures into a new file and gather that`
}

/** The last picture's time in a copy, told as the number of grid frames that end with it. */
async function reachOf(config: Config, copy: string, video: NonNullable<FileFacts['video']>): Promise<number | null> {
  const args = ['-v', 'error', '-select_streams', 'v:0', '-read_intervals', '999999%', '-show_entries', 'packet=pts_time', '-of', 'csv=p=0']
  const out = await run(config.ffprobe, [...args, ...inputArguments(copy)], { limits: PROBE_LIMITS, about: path.basename(copy) })
  return gridReach(
    out.split('\n').map((line) => Number.parseFloat(line)),
    video.rate,
  )
}
