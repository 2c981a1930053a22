import { readFile } from 'node:fs/promises'
import path from 'node:path'
import { LIGHT_CELLS, type LightTrack } from '@pendolo/core/lineup'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { artefactPath, completeFiles, hasArtefact } from './artefacts.ts'
import { decoderArguments, inputArguments, limitsFor, run } from './ffmpeg.ts'
import { gridFilter, pictureSource, timesFilter } from './pictures.ts'

const SIDE = Math.sqrt(LIGHT_CELLS)

/**
 * Brightness of sixteen parts of every picture of a file, on its frame grid: from the light copy where there is one, else
 * from the original. @returns the artefact's path, or null for a file without pictures
 */
export async function makeLuma(config: Config, file: string, key: string, facts: FileFacts, signal?: AbortSignal): Promise<string | null> {
  const { video } = facts
  if (!video) return null
  const out = artefactPath(config, key, 'luma')
  if (hasArtefact(config, key, 'luma')) return out
  const copied = hasArtefact(config, key, 'tile')
  // In the light copy every picture has its time already.
  const original = copied ? null : await pictureSource(config, file, signal)
  const times = original ? `${timesFilter(video, original)}${original.chain}` : ''
  const source = copied ? artefactPath(config, key, 'tile') : file
  await completeFiles([out], async ([part]) => {
    const filter = `${times}${gridFilter(video)}scale=${SIDE}:${SIDE}:flags=area,format=gray`
    await run(
      config.ffmpeg,
      [
        '-v',
        'error',
        '-y',
        '-nostdin',
        '-copyts',
        ...decoderArguments(facts),
        ...inputArguments(source),
        '-map',
        '0:V:0',
        '-vf',
        filter,
        '-fps_mode',
        'passthrough',
        '-f',
        'rawvideo',
        part,
      ],
      { signal, limits: limitsFor(facts), about: path.basename(file) },
    )
  })
  return out
}

export async function readLuma(file: string, video: NonNullable<FileFacts['video']>): Promise<LightTrack> {
  const bytes = await readFile(file)
  return { rate: video.rate, startSeconds: video.startSeconds, luma: Float32Array.from(bytes, (b) => b / 255) }
}
