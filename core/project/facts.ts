import {
  clipToMaster,
  type Flicks,
  type FrameGrid,
  flicks,
  pictureSpansOf,
  type Rate,
  secondsToFlicks,
  TimecodeError,
  timecodeToFrame,
  ZERO,
} from '../time/index.ts'
import type { ProjectDoc } from './types.ts'

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
}

/** The pictures of a file as a grid of frames; null when it has none. */
export function frameGridOf(facts: FileFacts): FrameGrid | null {
  const v = facts.video
  if (!v || v.frames <= 0) return null
  return { start: secondsToFlicks(v.startSeconds), rate: v.rate, count: v.frames }
}

/** Where each placed clip has pictures, on the master's time, in the order of placement starts. */
export function pictureSpans(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined): PictureSpan[] {
  const out: PictureSpan[] = []
  for (const clip of Object.values(doc.clips)) {
    const placement = doc.placements[clip.id]
    const facts = factsOf(clip.fileId)
    const grid = facts && frameGridOf(facts)
    if (!placement || !grid || clip.state !== 'in' || !clip.angleId) continue
    for (const span of pictureSpansOf(placement, grid)) out.push({ clipId: clip.id, angleId: clip.angleId, ...span })
  }
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
    if (!placement || !facts || clip.state !== 'in') continue
    start = Math.min(start, clipToMaster(ZERO, placement))
    end = Math.max(end, clipToMaster(secondsToFlicks(facts.durationSeconds), placement))
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
