import { rm } from 'node:fs/promises'
import path from 'node:path'
import type { FileFacts } from '@pendolo/core/project'
import { rateToNumber } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { completeFiles } from './artefacts.ts'
import { decoderArguments, escaped, inputArguments, limitsFor, PROBE_LIMITS, progressSeconds, run } from './ffmpeg.ts'
import { COLOUR_TAGS, COLOURS, copyClock, pictureSource, timesFilter } from './pictures.ts'
import { MediaError } from './words.ts'

/** Share of the work after which the camera's way is known. */
const FOLLOWED = 0.4
/** Quality and pictures between two that stand alone: it is cut from like an original, and jumped in. */
export const STEADY_WRITTEN = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '14', '-g', '12', '-bf', '0']

/**
 * Where a steadied copy of a file lies, which is made of its content alone.
 * @param seconds over which the camera's way is evened out
 */
export const steadyPath = (config: Config, key: string, seconds: number): string => path.join(config.worked, key, `steady-${seconds}.mp4`)

export interface SteadyFile {
  readonly path: string
  readonly facts: FileFacts
}

/** How a file's pictures are read to be steadied: all of them, each at its own time from the first one on, in the film's colours. */
export async function steadySource(config: Config, { path: file, facts }: SteadyFile, seconds: number, signal: AbortSignal) {
  const { video } = facts
  if (!video || video.still) throw new MediaError(`${path.basename(file)} has no pictures that move; choose a clip of a camera`)
  const source = await pictureSource(config, file, signal)
  const whole = `scale=w='2*trunc(iw*sar/2)':h='2*trunc(ih/2)':flags=bicubic:${COLOURS},setsar=1,format=yuv420p`
  return {
    source: {
      before: ['-y', '-nostdin', '-copyts', ...decoderArguments(facts), ...inputArguments(file)],
      filter: `${timesFilter(video, source)}${source.chain}${whole}`,
    },
    smoothing: Math.max(1, Math.round(seconds * rateToNumber(video.rate))),
    /** Steps a second of the times. */
    clock: copyClock(video, source.tick),
    startSeconds: video.startSeconds,
    rate: video.rate,
  }
}

/** Whether ffmpeg brings vid.stab along; it is asked once. */
const knows = new Map<string, Promise<boolean>>()
export function followsCameras({ ffmpeg }: Config): Promise<boolean> {
  let known = knows.get(ffmpeg)
  if (!known) {
    known = run(ffmpeg, ['-hide_banner', '-v', 'error', '-filters'], { limits: PROBE_LIMITS, about: 'ffmpeg' }).then((all) => /\bvidstabdetect\b/.test(all))
    knows.set(ffmpeg, known)
    known.catch(() => knows.delete(ffmpeg))
  }
  return known
}

/**
 * Steadies a file's pictures: how the camera moved from each to the next is found by the motion of many small fields, its way is evened out,
 * and each picture is moved, turned and sized by what lies between both ways, then all are enlarged by as much as keeps their edges out of sight
 * (vid.stab, as ffmpeg has it). All pictures are there, each at its own time, in the film's colours.
 * @param seconds over which the way is evened out, before a picture and after it
 * @param out a file that is not there yet
 * @returns share by which the pictures were enlarged, 0.1 = a tenth
 * @throws Cancelled, or MediaError in plain words
 */
export async function makeSteady(
  config: Config,
  { path: file, facts }: SteadyFile,
  seconds: number,
  out: string,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<number> {
  const about = path.basename(file)
  const { source, smoothing, clock, startSeconds } = await steadySource(config, { path: file, facts }, seconds, signal)
  let zoom = 0
  const pass = async (args: readonly string[], from: number, to: number) => {
    await run(config.ffmpeg, ['-progress', 'pipe:2', ...source.before, '-an', ...args], {
      signal,
      limits: limitsFor(facts),
      about,
      onStderr: (text) => {
        zoom = Number(/Final zoom: ([\d.]+)/.exec(text)?.[1] ?? 100 * zoom) / 100
        const done = progressSeconds(text)
        if (done !== null && facts.durationSeconds > 0) onProgress(from + (to - from) * Math.min(0.99, done / facts.durationSeconds))
      },
    })
  }
  await completeFiles([out], async ([part]) => {
    const way = `${part}.way`
    try {
      const follow = `${source.filter},vidstabdetect=shakiness=8:accuracy=15:result=${escaped(way)}`
      await pass(['-map', '0:V:0', '-vf', follow, '-fps_mode', 'passthrough', '-f', 'null', '-'], 0, FOLLOWED)
      // Times count from the first picture; here they are the file's own again.
      const later = `setpts=PTS+${Math.round(startSeconds * clock)}`
      const move = `${source.filter},vidstabtransform=input=${escaped(way)}:smoothing=${smoothing}:optzoom=1:crop=black:interpol=bicubic,${later}`
      const times = ['-fps_mode', 'passthrough', '-enc_time_base', `1/${clock}`, '-video_track_timescale', String(clock)]
      await pass(['-map', '0:V:0', '-vf', move, ...STEADY_WRITTEN, ...COLOUR_TAGS, ...times, '-map_metadata', '-1', '-f', 'mp4', part], FOLLOWED, 1)
    } finally {
      await rm(way, { force: true })
    }
  })
  return zoom
}
