import { createReadStream, existsSync, statSync } from 'node:fs'
import { open, readFile, rm, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import type { LtcFindings } from '@pendolo/core/lineup'
import type { FileFacts } from '@pendolo/core/project'
import { ANALYSIS_RATE, BandWriter, PeakWriter, packFeatures } from '@pendolo/core/signal'
import type { Config } from '../config.ts'
import { artefactPath, completeFiles } from './artefacts.ts'
import { inputArguments, limitsFor, progressSeconds, run } from './ffmpeg.ts'
import { hearTimecode } from './ltc.ts'
import { allChannels, folded, forHearing, LAYOUTS, soundClock } from './sound-clock.ts'

/** Points of the waveform overview: a hundred a second. */
const PEAK_STEP = ANALYSIS_RATE / 100
/** A mix this much weaker than its louder channel cancels itself out or carries an empty one. */
const CANCELLED = 0.2
/** Channels that are looked at one by one. */
const MOST_CHANNELS = 16
/** Mean over root mean square of timecode at the analysis rate; music and speech stay below. */
const TIMECODE_STEADY = 0.84
const STEADY_BLOCK = ANALYSIS_RATE / 4
/** A channel that correlates with what was chosen by less than this holds something else, and at most so many are kept. */
const ALIKE = 0.85
const MOST_OTHERS = 4
/** A channel below this share of the other's energy is called empty (−40 dB). */
const EMPTY = 1e-4

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
async function keptFindings(told: string, beside: readonly string[]): Promise<SoundFindings | null> {
  try {
    const findings = JSON.parse(await readFile(told, 'utf8')) as SoundFindings
    if (typeof findings?.silent !== 'boolean') return null
    const whole = beside.every((f, i) => findings.sizes === undefined || statSync(f).size === findings.sizes[i])
    return whole && (findings.others ?? []).every((c) => existsSync(channelFiles(beside[1], c).analysis)) ? findings : null
  } catch {
    return null
  }
}

export interface SoundWishes {
  /** Whether the light copy for listening is wanted as well; placing alone does without. */
  readonly listening: boolean
  readonly onProgress?: (share: number) => void
  readonly signal?: AbortSignal
  /** Runs the steps elsewhere, in worker threads; by default here. */
  readonly steps?: SoundSteps
}

export interface SoundSteps {
  readonly listen: typeof listen
  readonly fold: typeof fold
  readonly alone: typeof alone
}

const PLACING = ['peaks', 'analysis', 'features', 'findings'] as const

/**
 * One decoding pass of a file's sound gives the light copy for listening, the waveform overview, the 8 kHz mono sound
 * that placing works on, and its features.
 */
export async function makeSound(config: Config, file: string, key: string, facts: FileFacts, wishes: SoundWishes): Promise<SoundFindings | null> {
  const { audio } = facts
  if (!audio) return null
  const { listening, onProgress = () => undefined, signal, steps = { listen, fold, alone } } = wishes
  const [peaks, analysis, features, told] = PLACING.map((a) => artefactPath(config, key, a))
  const finals = [...(listening ? [artefactPath(config, key, 'sound')] : []), peaks, analysis, features, told]
  const before = await keptFindings(told, [peaks, analysis, features])
  if (before && finals.every((f) => existsSync(f))) return before
  let findings: SoundFindings = { silent: true, emptyChannel: null }
  await completeFiles(finals, async (parts) => {
    const [peaksPart, analysisPart, featuresPart, toldPart] = parts.slice(-PLACING.length)
    const raw = `${analysisPart}.raw`
    try {
      await decode(config, file, facts, listening ? parts[0] : null, raw, onProgress, signal)
      const channels = allChannels(facts, MOST_CHANNELS).length
      const heard = await steps.listen(raw, channels)
      let timecode: NonNullable<SoundFindings['timecode']> | null = null
      for (const [channel, { steady }] of heard.entries()) {
        const read: LtcFindings | null = steady && !timecode ? await hearTimecode(config, file, facts, channel, { signal }) : null
        if (read) timecode = { ...read, channel }
      }
      const folded = await steps.fold(raw, heard, timecode?.channel ?? -1, { peaks: peaksPart, analysis: analysisPart, features: featuresPart })
      for (const channel of folded.others ?? []) {
        const into = channelFiles(analysis, channel)
        await completeFiles([into.analysis, into.features], ([s16, bands]) => steps.alone(raw, channels, channel, { analysis: s16, features: bands }))
      }
      const sizes = await Promise.all([peaksPart, analysisPart, featuresPart].map(async (f) => (await stat(f)).size))
      findings = { ...folded, timecode, sizes }
      await writeFile(toldPart, JSON.stringify(findings))
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
  sound: string | null,
  raw: string,
  onProgress: (share: number) => void,
  signal: AbortSignal | undefined,
): Promise<void> {
  const channels = facts.audio?.channels ?? 1
  const { before, filter } = soundClock(facts)
  // More than two channels are heard together until each has a strip of its own.
  const fold = channels > 2 ? forHearing(facts) : ''
  // Of more channels than are looked at one by one, several share a place.
  const few = channels > MOST_CHANNELS ? `${folded(channels, MOST_CHANNELS)},` : ''
  const placing = streamsSideBySide(facts, filter, `${sound ? '[y]' : '[0:a:0]'}${few}${filter},`)
  const graph = sound ? `[0:a:0]asplit=2[x][y];[x]${fold}${filter}[a];${placing}` : placing
  const copy = [
    '-map',
    '[a]',
    '-ar',
    '48000',
    '-ac',
    String(Math.min(2, channels)),
    '-sample_fmt',
    's16',
    '-c:a',
    'flac',
    '-compression_level',
    '3',
    '-strict',
    '-2',
  ]
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
    ...(sound ? [...copy, '-f', 'mp4', '-movflags', '+faststart', sound] : []),
    '-map',
    '[b]',
    '-ar',
    String(ANALYSIS_RATE),
    '-f',
    's16le',
    raw,
  ]
  await run(config.ffmpeg, args, {
    signal,
    limits: limitsFor(facts),
    about: path.basename(file),
    onStderr: (text) => {
      const seconds = progressSeconds(text)
      if (seconds !== null && facts.durationSeconds > 0) onProgress(Math.min(0.95, seconds / facts.durationSeconds))
    },
  })
}

/**
 * Filter graph from the first stream to [b], what placing hears: that stream, with all others beside it as further channels
 * for as long as it lasts.
 * @param first what leads to the first stream's sound
 */
function streamsSideBySide(facts: FileFacts, filter: string, first: string): string {
  const count = new Set(allChannels(facts, MOST_CHANNELS).map((c) => c.stream)).size
  if (count < 2) return `${first}anull[b]`
  // To be merged, streams must say how their channels lie and have one rate; many cameras say nothing.
  const said = (k: number) => {
    const channels = facts.audio?.streamChannels?.[k] ?? 1
    return `pan=${LAYOUTS[channels]}|${Array.from({ length: channels }, (_, c) => `c${c}=c${c}`).join('|')},aformat=sample_fmts=s16:sample_rates=48000`
  }
  const others = Array.from({ length: count - 1 }, (_, i) => i + 1)
  const apart = [`${first}${said(0)}[s0]`, ...others.map((k) => `[0:a:${k}]${filter},${said(k)},apad[s${k}]`)]
  return `${apart.join(';')};[s0]${others.map((k) => `[s${k}]`).join('')}amerge=inputs=${count}[b]`
}

export interface Channel {
  /** Sum of squares. */
  readonly energy: number
  /** Its height is as steady as timecode's. */
  readonly steady: boolean
}

/** What each channel holds, before it is decided which of them are heard. */
export async function listen(raw: string, channels: number): Promise<Channel[]> {
  const energy = new Float64Array(channels)
  const blocks = Array.from({ length: channels }, () => ({ sum: 0, squares: 0, active: 0, steady: 0 }))
  let inBlock = 0
  for await (const frame of frames(raw, channels)) {
    for (let i = 0; i < frame.length; i += channels) {
      for (let c = 0; c < channels; c++) {
        const x = frame[i + c]
        blocks[c].sum += Math.abs(x)
        blocks[c].squares += x * x
      }
      if (++inBlock < STEADY_BLOCK) continue
      inBlock = 0
      for (const [c, block] of blocks.entries()) {
        energy[c] += block.squares
        const rms = Math.sqrt(block.squares / STEADY_BLOCK)
        if (rms > 30) {
          block.active++
          if (block.sum / STEADY_BLOCK > TIMECODE_STEADY * rms) block.steady++
        }
        block.sum = 0
        block.squares = 0
      }
    }
  }
  return blocks.map((block, c) => ({ energy: energy[c] + block.squares, steady: block.steady >= 4 && block.steady > block.active / 2 }))
}

/** Where a channel that has an analysis sound of its own keeps it, beside that of the whole file. */
export function channelFiles(analysis: string, channel: number): { analysis: string; features: string } {
  const stem = analysis.replace(/\.s16$/, `.c${channel}`)
  return { analysis: `${stem}.s16`, features: `${stem}.bands` }
}

/** Writes one channel of the decoded sound as an analysis sound of its own. */
export async function alone(raw: string, channels: number, channel: number, into: { analysis: string; features: string }): Promise<void> {
  const bands = new BandWriter()
  await using out = await open(into.analysis, 'w')
  for await (const frame of frames(raw, channels)) {
    const mono = new Int16Array(frame.length / channels)
    for (let i = 0; i < mono.length; i++) mono[i] = frame[i * channels + channel]
    const unit = new Float32Array(mono.length)
    for (let i = 0; i < unit.length; i++) unit[i] = mono[i] / 32768
    bands.push(unit)
    await out.appendFile(new Uint8Array(mono.buffer))
  }
  await writeFile(into.features, packFeatures(bands.finish()))
}

/** Folds the decoded sound to mono by the mix or the channel that serves best, and writes overview and analysis sound. */
export async function fold(
  raw: string,
  heard: readonly Channel[],
  timecodeChannel: number,
  into: { peaks: string; analysis: string; features: string },
): Promise<SoundFindings> {
  const channels = heard.length
  const louder = Math.max(...heard.map((c) => c.energy))
  // Timecode is no sound of the event, and empty channels only make the mix weaker.
  const used = heard.map((_, c) => c).filter((c) => c !== timecodeChannel && heard[c].energy > EMPTY * louder)
  const strongest = used.reduce((a, b) => (heard[b].energy > heard[a].energy ? b : a), used[0] ?? 0)
  let mix = 0
  const withMix = new Float64Array(channels)
  const withStrongest = new Float64Array(channels)
  if (used.length > 1)
    for await (const frame of frames(raw, channels))
      for (let i = 0; i < frame.length; i += channels) {
        let sum = 0
        for (const c of used) sum += frame[i + c]
        sum /= used.length
        mix += sum * sum
        for (const c of used) {
          withMix[c] += sum * frame[i + c]
          withStrongest[c] += frame[i + strongest] * frame[i + c]
        }
      }
  const mixed = used.length > 1 && mix >= CANCELLED * heard[strongest].energy
  const writer = new PeakWriter(ANALYSIS_RATE, PEAK_STEP)
  const bands = new BandWriter()
  await using out = await open(into.analysis, 'w')
  for await (const frame of frames(raw, channels)) {
    const mono = new Int16Array(frame.length / channels)
    const unit = new Float32Array(mono.length)
    for (let i = 0; i < mono.length; i++) {
      let value = 0
      if (mixed) for (const c of used) value += frame[i * channels + c] / used.length
      else if (used.length > 0) value = frame[i * channels + strongest]
      mono[i] = Math.round(value)
      unit[i] = mono[i] / 32768
    }
    writer.push(unit)
    bands.push(unit)
    await out.appendFile(new Uint8Array(mono.buffer))
  }
  await writeFile(into.peaks, writer.finish().bytes)
  await writeFile(into.features, packFeatures(bands.finish()))
  const [left, right] = heard.map((c) => c.energy)
  const empty = channels !== 2 || louder <= 0 || timecodeChannel >= 0 ? null : right < EMPTY * left ? 'right' : left < EMPTY * right ? 'left' : null
  const likeness = (c: number) =>
    mixed ? Math.abs(withMix[c]) / Math.sqrt(mix * heard[c].energy) : Math.abs(withStrongest[c]) / Math.sqrt(heard[strongest].energy * heard[c].energy)
  const others = used
    .filter((c) => used.length > 1 && !(likeness(c) > ALIKE))
    .sort((a, b) => heard[b].energy - heard[a].energy)
    .slice(0, MOST_OTHERS)
  return { silent: louder < 1 || used.length === 0, emptyChannel: empty, others }
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
  const mono = only ? `pan=mono|c0=c${only.channel},` : channels > 8 ? `${folded(channels, 'mono')},` : ''
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
