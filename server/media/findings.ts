import { existsSync, statSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import type { LtcFindings } from '@pendolo/core/lineup'

/** What hearing a file whole tells about its channels. */
export interface SoundFindings {
  readonly silent: boolean
  readonly emptyChannel: 'left' | 'right' | null
  /** Channels that differ from what was chosen and have an analysis sound of their own; absent in older findings. */
  readonly others?: readonly number[]
  /** Timecode recorded as sound, and on which channel; absent in findings made before it was listened for. */
  readonly timecode?: (LtcFindings & { readonly channel: number }) | null
  /** Bytes of waveform and analysis sound as they were made; absent in older findings. */
  readonly sizes?: readonly number[]
}

/** Findings of an earlier making; null where they or the files beside them are cut or gone, so that all is made again. */
export async function keptFindings(told: string, beside: readonly string[]): Promise<SoundFindings | null> {
  try {
    const findings = JSON.parse(await readFile(told, 'utf8')) as SoundFindings
    if (typeof findings?.silent !== 'boolean') return null
    const whole = beside.every((f, i) => findings.sizes === undefined || statSync(f).size === findings.sizes[i])
    return whole && (findings.others ?? []).every((c) => existsSync(channelFile(beside[1], c))) ? findings : null
  } catch {
    return null
  }
}

/** Where a channel that has an analysis sound of its own keeps it, beside that of the whole file. */
export function channelFile(analysis: string, channel: number): string {
  return analysis.replace(/\.s16$/, `.c${channel}.s16`)
}
