import { type HeardChannel, heardChannels } from '@pendolo/core/mix'
import type { FileFacts } from '@pendolo/core/project'
import type { SampleForm } from '@pendolo/core/signal'
import { clockZero } from './pictures.ts'

/** Containers in which sound is found again to the sample from the middle on (Matroska counts in milliseconds, streams guess). */
const SEEKABLE = /^(mov|wav|w64|flac|aiff|caf)$/

/** Whether a file's sound can be read from the middle on. */
export const canSeek = ({ container }: FileFacts): boolean => SEEKABLE.test(container)

/** Samples of each channel that are read at once, and bytes at least. */
const PACKET_SAMPLES = 4096
const PACKET_BYTES = 65_536

/**
 * Arguments that make ffmpeg's audio clock the file's presentation clock: sample 0 is presentation time `from`.
 * @param from whole seconds; other than 0 only where {@link canSeek}
 */
export function soundClock(facts: FileFacts, from = 0): { before: string[]; filter: string } {
  // With -copyts times of clocked containers stay as they are; gaps and late starts are filled with silence,
  // what lies before zero (encoder priming) is cut.
  const clocked = clockZero(facts.container, 1) === 0
  const seek = from > 0 ? [...(clocked ? ['-seek_timestamp', '1'] : []), '-ss', String(from)] : []
  // The filter counts samples of what it is given.
  const first = clocked ? from * (facts.audio?.sampleRate ?? 48000) : 0
  // Wave files are read four kilobytes at a time unless told otherwise, and handed on so.
  const channels = facts.audio?.channels ?? 1
  const packets = /^(wav|w64)$/.test(facts.container) ? ['-max_size', String(Math.max(PACKET_BYTES, PACKET_SAMPLES * 4 * channels))] : []
  return { before: [...packets, ...(clocked ? ['-copyts'] : []), ...seek], filter: `aresample=async=1:first_pts=${first}` }
}

/** `pan` arguments for one side of two: what each channel gives, none where nothing does. */
function side(weights: readonly { channel: number; weight: number }[]): string {
  const parts = weights.filter((w) => w.weight !== 0).map(({ channel, weight }) => (weight === 1 ? `c${channel}` : `${weight.toFixed(6)}*c${channel}`))
  return parts.length > 0 ? parts.join('+') : '0*c0'
}

/** Filter that makes two channels of one stream's, ending in a comma; none where they are those two already. */
function inTwo(count: number, weights: readonly HeardChannel[]): string {
  const [one, two] = weights
  if (count === 2 && weights.length === 2 && one.left === 1 && one.right === 0 && two.left === 0 && two.right === 1) return ''
  const of = (pick: 'left' | 'right') => side(weights.map((w) => ({ channel: w.channel, weight: w[pick] })))
  return `pan=stereo|c0=${of('left')}|c1=${of('right')},`
}

/** The channels of the first stream as they were found. */
const firstAsFound = ({ audio }: FileFacts): readonly HeardChannel[] => (audio ? heardChannels({ ...audio, streamChannels: [audio.channels] }, {}) : [])

/** Filters that make of the first stream, as it was found, two channels for hearing. */
export function hearingOf(facts: FileFacts, filter: string, label = 'a'): string {
  const { audio } = facts
  const first = firstAsFound(facts)
  return `${inTwo(audio?.channels ?? 2, first)}${filter}[${label}]`
}

/** Filter that puts all channels of a stream together at equal power. It stands before all others: what resamples knows no layout of more than sixteen channels. */
export function allInOne(channels: number): string {
  const weight = (1 / Math.sqrt(channels)).toFixed(4)
  return `pan=mono|c0=${Array.from({ length: channels }, (_, c) => `${weight}*c${c}`).join('+')}`
}

/** Channels that one graph can take apart: what resamples knows no layout of more. */
const MOST_APART = 16
/** Up to so many channels have a layout that everything knows. */
const USUAL = 8

