import { type HeardChannel, heardChannels } from '@pendolo/core/mix'
import type { FileFacts } from '@pendolo/core/project'
import { clockZero } from './pictures.ts'

/** Containers in which sound is found again to the sample from the middle on (Matroska counts in milliseconds, streams guess). */
const SEEKABLE = /^(mov|wav|w64|flac|aiff|caf)$/

/** Whether a file's sound can be read from the middle on. */
export const canSeek = ({ container }: FileFacts): boolean => SEEKABLE.test(container)

/** Samples of each channel that are read at once. */
const PACKET_SAMPLES = 4096

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
  // Wave files are read four kilobytes at a time unless told otherwise: of many channels that is next to nothing.
  const channels = facts.audio?.channels ?? 1
  const packets = /^(wav|w64)$/.test(facts.container) && channels > 2 ? ['-max_size', String(PACKET_SAMPLES * 4 * channels)] : []
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

/** Filters that make of the first stream, as it was found, two channels for hearing, [a]. */
export function hearingOf(facts: FileFacts, filter: string): string {
  const { audio } = facts
  const first = audio ? heardChannels({ ...audio, streamChannels: [audio.channels] }, {}) : []
  return `${inTwo(audio?.channels ?? 2, first)}${filter}[a]`
}

/** Filter that puts all channels of a stream together at equal power. It stands before all others: what resamples knows no layout of more than sixteen channels. */
export function allInOne(channels: number): string {
  const weight = (1 / Math.sqrt(channels)).toFixed(4)
  return `pan=mono|c0=${Array.from({ length: channels }, (_, c) => `${weight}*c${c}`).join('+')}`
}

/** Channels that one graph can take apart: what resamples knows no layout of more. */
const MOST_APART = 16

/**
 * How many channels of one stream a decoder can give apart, at a rate. Where a file's samples are its presentation clock as they lie
 * in it, nothing has to be filtered and one decoder gives all of a stream.
 */
export function mostApart({ container, audio }: FileFacts, rate: number): number {
  const asItLies = /^(wav|w64)$/.test(container) && audio?.codec.startsWith('pcm_') === true && audio.sampleRate === rate
  return asItLies ? Number.POSITIVE_INFINITY : MOST_APART
}

/** Of which stream some channels are wanted, by their numbers in it from 0. */
export interface Apart {
  readonly stream: number
  readonly channels: readonly number[]
}

/** What comes out of a decoder: how many channels, which of them are wanted, and what asks for them after {@link soundClock}'s filter. */
export interface Taken {
  readonly width: number
  readonly columns: readonly number[]
  readonly picks: (filter: string) => string[]
}

/** Channels of one stream, each by itself at its own level, on the file's presentation clock; at most {@link mostApart}. */
export function takenApart({ audio }: FileFacts, { stream, channels }: Apart): Taken {
  if (channels.length > MOST_APART)
    return { width: audio?.streamChannels?.[stream] ?? audio?.channels ?? 0, columns: channels, picks: () => ['-map', `0:a:${stream}`] }
  const layout = channels.length === 1 ? 'mono' : `${channels.length}c`
  const pan = `[0:a:${stream}]pan=${layout}|${channels.map((c, k) => `c${k}=c${c}`).join('|')}`
  return { width: channels.length, columns: [...channels.keys()], picks: (filter) => ['-filter_complex', `${pan},${filter}[a]`, '-map', '[a]'] }
}

/** The first stream as it was found, in two channels for hearing. */
export const takenInTwo = (facts: FileFacts): Taken => ({
  width: 2,
  columns: [0, 1],
  picks: (filter) => ['-filter_complex', `[0:a:0]${hearingOf(facts, filter)}`, '-map', '[a]'],
})
