import path from 'node:path'
import type { FileFacts } from '@pendolo/core/project'
import type { Config } from '../config.ts'
import { inputArguments, limitsFor, run } from './ffmpeg.ts'
import { allInOne, soundClock } from './sound-clock.ts'

/** Decodes a file's sound as mono samples at a rate, on its presentation clock. */
export async function decodeMono(config: Config, file: string, facts: FileFacts, sampleRate: number, signal?: AbortSignal): Promise<Float32Array> {
  const chunks: Float32Array[] = []
  await eachMono(config, file, facts, sampleRate, (samples) => void chunks.push(samples), signal)
  const out = new Float32Array(chunks.reduce((sum, c) => sum + c.length, 0))
  let at = 0
  for (const chunk of chunks) {
    out.set(chunk, at)
    at += chunk.length
  }
  return out
}

/** One channel of one stream of a file, both counted from 0. */
export interface ChannelOf {
  readonly stream: number
  readonly channel: number
}

/** The same piece by piece, as it is decoded, so that hours need no room. @param only one channel instead of all together */
async function eachMono(
  config: Config,
  file: string,
  facts: FileFacts,
  sampleRate: number,
  visit: (samples: Float32Array) => void | Promise<void>,
  signal?: AbortSignal,
  only?: ChannelOf,
): Promise<void> {
  const { before, filter } = soundClock(facts)
  const channels = facts.audio?.channels ?? 1
  const mono = only ? `pan=mono|c0=c${only.channel},` : channels > 8 ? `${allInOne(channels)},` : ''
  const [input, output] = [inputArguments(path.resolve(file)), ['-ac', '1', '-ar', String(sampleRate), '-f', 'f32le', 'pipe:1']]
  let rest: Buffer = Buffer.alloc(0)
  await run(config.ffmpeg, ['-v', 'error', '-nostdin', ...before, ...input, '-map', `0:a:${only?.stream ?? 0}`, '-af', `${mono}${filter}`, ...output], {
    signal,
    limits: limitsFor(facts),
    about: path.basename(file),
    onStdout: (chunk) => {
      const all = rest.length > 0 ? Buffer.concat([rest, chunk]) : chunk
      const whole = all.length & ~3
      rest = all.subarray(whole)
      return visit(new Float32Array(all.buffer.slice(all.byteOffset, all.byteOffset + whole)))
    },
  })
}

/** {@link eachMono} that tells how far it is, 0..1, in steps of a hundredth. */
export async function eachMonoTold(
  config: Config,
  file: string,
  facts: FileFacts,
  sampleRate: number,
  visit: (samples: Float32Array) => void | Promise<void>,
  onProgress: (share: number) => void,
  only?: ChannelOf,
): Promise<void> {
  let heard = 0
  let told = 0
  await eachMono(
    config,
    file,
    facts,
    sampleRate,
    (samples) => {
      heard += samples.length / sampleRate
      const share = facts.durationSeconds > 0 ? Math.min(1, heard / facts.durationSeconds) : 0
      if (share >= told + 0.01) {
        told = share
        onProgress(share)
      }
      return visit(samples)
    },
    undefined,
    only,
  )
}
