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
  /** Bytes of waveform, analysis sound and features as they were made; absent in older findings. */
  readonly sizes?: readonly number[]
}

/** Findings of an earlier making; null where they or the files beside them are cut or gone, so that all is made again. */
export async function keptFindings(told: string, beside: readonly string[]): Promise<SoundFindings | null> {
  try {
    const findings = JSON.parse(await readFile(told, 'utf8')) as SoundFindings
    if (typeof findings?.silent !== 'boolean') return null
    const whole = beside.every((f, i) => findings.sizes === undefined || statSync(f).size === findings.sizes[i])
    return whole && (findings.others ?? []).every((c) => existsSync(channelFiles(beside[1], c).analysis)) ? findings : null
  } catch {
    return null
  }
}

/** Where a channel that has an analysis sound of its own keeps it, beside that of the whole file. */
export function channelFiles(analysis: string, channel: number): { analysis: string; features: string } {
  const stem = analysis.replace(/\.s16$/, `.c${channel}`)
  return { analysis: `${stem}.s16`, features: `${stem}.bands` }
}
