import path from 'node:path'
import { type LtcFindings, LtcReader, ltcFindings } from '@pendolo/core/lineup'
import { channelsOf } from '@pendolo/core/mix'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { inputArguments, limitsFor, run } from './ffmpeg.ts'
import { soundClock } from './sound-clock.ts'

const RATE = 48000
/** Of longer recordings a stretch is read every so often: labels and clock between them follow from both ends. */
const WHOLE_SECONDS = 600
const READ_SECONDS = 20
const EVERY_SECONDS = 120

/**
 * Reads timecode recorded on one channel, counted over all streams, on the file's presentation clock.
 * @returns null when the channel holds none after all
 */
export async function hearTimecode(
  config: Config,
  file: string,
  facts: FileFacts,
  channel: number,
  { whole = false, signal }: { whole?: boolean; signal?: AbortSignal } = {},
): Promise<LtcFindings | null> {
  const { before, filter } = soundClock(facts)
  const reader = new LtcReader(RATE)
  const sampled = !whole && facts.durationSeconds > WHOLE_SECONDS
  let rest: Buffer = Buffer.alloc(0)
  let at = 0
  const take = (chunk: Buffer) => {
    const all = rest.length > 0 ? Buffer.concat([rest, chunk]) : chunk
    const count = all.length >> 1
    const wanted = !sampled || (at / RATE) % EVERY_SECONDS < READ_SECONDS
    if (wanted) {
      const samples = new Float32Array(count)
      for (let i = 0; i < count; i++) samples[i] = all.readInt16LE(2 * i) / 32768
      reader.push(samples)
    } else reader.skip(count)
    at += count
    rest = all.subarray(2 * count)
  }
  const where = (facts.audio && channelsOf(facts.audio)[channel]) ?? { stream: 0, channel }
  const args = [
    ...before,
    ...inputArguments(file),
    '-map',
    `0:a:${where.stream}`,
    '-af',
    `pan=mono|c0=c${where.channel},${filter}`,
    '-ar',
    String(RATE),
    '-f',
    's16le',
    'pipe:1',
  ]
  await run(config.ffmpeg, ['-v', 'error', '-nostdin', ...args], { signal, limits: limitsFor(facts), about: path.basename(file), onStdout: take })
  return ltcFindings(reader.finish(), RATE)
}
