import type { MessagePort } from 'node:worker_threads'
import { COMMON_SPEEDS, type LightPlacement, placeByLight, placeBySound, type SoundPlacement, SoundReference } from '@pendolo/core/lineup'
import type { FileFacts } from '@pendolo/core/project'
import type { PulseEstimate } from '@pendolo/core/pulse'
import type { Config } from './config.ts'
import { backUp } from './db/backup.ts'
import { openHeard } from './media/heard.ts'
import { readLuma } from './media/luma.ts'
import { hearParts, hearPulse } from './media/pulse.ts'
import { alone, fold, listen } from './media/sound.ts'
import { hearSpeech, type MicrophoneFile, type SpeechEstimate } from './media/speech.ts'

export interface PlaceTask {
  readonly kind: 'place'
  readonly masterSound: string
  readonly clipSound: string
  readonly thorough: boolean
  readonly near: { startSeconds: number; tolerance: number } | null
  /** 'auto' tries the speeds of shooting practice where 1 does not fit; a number is tried alone. */
  readonly speed: 'auto' | number
}

type Video = NonNullable<FileFacts['video']>

export interface LightTask {
  readonly kind: 'light'
  readonly references: readonly { file: string; video: Video; startSeconds: number; rate: number }[]
  readonly clip: { file: string; video: Video }
  readonly near: { startSeconds: number; tolerance: number } | null
}

export interface PulseTask {
  readonly kind: 'pulse'
  readonly config: Config
  readonly file: string
  readonly facts: FileFacts
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

/** Copies the database. */
export interface BackupTask {
  readonly kind: 'backup'
  readonly home: string
}

interface Results {
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

export type Task = BackupTask | PlaceTask | LightTask | PulseTask | PartsTask | SpeechTask | ListenTask | FoldTask | AloneTask
export type TaskResult<T extends Task> = Results[T['kind']]

let reference: { file: string; sound: SoundReference; close: () => void } | null = null

/** Runs in a worker thread: nothing here touches the database or the network. */
export default async function work({ task, progress }: { task: Task; progress: MessagePort }): Promise<Results[keyof Results]> {
  if (task.kind === 'listen') return listen(...task.args)
  if (task.kind === 'fold') return fold(...task.args)
  if (task.kind === 'alone') return alone(...task.args)
  if (task.kind === 'backup') return backUp(task.home)
  const told = (share: number) => progress.postMessage(share)
  if (task.kind === 'pulse') return hearPulse(task.config, task.file, task.facts, told)
  if (task.kind === 'parts') return hearParts(task.config, task.file, task.facts, task.grid, told)
  if (task.kind === 'speech') return hearSpeech(task.config, task.file, task.facts, task.microphones, told)
  if (task.kind === 'light') {
    const references = await Promise.all(task.references.map(async (r) => ({ ...r, track: await readLuma(r.file, r.video) })))
    return placeByLight(references, await readLuma(task.clip.file, task.clip.video), task.near ?? undefined)
  }
  if (reference?.file !== task.masterSound) {
    reference?.close()
    const { sound, close } = openHeard(task.masterSound)
    reference = { file: task.masterSound, sound: new SoundReference(sound), close }
  }
  const clip = openHeard(task.clipSound)
  try {
    return placeBySound(reference.sound, clip.sound, {
      ...(task.speed === 'auto' ? { speeds: COMMON_SPEEDS } : task.speed === 1 ? {} : { only: task.speed }),
      thorough: task.thorough,
      ...(task.near && { near: task.near }),
    })
  } finally {
    clip.close()
  }
}
