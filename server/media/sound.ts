import { once } from 'node:events'
import { createReadStream, createWriteStream } from 'node:fs'
import { readFile, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { finished } from 'node:stream/promises'
import type { FileFacts } from '@pendolo/core/project'
import { ANALYSIS_RATE, PeakWriter } from '@pendolo/core/signal'
import type { Config } from '../config.ts'
import { artefactPath, completeFiles, hasArtefact } from './artefacts.ts'
import { inputArguments, progressSeconds, run } from './ffmpeg.ts'
import { clockZero } from './probe.ts'

/** Points of the waveform overview: a hundred a second. */
const PEAK_STEP = ANALYSIS_RATE / 100
/** A mix this much weaker than its louder channel cancels itself out or carries an empty one. */
const CANCELLED = 0.2
/** A channel below this share of the other's energy is called empty (−40 dB). */
const EMPTY = 1e-4

/** What hearing a file whole tells about its channels. */
export interface SoundFindings {
  readonly silent: boolean
  readonly emptyChannel: 'left' | 'right' | null
}

/** Arguments that make ffmpeg's audio clock the file's presentation clock: sample 0 is presentation time 0. */
export function soundClock(facts: FileFacts): { before: string[]; filter: string } {
  // With -copyts times of clocked containers stay as they are; gaps and late starts are filled with silence,
  // what lies before zero (encoder priming) is cut.
  const zero = clockZero(facts.container, 1) === 0
  return { before: zero ? ['-copyts'] : [], filter: 'aresample=async=1:first_pts=0' }
}

/**
 * One decoding pass of a file's sound gives the light copy for listening, the waveform overview and the 8 kHz mono
 * sound that placing works on.
 */
export async function makeSound(
  config: Config,
  file: string,
  key: string,
  facts: FileFacts,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<SoundFindings | null> {
  const { audio } = facts
  if (!audio) return null
  const finals = [
    artefactPath(config, key, 'sound'),
    artefactPath(config, key, 'peaks'),
    artefactPath(config, key, 'analysis'),
    artefactPath(config, key, 'findings'),
  ]
  if ((['sound', 'peaks', 'analysis', 'findings'] as const).every((a) => hasArtefact(config, key, a)))
    return JSON.parse(await readFile(finals[3], 'utf8')) as SoundFindings
  let findings: SoundFindings = { silent: true, emptyChannel: null }
  await completeFiles(finals, async ([sound, peaks, analysis, told]) => {
    const raw = `${analysis}.raw`
    try {
      await decode(config, file, facts, sound, raw, onProgress, signal)
      findings = await fold(raw, audio.channels >= 2 ? 2 : 1, peaks, analysis)
      await writeFile(told, JSON.stringify(findings))
    } finally {
      await rm(raw, { force: true })
    }
  })
  return findings
}

async function decode(
  config: Config,
  file: string,
  facts: FileFacts,
  sound: string,
  raw: string,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const channels = facts.audio?.channels ?? 1
  const { before, filter } = soundClock(facts)
  // More than two channels are heard together as one until each has a strip of its own.
  const fold = channels > 2 ? `,pan=mono|c0=${Array.from({ length: channels }, (_, c) => `${(1 / Math.sqrt(channels)).toFixed(4)}*c${c}`).join('+')}` : ''
  const graph = `[0:a:0]${filter}${fold},asplit=2[a][b]`
  const two = channels === 2 ? 2 : 1
  const args = [
    '-v',
    'error',
    '-y',
    '-nostdin',
    '-progress',
    'pipe:2',
    ...before,
    ...inputArguments(file),
    '-filter_complex',
    graph,
    '-map',
    '[a]',
    '-ar',
    '48000',
    '-ac',
    String(two),
    '-sample_fmt',
    's16',
    '-c:a',
    'flac',
    '-compression_level',
    '3',
    '-strict',
    '-2',
    '-f',
    'mp4',
    '-movflags',
    '+faststart',
    sound,
    '-map',
    '[b]',
    '-ar',
    String(ANALYSIS_RATE),
    '-ac',
    String(channels >= 2 ? 2 : 1),
    '-f',
    's16le',
    raw,
  ]
  await run(config.ffmpeg, args, {
    signal,
    onStderr: (text) => {
      const seconds = progressSeconds(text)
      if (seconds !== null && facts.durationSeconds > 0) onProgress(Math.min(0.95, seconds / facts.durationSeconds))
    },
  })
}

/** Folds the decoded sound to mono by the mix or the channel that serves best, and writes overview and analysis sound. */
async function fold(raw: string, channels: number, peaksFile: string, analysisFile: string): Promise<SoundFindings> {
  let left = 0
  let right = 0
  let mix = 0
  for await (const frame of frames(raw, channels)) {
    for (let i = 0; i < frame.length; i += channels) {
      const l = frame[i]
      const r = channels === 2 ? frame[i + 1] : l
      left += l * l
      right += r * r
      mix += ((l + r) / 2) ** 2
    }
  }
  const useMix = channels === 1 || mix >= CANCELLED * Math.max(left, right)
  const useLeft = left >= right
  const writer = new PeakWriter(ANALYSIS_RATE, PEAK_STEP)
  const out = createWriteStream(analysisFile)
  for await (const frame of frames(raw, channels)) {
    const mono = new Int16Array(frame.length / channels)
    const unit = new Float32Array(mono.length)
    for (let i = 0; i < mono.length; i++) {
      const l = frame[i * channels]
      const r = channels === 2 ? frame[i * channels + 1] : l
      mono[i] = useMix ? Math.round((l + r) / 2) : useLeft ? l : r
      unit[i] = mono[i] / 32768
    }
    writer.push(unit)
    if (!out.write(Buffer.from(mono.buffer))) await once(out, 'drain')
  }
  out.end()
  await finished(out)
  await writeFile(peaksFile, writer.finish().bytes)
  const louder = Math.max(left, right)
  return {
    silent: louder < 1,
    emptyChannel: channels === 2 && louder > 0 ? (right < EMPTY * left ? 'right' : left < EMPTY * right ? 'left' : null) : null,
  }
}

async function* frames(raw: string, channels: number): AsyncGenerator<Int16Array> {
  let rest: Buffer = Buffer.alloc(0)
  for await (const chunk of createReadStream(raw, { highWaterMark: 1 << 20 })) {
    const all = rest.length > 0 ? Buffer.concat([rest, chunk as Buffer]) : (chunk as Buffer)
    const whole = all.length - (all.length % (2 * channels))
    yield new Int16Array(Uint8Array.from(all.subarray(0, whole)).buffer)
    rest = all.subarray(whole)
  }
}

/** The analysis sound of a file as samples in −1..1. */
export async function readAnalysisSound(file: string): Promise<Float32Array> {
  const bytes = await readFile(file)
  const whole = new Int16Array(bytes.buffer, bytes.byteOffset, Math.floor(bytes.length / 2))
  return Float32Array.from(whole, (x) => x / 32768)
}

/** Decodes a file's sound as mono samples at a rate, on its presentation clock. */
export async function decodeMono(config: Config, file: string, facts: FileFacts, sampleRate: number, signal?: AbortSignal): Promise<Float32Array> {
  const { before, filter } = soundClock(facts)
  const chunks: Buffer[] = []
  const args = [
    '-v',
    'error',
    '-nostdin',
    ...before,
    ...inputArguments(path.resolve(file)),
    '-map',
    '0:a:0',
    '-af',
    filter,
    '-ac',
    '1',
    '-ar',
    String(sampleRate),
    '-f',
    'f32le',
    'pipe:1',
  ]
  await run(config.ffmpeg, args, { signal, onStdout: (chunk) => chunks.push(chunk) })
  const all = Buffer.concat(chunks)
  return new Float32Array(all.buffer.slice(all.byteOffset, all.byteOffset + (all.length & ~3)))
}
