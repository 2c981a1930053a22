import type { FileFacts } from '@pendolo/core/project'
import { clockZero } from './probe.ts'

/** Arguments that make ffmpeg's audio clock the file's presentation clock: sample 0 is presentation time 0. */
export function soundClock(facts: FileFacts): { before: string[]; filter: string } {
  // With -copyts times of clocked containers stay as they are; gaps and late starts are filled with silence,
  // what lies before zero (encoder priming) is cut.
  const zero = clockZero(facts.container, 1) === 0
  return { before: zero ? ['-copyts'] : [], filter: 'aresample=async=1:first_pts=0' }
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
