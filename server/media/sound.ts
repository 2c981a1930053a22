import { existsSync } from 'node:fs'
import { rm, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import type { LtcFindings } from '@pendolo/core/lineup'
import { channelsOf, tracksOf } from '@pendolo/core/mix'
import type { FileFacts } from '@pendolo/core/project'
import { ANALYSIS_RATE } from '@pendolo/core/signal'
import type { Config } from '../config.ts'
import { type Artefact, artefactPath, completeFiles } from './artefacts.ts'
import { inputArguments, limitsFor, progressSeconds, run } from './ffmpeg.ts'
import { channelFile, keptFindings, type SoundFindings } from './findings.ts'
import { alone, fold, listen, type RawSound } from './fold.ts'
import { hearTimecode } from './ltc.ts'
import { hearingOf, soundClock } from './sound-clock.ts'

/** Channels of a file that are looked at one by one. */
const MOST_CHANNELS = 64
/** Hums and tones are as steady as timecode is: no more channels than these are read for it. */
const MOST_STEADY = 4
/** What decodes takes so many channels apart at once. */
const AT_ONCE = 16

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

const PLACING = ['peaks', 'analysis', 'findings'] as const

/** What listening to a file needs besides: all of it in two channels, and where it has more each channel by itself. */
export function listeningArtefacts({ audio }: FileFacts): Artefact[] {
  const count = audio ? channelsOf(audio).length : 0
  return count === 0 ? [] : count === 1 ? ['sound'] : count === 2 && !audio?.streamChannels ? ['sound', 'channelPeaks'] : ['sound', 'channelPeaks', 'channels']
}

/**
 * One decoding pass of a file's sound gives the light copies for listening, the waveform overview, and the 8 kHz mono sound
 * that placing works on.
 */
export async function makeSound(config: Config, file: string, key: string, facts: FileFacts, wishes: SoundWishes): Promise<SoundFindings | null> {
  const { audio } = facts
  if (!audio) return null
  const { listening, onProgress = () => undefined, signal, steps = { listen, fold, alone } } = wishes
  const names: Artefact[] = [...PLACING, ...(listening ? listeningArtefacts(facts) : [])]
  const finals = names.map((a) => artefactPath(config, key, a))
  const [peaks, analysis, told] = finals
  const before = await keptFindings(told, [peaks, analysis])
  if (before && finals.every((f) => existsSync(f))) return before
  let findings: SoundFindings = { silent: true, emptyChannel: null }
  await completeFiles(finals, async (parts) => {
    const part = (name: Artefact): string | null => (names.includes(name) ? parts[names.indexOf(name)] : null)
    const [peaksPart, analysisPart, toldPart] = parts
    const { raw, graph, tracks } = rawSound(facts, `${analysisPart}.raw`)
    try {
      await decode(config, file, facts, { raw, graph, tracks, sound: part('sound'), channels: part('channels') }, onProgress, signal)
      const heard = await steps.listen(raw)
      let timecode: NonNullable<SoundFindings['timecode']> | null = null
      for (const channel of heard.channels.flatMap((h, c) => (h.steady ? [c] : [])).slice(0, MOST_STEADY)) {
        const read: LtcFindings | null = await hearTimecode(config, file, facts, channel, { signal })
        if (!read) continue
        timecode = { ...read, channel }
        break
      }
      const into = { peaks: peaksPart, analysis: analysisPart, channelPeaks: part('channelPeaks') }
      const folded = await steps.fold(raw, heard, timecode?.channel ?? -1, into)
      for (const channel of folded.others ?? []) await completeFiles([channelFile(analysis, channel)], ([s16]) => steps.alone(raw, channel, s16))
      const sizes = await Promise.all([peaksPart, analysisPart].map(async (f) => (await stat(f)).size))
      findings = { ...folded, timecode, sizes }
      await writeFile(toldPart, JSON.stringify(findings))
    } finally {
      await Promise.all(raw.map((r) => rm(r.path, { force: true })))
    }
  })
  return findings
}

/** All channels of a file in groups: where each goes, and the graph that leads to them with what listening needs. */
interface Apart {
  readonly raw: RawSound
  /** From the streams to [x] (the first one whole), [t0], [t1] … (the tracks) and [r0], [r1] … (the groups). */
  readonly graph: (filter: string, copies: { sound: boolean; channels: boolean }) => string
  /** How many tracks the copy has that has the channels apart. */
  readonly tracks: number
}

/** Layouts that what codes without a loss knows, by how many channels they have. They are set last: to one that is asked for before, channels would be folded. */
const LAYOUTS = ['mono', 'stereo', '3.0', 'quad', '5.0', '5.1', '6.1', '7.1']

function rawSound(facts: FileFacts, stem: string): Apart {
  const all = channelsOf(facts.audio as NonNullable<FileFacts['audio']>).slice(0, MOST_CHANNELS)
  const tracks = tracksOf(all)
  const streams = [...new Set(all.map((c) => c.stream))].map((stream) => all.filter((c) => c.stream === stream))
  const groups = streams.flatMap((channels) => {
    const out: (typeof all)[] = []
    for (let i = 0; i < channels.length; i += AT_ONCE) out.push(channels.slice(i, i + AT_ONCE))
    return out
  })
  const graph = (filter: string, copies: { sound: boolean; channels: boolean }): string =>
    streams
      .map((channels, stream) => {
        const ways: string[] = stream === 0 && copies.sound ? ['anull[x]'] : []
        for (const [i, group] of groups.entries()) {
          if (group[0].stream !== stream) continue
          const some = channels.length > AT_ONCE ? `pan=${group.length}c|${group.map((c, k) => `c${k}=c${c.channel}`).join('|')},` : ''
          ways.push(`${some}${filter}[r${i}]`)
        }
        for (const [t, track] of tracks.entries()) {
          if (!copies.channels || track[0].stream !== stream) continue
          const own = [...track.keys()]
          const named = `channelmap=${own.join('|')}:channel_layout=${LAYOUTS[track.length - 1]}`
          ways.push(`pan=${track.length}c|${own.map((k) => `c${k}=c${track[k].channel}`).join('|')},${filter},${named}[t${t}]`)
        }
        if (ways.length === 1) return `[0:a:${stream}]${ways[0]}`
        const labels = ways.map((_, i) => `[w${stream}_${i}]`)
        return [`[0:a:${stream}]asplit=${ways.length}${labels.join('')}`, ...ways.map((way, i) => `${labels[i]}${way}`)].join(';')
      })
      .join(';')
  return { raw: groups.map((g, i) => ({ path: `${stem}${i}`, channels: g.length })), graph, tracks: tracks.length }
}

/** How light copies of sound are stored: nothing is lost, and it is quick to read from anywhere. */
const COPY = ['-ar', '48000', '-sample_fmt', 's16', '-c:a', 'flac', '-compression_level', '3', '-strict', '-2', '-f', 'mp4', '-movflags', '+faststart']

async function decode(
  config: Config,
  file: string,
  facts: FileFacts,
  { raw, graph, tracks, sound, channels }: Apart & { sound: string | null; channels: string | null },
  onProgress: (share: number) => void,
  signal: AbortSignal | undefined,
): Promise<void> {
  const { before, filter } = soundClock(facts)
  const apart = graph(filter, { sound: sound !== null, channels: channels !== null })
  // A mono sound is heard in the middle wherever it is played; its copy needs but one channel.
  const mono = facts.audio?.channels === 1
  const hearing = sound === null ? '' : `;[x]${mono ? `${filter}[a]` : hearingOf(facts, filter)}`
  const args = [
    ...['-v', 'error', '-y', '-nostdin', '-progress', 'pipe:2', ...before, ...inputArguments(file), '-filter_complex', apart + hearing],
    ...(sound === null ? [] : ['-map', '[a]', '-ac', mono ? '1' : '2', ...COPY, sound]),
    ...(channels === null ? [] : [...Array.from({ length: tracks }, (_, i) => ['-map', `[t${i}]`]).flat(), ...COPY, channels]),
    ...raw.flatMap((r, i) => ['-map', `[r${i}]`, '-ar', String(ANALYSIS_RATE), '-f', 's16le', r.path]),
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
