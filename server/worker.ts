import { once } from 'node:events'
import type { MessagePort } from 'node:worker_threads'
import type { Detail, FilmSound, LoudnessCurve } from '@pendolo/api'
import {
  COMMON_SPEEDS,
  heardTogether,
  type LightPlacement,
  placeByLight,
  placeBySound,
  type SoundPlacement,
  SoundReference,
  type SpeedWish,
} from '@pendolo/core/lineup'
import type { FileFacts } from '@pendolo/core/project'
import type { PulseEstimate, PulseWishes } from '@pendolo/core/pulse'
import { ANALYSIS_RATE } from '@pendolo/core/signal'
import type { Config } from './config.ts'
import { backUp } from './db/backup.ts'
import { type LoudnessOrder, measureFilm } from './film/measure.ts'
import { type FilmOrder, type PicturesOrder, renderFilm, renderLight } from './film/render.ts'
import { alone, fold, listen } from './media/fold.ts'
import { openHeard } from './media/heard.ts'
import { readLuma } from './media/luma.ts'
import { hearParts, hearPulse } from './media/pulse.ts'
import { hearSpeech, type MicrophoneFile, type SpeechEstimate } from './media/speech.ts'
import type { SteadyFile } from './media/steady.ts'
import { makeSteadyOwn } from './media/steady-own.ts'
import { tidiesUp } from './tidy.ts'

export interface PlaceTask {
  readonly kind: 'place'
  readonly masterSound: string
  readonly clipSound: string
  readonly thorough: boolean
  readonly near: { startSeconds: number; tolerance: number } | null
  readonly speed: SpeedWish
}

type Video = NonNullable<FileFacts['video']>

export interface LightTask {
  readonly kind: 'light'
  readonly references: readonly { file: string; video: Video; startSeconds: number; rate: number }[]
  readonly clip: { file: string; video: Video }
  readonly near: { startSeconds: number; tolerance: number } | null
  /** Speeds to try; null for those of shooting practice. */
  readonly speeds: readonly number[] | null
}

export interface PulseTask {
  readonly kind: 'pulse'
  readonly config: Config
  readonly file: string
  readonly facts: FileFacts
  readonly wishes?: PulseWishes
}

export interface PartsTask {
  readonly kind: 'parts'
  readonly config: Config
  readonly file: string
  readonly facts: FileFacts
  readonly grid: { beats: readonly number[]; downbeats: readonly number[] }
}

export interface SpeechTask {
  readonly kind: 'speech'
  readonly config: Config
  readonly file: string
  readonly facts: FileFacts
  readonly microphones: readonly MicrophoneFile[]
}

export interface ListenTask {
  readonly kind: 'listen'
  readonly args: Parameters<typeof listen>
}

export interface FoldTask {
  readonly kind: 'fold'
  readonly args: Parameters<typeof fold>
}

export interface AloneTask {
  readonly kind: 'alone'
  readonly args: Parameters<typeof alone>
}

export interface FilmTask extends FilmOrder {
  readonly kind: 'film'
}

/** Makes the pictures of a film, light, without sound. */
export interface PrepareTask extends PicturesOrder {
  readonly kind: 'prepare'
}

/** Steadies a clip where ffmpeg cannot. */
export interface SteadyTask {
  readonly kind: 'steady'
  readonly config: Config
  readonly file: SteadyFile
  readonly seconds: number
  readonly out: string
}

/** Measures how loud a film will be. */
export interface LoudnessTask extends LoudnessOrder {
  readonly kind: 'loudness'
}

/** Copies the database. */
export interface BackupTask {
  readonly kind: 'backup'
  readonly home: string
}

/** Compares what two recordings have in common beside the master. */
export interface TogetherTask {
  readonly kind: 'together'
  readonly masterSound: string
  readonly a: { readonly file: string; readonly startSeconds: number; readonly rate: number }
  readonly b: { readonly file: string; readonly startSeconds: number; readonly rate: number }
}

interface Results {
  together: number | null
  film: FilmSound
  prepare: null
  steady: number
  loudness: Omit<LoudnessCurve, 'revision'>
  backup: string
  place: SoundPlacement
  light: LightPlacement
  pulse: PulseEstimate
  parts: Pick<PulseEstimate, 'sections' | 'loud'>
  speech: SpeechEstimate
  listen: Awaited<ReturnType<typeof listen>>
  fold: Awaited<ReturnType<typeof fold>>
  alone: Awaited<ReturnType<typeof alone>>
}

