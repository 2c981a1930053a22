import {
  clipToMaster,
  type Flicks,
  type FrameGrid,
  flicks,
  parseRate,
  pictureSpansOf,
  type Rate,
  rateToNumber,
  secondsToFlicks,
  TimecodeError,
  timecodeToFrame,
  ZERO,
} from '../time/index.ts'
import type { Clip, Placement, ProjectDoc } from './types.ts'

/** What probing found in a file. Times are presentation seconds of the file, 0 = its clock's zero. */
export interface FileFacts {
  readonly durationSeconds: number
  readonly container: string
  readonly video: {
    readonly codec: string
    /** Size as displayed, rotation and pixel shape applied. */
    readonly width: number
    readonly height: number
    readonly rate: Rate
    readonly variableRate: boolean
    readonly startSeconds: number
    readonly frames: number
    /** Pictures that the container itself counts, where it does. */
    readonly counted?: number
    readonly pixelAspect: string
    /** Where pictures are woven of two fields: which of them is the earlier one. */
    readonly fields?: 'top' | 'bottom'
    /** A single picture that stands as long as it is wanted; its rate and number of frames say nothing. */
    readonly still?: true
    /** What the file says of its rate, where a clip's was set: {@link factsOfClip}. */
    readonly told?: Rate
    /** Curve of pictures that are brighter than a film can show (ITU-R BT.2100). */
    readonly wide?: 'pq' | 'hlg'
  } | null
  readonly audio: {
    readonly codec: string
    readonly channels: number
    readonly layout: string
    readonly sampleRate: number
    readonly startSeconds: number
    readonly streams: number
    /** Channels of each stream where there are several; `channels` are those of the first. */
    readonly streamChannels?: readonly number[]
    /** What the recorder called each channel of the first stream; absent where it called none. */
    readonly trackNames?: readonly (string | null)[]
  } | null
  readonly timecode: string | null
  /** Samples since midnight at the file's first one, from a Broadcast Wave header; absent in files gathered long ago. */
  readonly timeReference?: number | null
  readonly recordedAt: string | null
  readonly camera: string | null
}

/** A clip's pictures on the master's time, half-open. */
export interface PictureSpan {
  readonly clipId: string
  readonly angleId: string
  readonly start: Flicks
  readonly end: Flicks
  /** Where the pictures really end, when `end` was moved to a frame. */
  readonly until?: Flicks
}

/** A still stands from so long before the master's beginning on, and as long after it. */
const STILL_REACH_SECONDS = 3 * 86_400

/** Where a still lies: around everything that can have been recorded. */
export const STILL_PLACE: Readonly<Placement> = {
  start: secondsToFlicks(-STILL_REACH_SECONDS),
  rate: 1,
  method: 'hand',
  verdict: 'sure',
  confidence: 1,
  why: [{ code: 'still' }],
  locked: true,
}

/** The pictures of a file as a grid of frames; null when it has none. */
export function frameGridOf(facts: FileFacts): FrameGrid | null {
  const v = facts.video
  if (!v || v.frames <= 0) return null
  if (v.still) return { start: ZERO, rate: { num: 1, den: 2 * STILL_REACH_SECONDS }, count: 1 }
  return { start: secondsToFlicks(v.startSeconds), rate: v.rate, count: v.frames }
}

/** Pictures a second of a clip: what was set where its file says it wrongly, else what that says; null without pictures. */
export function clipRate(clip: Pick<Clip, 'rate'>, { video }: FileFacts): Rate | null {
  return video && ((clip.rate !== undefined && !video.still && parseRate(clip.rate)) || video.rate)
}

/**
 * Facts of a file as a clip uses it: where the clip's rate was set, its pictures come at that rate from the first one
 * on, and its sound stays as it is.
 */
export function factsOfClip(facts: FileFacts, clip: Pick<Clip, 'rate'>): FileFacts {
  const rate = clipRate(clip, facts)
  if (!facts.video || !rate || clip.rate === undefined || facts.video.still) return facts
  return { ...facts, video: { ...facts.video, rate, told: facts.video.rate } }
}

/** Seconds of a file's own picture times that pass in one second of its clip: 1, unless the clip's rate was set; 0 for a still. */
export function paceOf({ video }: FileFacts): number {
  if (video?.still) return 0
  return video?.told ? rateToNumber(video.rate) / rateToNumber(video.told) : 1
}

/** How long a clip lasts, in its own seconds: as long as its sound, and its pictures. */
function lengthOf(facts: FileFacts, clip: Clip): number {
  const { video } = factsOfClip(facts, clip)
  if (!video?.told) return facts.durationSeconds
  return Math.max(facts.audio ? facts.durationSeconds : 0, video.startSeconds + video.frames / rateToNumber(video.rate))
}

/** Where each placed clip has pictures, on the master's time, in the order of placement starts. */
export function pictureSpans(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined): PictureSpan[] {
  const out: PictureSpan[] = []
  for (const clip of Object.values(doc.clips)) {
    const placement = doc.placements[clip.id]
    const facts = factsOf(clip.fileId)
    const grid = facts && frameGridOf(factsOfClip(facts, clip))
    if (!placement || !grid || clip.state !== 'in' || !clip.angleId) continue
    for (const span of pictureSpansOf(placement, grid)) out.push({ clipId: clip.id, angleId: clip.angleId, ...span })
  }
  // An angle that shows another one's clips has pictures where that has.
  const seenTwice = doc.angles.filter((a) => a.of !== undefined)
  if (seenTwice.length > 0) for (const span of [...out]) for (const { id, of } of seenTwice) if (of === span.angleId) out.push({ ...span, angleId: id })
  return out.sort((a, b) => a.start - b.start)
}

/**
 * The event on the master's time: from the first placed clip, or the master's beginning at 0, to the end of the last
 * one. Recordings that were placed through each other may lie before the master or after it.
 */
export function eventRange(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined): { start: Flicks; end: Flicks } {
  let [start, end]: [number, number] = [ZERO, ZERO]
  for (const clip of Object.values(doc.clips)) {
    const placement = doc.placements[clip.id]
    const facts = factsOf(clip.fileId)
    // A still stands wherever something else was recorded.
    if (!placement || !facts || clip.state !== 'in' || facts.video?.still) continue
    start = Math.min(start, clipToMaster(ZERO, placement))
    end = Math.max(end, clipToMaster(secondsToFlicks(lengthOf(facts, clip)), placement))
  }
  return { start: flicks(Math.floor(start)), end: flicks(Math.ceil(end)) }
}

/** Frame number of a file's own timecode at its first picture; 0 when it has none, or one that cannot be. */
export function startFrameOf({ timecode, video }: FileFacts): number {
  if (!timecode || !video) return 0
  try {
    return timecodeToFrame(timecode, { rate: video.rate, dropFrame: timecode.includes(';') })
  } catch (error) {
    if (error instanceof TimecodeError) return 0
    throw error
  }
}
