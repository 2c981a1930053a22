import { writeFile } from 'node:fs/promises'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { artefactPath, completeFiles, hasArtefact } from './artefacts.ts'
import { decoderArguments, inputArguments, limitsFor, run } from './ffmpeg.ts'
import { MediaError } from './words.ts'

/** No side of a picture that is laid over others is longer, pixels: twice what a film of 1920 shows of it at most. */
const MOST_SIDE = 3840
/** And none of what the page draws. */
const PAGE_SIDE = 1920

/** A single picture with what one sees through of it. */
export interface Drawing {
  /** Red, green, blue and how little one sees through, a byte each, row by row; not multiplied. */
  readonly data: Buffer
  readonly width: number
  readonly height: number
}

interface Still {
  readonly path: string
  readonly name: string
  readonly facts: FileFacts
}

function sizeOf({ facts: { video } }: Still, side: number): { width: number; height: number } {
  const { width = 0, height = 0 } = video ?? {}
  const scale = Math.min(1, side / Math.max(1, width, height))
  return { width: Math.max(1, Math.round(width * scale)), height: Math.max(1, Math.round(height * scale)) }
}

async function read(config: Config, file: Still, side: number, codec: readonly string[], signal?: AbortSignal): Promise<Buffer> {
  const { width, height } = sizeOf(file, side)
  const got: Buffer[] = []
  const args = ['-v', 'error', '-nostdin', ...decoderArguments(file.facts), ...inputArguments(file.path), '-map', '0:V:0', '-frames:v', '1']
  await run(config.ffmpeg, [...args, '-vf', `scale=${width}:${height}:flags=bicubic+accurate_rnd,format=rgba`, ...codec, 'pipe:1'], {
    signal,
    limits: limitsFor(file.facts),
    about: file.name,
    onStdout: (chunk) => void got.push(chunk),
  })
  return Buffer.concat(got)
}

/** A still as films lay it over their pictures. @throws MediaError where it cannot be read */
export async function readDrawing(config: Config, file: Still): Promise<Drawing> {
  const size = sizeOf(file, MOST_SIDE)
  const data = await read(config, file, MOST_SIDE, ['-f', 'rawvideo'])
  if (data.length !== 4 * size.width * size.height) throw new MediaError(`${file.name} gives no picture; it may be damaged. Copy it from the card again`)
  return { data, ...size }
}

/** Makes the file by which pages lay a still over pictures. */
export async function makeDrawing(config: Config, file: Still & { readonly contentKey: string }, signal: AbortSignal): Promise<void> {
  if (hasArtefact(config, file.contentKey, 'drawing')) return
  const png = await read(config, file, PAGE_SIDE, ['-c:v', 'png', '-f', 'image2pipe'], signal)
  await completeFiles([artefactPath(config, file.contentKey, 'drawing')], ([part]) => writeFile(part, png))
}
