import { createHash } from 'node:crypto'
import { once } from 'node:events'
import type { Writable } from 'node:stream'
import type { ExchangeFile } from '@pendolo/core/formats'
import { type FileFacts, masterRange, type ProjectDoc } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import type { Config } from '../config.ts'
import { artefactPath, completeFiles, hasArtefact } from '../media/artefacts.ts'
import { Cancelled, endChild, lastWords, limitsFor, start } from '../media/ffmpeg.ts'
import { MediaError, wordsFor } from '../media/words.ts'
import { mixRuns } from './mix.ts'
import { FILM_SOUND_RATE } from './placed-sound.ts'

/** Several recordings that are the master together, as one sound to listen to. */
export interface Joined {
  readonly path: string
  readonly contentKey: string
  readonly facts: FileFacts
  /** Master time of its first sample, s. */
  readonly startSeconds: number
}

/**
 * Makes one sound of the recordings of a master, as film and playback hear them; one that is there already is taken.
 * @param keys content keys of the files by their ids
 */
export async function joinedMaster(
  config: Config,
  doc: ProjectDoc,
  files: ReadonlyMap<string, ExchangeFile>,
  keys: ReadonlyMap<string, string>,
  signal: AbortSignal,
): Promise<Joined> {
  const { clipIds, join, fade } = doc.master
  const range = masterRange(doc, (id) => files.get(id)?.facts)
  const parts = clipIds.map((id) => [keys.get(doc.clips[id].fileId), doc.placements[id]?.start, doc.placements[id]?.rate, doc.placements[id]?.jumps])
  const contentKey = createHash('sha256')
    .update(JSON.stringify([parts, join, fade]))
    .digest('hex')
    .slice(0, 32)
  const path = artefactPath(config, contentKey, 'joined')
  const seconds = (t: number) => t / FLICKS_PER_SECOND
  const durationSeconds = seconds(range.end - range.start)
  const facts: FileFacts = {
    durationSeconds,
    container: 'flac',
    video: null,
    audio: { codec: 'flac', channels: 2, layout: 'stereo', sampleRate: FILM_SOUND_RATE, startSeconds: 0, streams: 1 },
    timecode: null,
    recordedAt: null,
    camera: null,
  }
  if (!hasArtefact(config, contentKey, 'joined')) {
    const from = Math.round(seconds(range.start) * FILM_SOUND_RATE)
    const ends = Math.round(durationSeconds * FILM_SOUND_RATE)
    // Nothing but the master is heard, at its own level.
    const alone = { ...doc, strips: {}, mixRanges: {}, envelopes: {} }
    await completeFiles([path], ([part]) =>
      encoded(config, part, facts, signal, (write) => mixRuns(config, alone, files, [{ begins: 0, ends, from, into: 0, out: 0 }], write, signal)),
    )
  }
  return { path, contentKey, facts, startSeconds: seconds(range.start) }
}

/** Writes raw sound into a lossless file. */
async function encoded(
  config: Config,
  out: string,
  facts: FileFacts,
  signal: AbortSignal,
  make: (write: (bytes: Uint8Array) => Promise<void>) => Promise<unknown>,
): Promise<void> {
  const raw = ['-f', 'f32le', '-ar', String(FILM_SOUND_RATE), '-ac', '2', '-i', 'pipe:3']
  let said = ''
  const args = ['-v', 'error', '-y', '-nostdin', ...raw, '-c:a', 'flac', '-sample_fmt', 's32', '-f', 'flac', out]
  const child = start(config, args, ['ignore', 'ignore', 'pipe', 'pipe'], limitsFor(facts), (words) => {
    said = words
  })
  child.stderr?.on('data', (chunk: Buffer) => {
    said = (said + chunk.toString('utf8')).slice(-2000)
  })
  const closed = new Promise<number | null>((resolve) => {
    child.on('close', resolve)
    child.on('error', () => resolve(-1))
  })
  const sink = child.stdio[3] as Writable
  sink.on('error', () => undefined)
  const failed = () => new MediaError(`the joined master ${wordsFor(said)}`, lastWords(said))
  try {
    await make(async (bytes) => {
      if (child.exitCode !== null || child.signalCode !== null) throw failed()
      if (!sink.write(bytes)) await Promise.race([once(sink, 'drain'), closed])
    })
    sink.end()
    if ((await closed) !== 0) throw failed()
  } finally {
    endChild(child)
    await closed
  }
  if (signal.aborted) throw new Cancelled()
}
