import {
  bwfTimecode,
  type ClockReference,
  fileTimecode,
  type LtcFindings,
  soundTimecode,
  type TimecodeReading,
  type TimecodeReference,
} from '@pendolo/core/lineup'
import type { FileFacts } from '@pendolo/core/project'
import { TimecodeError } from '@pendolo/core/time'
import type { SoundFindings } from '../media/findings.ts'

/** A file as placing needs it. */
export interface Recording {
  readonly id: string
  readonly name: string
  readonly path: string
  readonly contentKey: string
  readonly facts: FileFacts
}

/** A recording that lies on the master's time already. */
export interface Placed {
  readonly recording: Recording
  readonly startSeconds: number
  readonly rate: number
}

const DAY = /^\d{4}-\d\d-\d\d/

/** All timecode that a recording carries; what cannot be read as timecode is left out. */
export function readingsOf({ facts }: Recording, heard: LtcFindings | null): TimecodeReading[] {
  const date = DAY.exec(facts.recordedAt ?? '')?.[0] ?? null
  const out: TimecodeReading[] = []
  if (heard) out.push(soundTimecode(heard))
  if (facts.timeReference && facts.audio) out.push(bwfTimecode(facts.timeReference, facts.audio.sampleRate, date))
  if (facts.timecode && facts.video) {
    try {
      out.push(fileTimecode(facts.timecode, facts.video.rate, facts.video.startSeconds, date))
    } catch (error) {
      if (!(error instanceof TimecodeError)) throw error
    }
  }
  return out
}

/** The readings of placed recordings, each the one of most weight. */
export function timecodeReferences(placed: readonly Placed[], readings: ReadonlyMap<string, readonly TimecodeReading[]>): TimecodeReference[] {
  return placed.flatMap((p) => {
    const reading = readings.get(p.recording.id)?.[0]
    return reading ? [{ name: p.recording.name, reading, startSeconds: p.startSeconds, rate: p.rate }] : []
  })
}

export function clockReferences(placed: readonly Placed[]): ClockReference[] {
  return placed.flatMap((p) => {
    const recordedAt = clockOf(p.recording)
    return recordedAt === null ? [] : [{ recordedAt, startSeconds: p.startSeconds }]
  })
}

/** When a recording was begun by its own clock, s since 1970; null where only the day is known. */
export function clockOf({ facts }: Recording): number | null {
  if (!facts.recordedAt || !/\d\d:\d\d/.test(facts.recordedAt)) return null
  const at = Date.parse(facts.recordedAt)
  return Number.isFinite(at) ? at / 1000 : null
}

/** Whether a recording's sound can tell anything of its place. */
export function soundUsable({ facts }: Recording, findings: SoundFindings | null): boolean {
  return facts.audio !== null && findings !== null && !findings.silent && facts.durationSeconds >= 3
}
