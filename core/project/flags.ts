import { type Rate, rateToNumber } from '../time/index.ts'
import type { FileFacts } from './facts.ts'

/** Kinds of clips that somebody who edits wants to know of before the work begins. */
export const FLAGS = ['other-rate', 'variable-rate', 'off-speed', 'fields', 'wide-range', 'streams', 'no-sound', 'sound-only', 'still'] as const
export type Flag = (typeof FLAGS)[number]

/** Rates that differ less are the same: what remains is less than a frame in an hour. */
const SAME_RATE = 1e-6
/** A camera that runs so much faster than the project was probably set to be seen slower. */
const FAST = 1.9
/** No camera's clock is off by so much: a clip that lies at such a rate was played at another speed. */
const OFF_SPEED = 0.005

/**
 * What is special about a clip, from its file's facts.
 * @param project pictures a second of the project
 * @param placed the clip's rate on the master, where it has a place: then it is known whether it was off-speed
 */
export function flagsOf(facts: FileFacts, project: Rate, placed?: number): Flag[] {
  const { video, audio } = facts
  const rate = video && !video.still ? rateToNumber(video.rate) : null
  const fast = rate !== null && rate > FAST * rateToNumber(project) && !audio
  const flags: Record<Flag, boolean> = {
    'other-rate': rate !== null && Math.abs(rate / rateToNumber(project) - 1) > SAME_RATE,
    'variable-rate': video?.variableRate === true,
    'off-speed': video?.still ? false : placed === undefined ? fast : Math.abs(placed - 1) > OFF_SPEED,
    fields: video?.fields !== undefined,
    'wide-range': video?.wide !== undefined,
    streams: (audio?.streams ?? 0) > 1,
    'no-sound': rate !== null && audio === null,
    'sound-only': video === null,
    still: video?.still === true,
  }
  return FLAGS.filter((flag) => flags[flag])
}