export type Task =
  | BackupTask
  | TogetherTask
  | LoudnessTask
  | FilmTask
  | PrepareTask
  | SteadyTask
  | PlaceTask
  | LightTask
  | PulseTask
  | PartsTask
  | SpeechTask
  | ListenTask
  | FoldTask
  | AloneTask
export type TaskResult<T extends Task> = Results[T['kind']]

/** A master no longer than this is searched at any speed where a thorough search is asked for, s. */
const SONG_SECONDS = 900

const anySpeed = ({ speed, thorough }: PlaceTask, masterSeconds: number) => speed === 'any' || (thorough && speed === 'auto' && masterSeconds <= SONG_SECONDS)

let reference: { file: string; sound: SoundReference; close: () => void } | null = null

/** How far a task is. */
export interface Told {
  readonly share: number
  readonly detail?: Detail
}

/** Runs in a worker thread: nothing here touches the database or the network. What has to tidy up is told through the port to begin, and then that it shall end. */
export default async function work({ task, progress }: { task: Task; progress: MessagePort }): Promise<Results[keyof Results]> {
  try {
    return await done(task, progress)
  } catch (error) {
    // Only message and cause of an error reach the other thread.
    const { code, raw } = error as { code?: string; raw?: string | null }
    throw new Error(error instanceof Error ? error.message : String(error), { cause: { code, raw } })
  }
}

function together({ masterSound, a, b }: TogetherTask): number | null {
  const [master, ...two] = [masterSound, a.file, b.file].map(openHeard)
  try {
    const [x, y] = [a, b].map((line, i) => ({ sound: two[i].sound.source, line }))
    return heardTogether(master.sound.source, x, y)
  } finally {
    for (const one of [master, ...two]) one.close()
  }
}

async function done(task: Task, progress: MessagePort): Promise<Results[keyof Results]> {
  if (tidiesUp(task)) {
    const abort = new AbortController()
    // Whoever asked may have ended it before it began, and then this thread with it.
    progress.postMessage('ready')
    await once(progress, 'message')
    progress.once('message', () => abort.abort())
    const report = (share: number, detail: Detail) => progress.postMessage({ share, detail } satisfies Told)
    if (task.kind === 'prepare') return renderLight(task, report, abort.signal)
    if (task.kind === 'steady')
      return makeSteadyOwn(task.config, task.file, task.seconds, task.out, (share) => report(share, { code: 'steadying' }), abort.signal)
    return task.kind === 'film' ? renderFilm(task, report, abort.signal) : measureFilm(task, report, abort.signal)
  }
  if (task.kind === 'listen') return listen(...task.args)
  if (task.kind === 'fold') return fold(...task.args)
  if (task.kind === 'alone') return alone(...task.args)
  if (task.kind === 'backup') return backUp(task.home)
  const told = (share: number) => progress.postMessage({ share } satisfies Told)
  if (task.kind === 'pulse') return hearPulse(task.config, task.file, task.facts, task.wishes, told)
  if (task.kind === 'parts') return hearParts(task.config, task.file, task.facts, task.grid, told)
  if (task.kind === 'speech') return hearSpeech(task.config, task.file, task.facts, task.microphones, told)
  if (task.kind === 'light') {
    const references = await Promise.all(task.references.map(async (r) => ({ ...r, track: await readLuma(r.file, r.video) })))
    return placeByLight(references, await readLuma(task.clip.file, task.clip.video), task.near ?? undefined, task.speeds ?? undefined)
  }
  if (task.kind === 'together') return together(task)
  if (reference?.file !== task.masterSound) {
    reference?.close()
    const { sound, close } = openHeard(task.masterSound)
    reference = { file: task.masterSound, sound: new SoundReference(sound), close }
  }
  const clip = openHeard(task.clipSound)
  let most = 0
  const onProgress = (share: number) => {
    if (share < most + 0.01) return
    most = share
    told(share)
  }
  try {
    return placeBySound(reference.sound, clip.sound, {
      ...(typeof task.speed === 'string'
        ? { speeds: COMMON_SPEEDS, anySpeed: anySpeed(task, reference.sound.source.length / ANALYSIS_RATE) }
        : task.speed === 1
          ? {}
          : { only: task.speed }),
      thorough: task.thorough,
      onProgress,
      ...(task.near && { near: task.near }),
    })
  } finally {
    clip.close()
  }
}
