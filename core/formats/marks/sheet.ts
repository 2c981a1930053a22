import { flicksToSeconds, readTimecode, TimecodeError, type TimecodeStyle } from '../../time/index.ts'

/** Kinds that marks of any format are brought to. */
export const ENTRY_KINDS = ['cue', 'part', 'phrase', 'note'] as const
export type EntryKind = (typeof ENTRY_KINDS)[number]

/** A mark as files carry it; times in seconds of the master. */
export interface MarkEntry {
  readonly time: number
  /** Where a range ends; null for a point. */
  readonly end: number | null
  readonly kind: EntryKind
  readonly name: string
  readonly text: string
  /** 0..11, or null where the file says none. */
  readonly hue: number | null
}

/** Beats of a file, seconds ascending, and indices of those that begin a bar. */
export interface BeatEntries {
  readonly beats: number[]
  readonly downbeats: number[]
}

export interface MarkSheet {
  readonly marks: MarkEntry[]
  readonly beats: BeatEntries | null
}

export const MARK_FORMATS = ['csv', 'vtt', 'txt', 'mid'] as const
export type MarkFormat = (typeof MARK_FORMATS)[number]

/** A file of marks that cannot be read; the message says where and why. */
export class MarksError extends Error {
  readonly code = 'marks'
}

/** How hours:minutes:seconds:frames count: the frame rate, and the number of the frame at second 0. */
export interface Counted {
  readonly style: TimecodeStyle
  readonly startFrame: number
}

const TIMECODE = /^\d{1,2}:\d\d:\d\d[:;]\d\d$/

/**
 * A time as people write it: seconds, minutes:seconds or hours:minutes:seconds, with a fraction after point or comma, or
 * hours:minutes:seconds:frames.
 * @param counted how frames count
 * @returns seconds, or null for anything else
 * @throws MarksError for a time in frames where it is not known how they count, or that cannot be
 */
export function readTime(written: string, counted?: Counted): number | null {
  if (TIMECODE.test(written.trim())) {
    if (!counted) throw new MarksError(`"${written.trim()}" counts frames; say their rate, for example --rate 25`)
    try {
      return flicksToSeconds(readTimecode(written.trim(), counted.style, counted.startFrame))
    } catch (error) {
      if (error instanceof TimecodeError) throw new MarksError(error.message)
      throw error
    }
  }
  const found = /^(-)?(?:(?:(\d+):)?(\d+):)?(\d+(?:[.,]\d+)?)$/.exec(written.trim())
  if (!found) return null
  const [, minus, hours = '0', minutes = '0', seconds] = found
  const value = Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds.replace(',', '.'))
  return minus ? -value : value
}

/** Seconds with ten decimals at most, finer than any clock here, without idle zeros. */
export function writeSeconds(seconds: number): string {
  return seconds.toFixed(10).replace(/\.?0+$/, '') || '0'
}

export function kindOf(written: string): EntryKind {
  const lower = written.trim().toLowerCase()
  // Parts were written as sections once.
  return lower === 'section' ? 'part' : (ENTRY_KINDS.find((k) => k === lower) ?? 'cue')
}
