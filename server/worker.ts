import { COMMON_SPEEDS, placeBySound, type SoundPlacement, SoundReference } from '@pendolo/core/lineup'
import { findPulse, type PulseEstimate } from '@pendolo/core/pulse'
import { readAnalysisSound } from './media/sound.ts'

export interface PlaceTask {
  readonly kind: 'place'
  readonly masterSound: string
  readonly clipSound: string
  readonly thorough: boolean
  readonly near: { startSeconds: number; tolerance: number } | null
}

export interface PulseTask {
  readonly kind: 'pulse'
  readonly samples: Float32Array
}

export type Task = PlaceTask | PulseTask
export type TaskResult<T extends Task> = T extends PlaceTask ? SoundPlacement : PulseEstimate

let reference: { file: string; sound: SoundReference } | null = null

/** Runs in a worker thread: nothing here touches the database or the network. */
export default async function work(task: Task): Promise<SoundPlacement | PulseEstimate> {
  if (task.kind === 'pulse') return findPulse(task.samples)
  if (reference?.file !== task.masterSound) reference = { file: task.masterSound, sound: new SoundReference(await readAnalysisSound(task.masterSound)) }
  return placeBySound(reference.sound, await readAnalysisSound(task.clipSound), {
    speeds: COMMON_SPEEDS,
    thorough: task.thorough,
    ...(task.near && { near: task.near }),
  })
}