const FORMS = new Map<string, SampleForm>([
  ['pcm_s16le', 's16'],
  ['pcm_s24le', 's24'],
  ['pcm_s32le', 's32'],
  ['pcm_f32le', 'f32'],
])

/** Where a wave file's samples are its presentation clock as they lie in it, how they lie there: nothing has to be decoded or filtered. */
function asItLies({ container, audio }: FileFacts, rate: number): SampleForm | null {
  return container === 'wav' && audio?.sampleRate === rate ? (FORMS.get(audio.codec) ?? null) : null
}

/** How many channels of one stream a decoder can give apart, at a rate. */
export const mostApart = (facts: FileFacts, rate: number): number => (asItLies(facts, rate) ? Number.POSITIVE_INFINITY : MOST_APART)

/** Of which stream some channels are wanted, by their numbers in it from 0. */
export interface Apart {
  readonly stream: number
  readonly channels: readonly number[]
}

/** What comes of a stream: how many channels, which of them are wanted, how their samples lie, and what asks a decoder for them so. */
export interface Taken {
  readonly width: number
  readonly columns: readonly number[]
  readonly form: SampleForm
  /**
   * Null: all channels are read from the file as they lie there.
   * @param filter that of {@link soundClock}
   * @param label a name for it among all that one decoder gives
   */
  readonly picks: ((filter: string, label: string) => string[]) | null
}

/** Samples as numbers, at a rate. */
const decoded = (rate: number): string[] => ['-ar', String(rate), '-f', 'f32le']

/** Channels of one stream, each by itself at its own level, on the file's presentation clock; at most {@link mostApart}. */
export function takenApart(facts: FileFacts, { stream, channels }: Apart, rate: number): Taken {
  const form = asItLies(facts, rate)
  const width = facts.audio?.streamChannels?.[stream] ?? facts.audio?.channels ?? 0
  const map = ['-map', `0:a:${stream}`]
  if (form) return { width, columns: channels, form, picks: null }
  // Picking out costs as much as handing all of them on.
  if (width <= USUAL && 2 * channels.length > width)
    return { width, columns: channels, form: 'f32', picks: (filter) => [...map, '-af', filter, ...decoded(rate)] }
  const layout = channels.length === 1 ? 'mono' : `${channels.length}c`
  const pan = `[0:a:${stream}]pan=${layout}|${channels.map((c, k) => `c${k}=c${c}`).join('|')}`
  return {
    width: channels.length,
    columns: [...channels.keys()],
    form: 'f32',
    picks: (filter, label) => ['-filter_complex', `${pan},${filter}[${label}]`, '-map', `[${label}]`, ...decoded(rate)],
  }
}

/** The first stream as it was found, for hearing: in two channels, or in one that is both. */
export function takenInTwo(facts: FileFacts, rate: number): Taken {
  const form = asItLies(facts, rate)
  const first = firstAsFound(facts)
  const width = facts.audio?.channels ?? 2
  const both = width === 1 && first.length === 1 && first[0].left === 1 && first[0].right === 1
  if (form && (both || (width === 2 && inTwo(width, first) === ''))) return { width, columns: [...first.keys()], form, picks: null }
  return {
    width: 2,
    columns: [0, 1],
    form: 'f32',
    picks: (filter, label) => ['-filter_complex', `[0:a:0]${hearingOf(facts, filter, label)}`, '-map', `[${label}]`, ...decoded(rate), '-ac', '2'],
  }
}

/** Containers in which all streams run beside each other from beginning to end. */
const STEADY = /^(mov|matroska|mxf)$/
/** Reading a file anew for each stream is as much work as decoding a few of them. */
const MANY_STREAMS = 4

/** Whether so many streams of a file are better read by one decoder: what one of them has not yet is waited for by all. */
export const readTogether = ({ container }: FileFacts, streams: number): boolean => STEADY.test(container) && streams >= MANY_STREAMS

/** What makes all streams that are read together end together: those that are shorter go on in silence. */
export const endingTogether = ({ durationSeconds }: FileFacts, from: number): string => `,apad=whole_dur=${Math.max(0, durationSeconds - from).toFixed(6)}`
