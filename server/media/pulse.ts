import type { FileFacts } from '@pendolo/core/project'
import { OnsetReader, PULSE_RATE, type PulseEstimate, pulseOf } from '@pendolo/core/pulse'
import type { Config } from '../config.ts'
import { eachMono } from './sound.ts'

/** Beats, bars and tempo of a file's sound, heard as it is decoded. */
export async function hearPulse(config: Config, file: string, facts: FileFacts, onProgress: (share: number) => void = () => undefined): Promise<PulseEstimate> {
  const reader = new OnsetReader()
  let heard = 0
  let told = 0
  await eachMono(config, file, facts, PULSE_RATE, (samples) => {
    reader.push(samples)
    heard += samples.length / PULSE_RATE
    const share = facts.durationSeconds > 0 ? Math.min(1, heard / facts.durationSeconds) : 0
    if (share < told + 0.01) return
    told = share
    onProgress(0.4 * share)
  })
  return pulseOf(reader.finish(), (share) => onProgress(0.4 + 0.6 * share))
}
