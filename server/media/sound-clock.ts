import type { FileFacts } from '@pendolo/core/project'
import { clockZero } from './probe.ts'

/** Arguments that make ffmpeg's audio clock the file's presentation clock: sample 0 is presentation time 0. */
export function soundClock(facts: FileFacts): { before: string[]; filter: string } {
  // With -copyts times of clocked containers stay as they are; gaps and late starts are filled with silence,
  // what lies before zero (encoder priming) is cut.
  const zero = clockZero(facts.container, 1) === 0
  return { before: zero ? ['-copyts'] : [], filter: 'aresample=async=1:first_pts=0' }
}
