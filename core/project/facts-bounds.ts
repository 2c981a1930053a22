import type { Rate } from '../time/index.ts'
import type { FileFacts } from './facts.ts'

/** A recording of more than a week is damage, and its times would leave what whole flicks can hold. */
const MOST_SECONDS = 7 * 86_400
/** Pictures may be as slow as one in two minutes (time lapse) and as quick as high-speed cameras give. */
const SLOWEST_RATE = 1 / 120
const QUICKEST_RATE = 1000
/** Parts of a rate; real ones are far smaller, larger ones leave exact arithmetic. */
const MOST_RATE_PART = 10_000_000
/** Pixels a side; larger pictures take gigabytes to decode. */
const MOST_SIDE = 8192
const LEAST_SAMPLE_RATE = 1000
const MOST_SAMPLE_RATE = 768_000
/** Channels of one stream that can be taken apart. */
const MOST_CHANNELS_READ = 64

/** Whether a rate is one that pictures can have and that exact arithmetic bears. */
export function rateFits({ num, den }: Rate): boolean {
  const whole = (n: number) => Number.isInteger(n) && n > 0 && n <= MOST_RATE_PART
  return whole(num) && whole(den) && num / den >= SLOWEST_RATE && num / den <= QUICKEST_RATE
}

/**
 * Tells what in a file's facts lies outside what can be worked with, as the rest of a sentence that begins with the
 * file's name. All computing on facts relies on these bounds.
 * @returns null when all fits
 */
export function factsProblem({ durationSeconds, video, audio }: FileFacts): string | null {
  const within = (value: number, low: number, high: number) => Number.isFinite(value) && value >= low && value <= high
  if (!within(durationSeconds, 0, MOST_SECONDS)) return `says it lasts ${Math.round(durationSeconds / 86_400)} days; its times are damaged`
  if (video) {
    if (!rateFits(video.rate)) return `says it has ${video.rate.num}/${video.rate.den} pictures a second; that is damaged`
    if (!(video.width >= 1 && video.height >= 1)) return 'does not say how large its pictures are; it is damaged. Copy it from the card again'
    if (!within(video.width, 1, MOST_SIDE) || !within(video.height, 1, MOST_SIDE))
      return `has pictures of ${video.width} × ${video.height}; up to ${MOST_SIDE} × ${MOST_SIDE} can be worked with. Make a smaller copy and gather that`
    if (!within(video.startSeconds, -MOST_SECONDS, MOST_SECONDS)) return 'has pictures at impossible times; it is damaged'
    if (!Number.isSafeInteger(video.frames) || !within(video.frames, 0, MOST_SECONDS * QUICKEST_RATE))
      return 'says a number of pictures that cannot be; it is damaged'
  }
  if (audio) {
    if (!within(audio.sampleRate, LEAST_SAMPLE_RATE, MOST_SAMPLE_RATE)) return `says its sound has ${audio.sampleRate} samples a second; that is damaged`
    if (!within(audio.channels, 1, MOST_CHANNELS_READ)) return `has ${audio.channels} channels of sound; up to ${MOST_CHANNELS_READ} in a stream can be read`
    if (!within(audio.startSeconds, -MOST_SECONDS, MOST_SECONDS)) return 'has sound at impossible times; it is damaged'
  }
  return null
}

/** Facts that say nothing, for a row that cannot be read. */
const NOTHING_KNOWN: FileFacts = { durationSeconds: 0, container: '', video: null, audio: null, timecode: null, recordedAt: null, camera: null }

/**
 * Reads kept facts again. Kept ones may be older than today's bounds or damaged with the disk.
 * @returns the facts, or ones that say nothing together with what is wrong
 */
export function readFacts(text: string): { facts: FileFacts; problem: string | null } {
  try {
    const facts = JSON.parse(text) as FileFacts
    const problem = factsProblem(facts)
    return problem === null ? { facts, problem } : { facts: NOTHING_KNOWN, problem }
  } catch {
    return { facts: NOTHING_KNOWN, problem: 'has lost what was known of it; gather it again' }
  }
}
