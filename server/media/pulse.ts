import type { FileFacts } from '@pendolo/core/project'
import { PULSE_RATE, type PulseEstimate, PulseReader, type PulseWishes } from '@pendolo/core/pulse'
import type { Config } from '../config.ts'
import { eachMonoTold } from './mono.ts'

async function listened(config: Config, file: string, facts: FileFacts, onProgress: (share: number) => void): Promise<PulseReader> {
  const reader = new PulseReader()
  await eachMonoTold(config, file, facts, PULSE_RATE, (samples) => reader.push(samples), onProgress)
  return reader
}

/** Beats, bars, hits and parts of a file's sound, heard as it is decoded. */
export async function hearPulse(
  config: Config,
  file: string,
  facts: FileFacts,
  wishes: PulseWishes = {},
  onProgress: (share: number) => void = () => undefined,
): Promise<PulseEstimate> {
  const reader = await listened(config, file, facts, (share) => onProgress(0.4 * share))
  return reader.finish((share) => onProgress(0.4 + 0.6 * share), wishes)
}

/** Parts of the form and loud moments, on beats as they were corrected. */
export async function hearParts(
  config: Config,
  file: string,
  facts: FileFacts,
  grid: { beats: readonly number[]; downbeats: readonly number[] },
  onProgress: (share: number) => void = () => undefined,
): Promise<Pick<PulseEstimate, 'sections' | 'loud'>> {
  return (await listened(config, file, facts, (share) => onProgress(0.9 * share))).finishParts(grid)
}
