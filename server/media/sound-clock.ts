import type { FileFacts } from '@pendolo/core/project'
import { clockZero } from './pictures.ts'

/** Containers in which sound is found again to the sample from the middle on (Matroska counts in milliseconds, streams guess). */
const SEEKABLE = /^(mov|wav|w64|flac|aiff|caf)$/

/** Whether a file's sound can be read from the middle on. */
export const canSeek = ({ container }: FileFacts): boolean => SEEKABLE.test(container)

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
  return { before: [...(clocked ? ['-copyts'] : []), ...seek], filter: `aresample=async=1:first_pts=${first}` }
}

/** Left side of a surround sound in two channels, by the names of its channels; the right side is its mirror (ITU-R BS.775-3, annex 4). */
const SURROUND: Readonly<Record<string, string>> = {
  '2.1': 'FL',
  '3.0': 'FL+0.7071*FC',
  '3.1': 'FL+0.7071*FC',
  '4.0': 'FL+0.7071*FC+0.5*BC',
  '4.1': 'FL+0.7071*FC+0.5*BC',
  quad: 'FL+0.7071*BL',
  'quad(side)': 'FL+0.7071*SL',
  '5.0': 'FL+0.7071*FC+0.7071*BL',
  '5.0(side)': 'FL+0.7071*FC+0.7071*SL',
  '5.1': 'FL+0.7071*FC+0.7071*BL',
  '5.1(side)': 'FL+0.7071*FC+0.7071*SL',
  '6.1': 'FL+0.7071*FC+0.7071*SL+0.5*BC',
  '7.0': 'FL+0.7071*FC+0.7071*SL+0.7071*BL',
  '7.1': 'FL+0.7071*FC+0.7071*SL+0.7071*BL',
}

/**
 * Filter that makes two channels of a stream's for hearing, ending in a comma: mono on both sides at its own level, surround by
 * the standard's matrix, separate microphones of a recorder all in the middle at equal power. Copies and film go by it.
 */
export function forHearing(facts: FileFacts): string {
  const { channels = 1, layout = '' } = facts.audio ?? {}
  if (channels === 2) return ''
  if (channels === 1) return 'pan=stereo|c0=c0|c1=c0,'
  const left = SURROUND[layout]
  if (!left) return `${folded(channels, 'stereo')},`
  return `pan=stereo|c0=${left}|c1=${left.replace(/(F|B|S)L/g, '$1R')},`
}

/**
 * Filter that makes fewer channels of a stream's, each the sum of every so-manieth at equal power. It stands before all
 * others: what resamples knows no layout of more than sixteen channels, this needs none.
 */
export function folded(channels: number, to: 'mono' | 'stereo' | number): string {
  const count = to === 'mono' ? 1 : to === 'stereo' ? 2 : to
  const from = (k: number) => Array.from({ length: channels }, (_, c) => c).filter((c) => typeof to !== 'number' || c % to === k)
  const sum = (k: number) =>
    from(k)
      .map((c) => `${(1 / Math.sqrt(from(k).length)).toFixed(4)}*c${c}`)
      .join('+')
  return `pan=${typeof to === 'number' ? `${to}c` : to}|${Array.from({ length: count }, (_, k) => `c${k}=${sum(k)}`).join('|')}`
}

/** Names by which ffmpeg knows so many channels; streams with another number are not merged with others. */
export const LAYOUTS: Readonly<Record<number, string>> = { 1: 'mono', 2: 'stereo', 3: '2.1', 4: 'quad', 5: '5.0', 6: '5.1', 7: '6.1', 8: '7.1' }

/** Channels of all streams of a file one after the other, as placing hears them: for each its stream and its number there. */
export function allChannels({ audio }: FileFacts, most: number): { stream: number; channel: number }[] {
  const out: { stream: number; channel: number }[] = []
  const counts = audio?.streamChannels ?? [audio?.channels ?? 0]
  for (const [stream, count] of counts.entries()) {
    // A stream is heard whole or not at all, but the first always.
    if (stream > 0 && (out.length + count > most || !LAYOUTS[count] || !LAYOUTS[counts[0]])) break
    for (let channel = 0; channel < Math.min(count, most); channel++) out.push({ stream, channel })
  }
  return out
}
