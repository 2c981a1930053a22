import { canDropFrames, frameToTimecode, nominalRate, type Rate, rateToNumber, timecodeToFrame } from '../time/index.ts'
import type { LtcFindings } from './ltc.ts'
import type { Why } from './why.ts'

/** Where a recording's timecode was read: heard in its sound, in the file's tags, or in a Broadcast Wave's header. */
export type TimecodeOrigin = 'sound' | 'file' | 'bwf'

/** What time of day a recording carries, as a line over the file: day seconds = offset + speed × file seconds. */
export interface TimecodeReading {
  readonly origin: TimecodeOrigin
  /** Label at the place it was read, for people. */
  readonly label: string
  readonly offsetSeconds: number
  readonly speed: number
  readonly rate: Rate
  readonly dropFrame: boolean
  /** Day of the recording where it is known, "YYYY-MM-DD". */
  readonly date: string | null
}

const DAY = 86_400

/**
 * Timecode of a file's tags: the label of its first picture.
 * @param atSeconds file time of that picture
 * @throws TimecodeError when the label does not exist at this rate
 */
export function fileTimecode(label: string, rate: Rate, atSeconds: number, date: string | null): TimecodeReading {
  const dropFrame = label.includes(';') && canDropFrames(rate)
  const frame = timecodeToFrame(label, { rate, dropFrame })
  return { origin: 'file', label, offsetSeconds: frame / rateToNumber(rate) - atSeconds, speed: 1, rate, dropFrame, date }
}

/** Timecode of a Broadcast Wave file: samples since midnight (EBU Tech 3285, `bext` chunk). */
export function bwfTimecode(timeReference: number, sampleRate: number, date: string | null): TimecodeReading {
  const seconds = timeReference / sampleRate
  const rate = { num: 25, den: 1 }
  const label = frameToTimecode(Math.floor(seconds * 25), { rate, dropFrame: false })
  return { origin: 'bwf', label, offsetSeconds: seconds, speed: 1, rate, dropFrame: false, date }
}

/** Timecode that was recorded as sound (SMPTE ST 12-1), as it runs through the recording. */
export function soundTimecode(found: LtcFindings): TimecodeReading {
  const { offsetSeconds, speed, rate, dropFrame, date, first } = found
  return { origin: 'sound', label: first, offsetSeconds, speed, rate, dropFrame, date }
}

/** A recording whose place on the master is known already. */
export interface TimecodeReference {
  readonly name: string
  readonly reading: TimecodeReading
  readonly startSeconds: number
  readonly rate: number
}

export interface TimecodePlacement {
  readonly startSeconds: number
  readonly rate: number
  readonly origin: TimecodeOrigin
  readonly why: Why
  /** References that lead to the same place within two frames, of all. */
  readonly agreeing: number
  readonly references: number
}

/** References further apart than this, in frames of the clip's timecode, contradict each other. */
const AGREE_FRAMES = 2

/**
 * Places a clip by the time of day that it and recordings of known place carry. References that contradict the most are
 * left out; the hour is taken within half a day where no date tells more, so midnight may lie between.
 * @param clip readings of the clip; what was recorded as sound wins over what stands in the file
 * @returns the placement, or the reason why there is none
 */
export function placeByTimecode(clip: readonly TimecodeReading[], references: readonly TimecodeReference[]): TimecodePlacement | { readonly refused: Why } {
  const reading = preferred(clip)
  if (!reading) return { refused: [{ code: 'timecode-none' }] }
  if (references.length === 0) return { refused: [{ code: 'timecode-no-reference' }] }
  const usable = references.filter((r) => sameClock(r.reading, reading))
  if (usable.length === 0) {
    const other = references[0]
    return {
      refused: [
        {
          code: 'timecode-counts',
          rate: rateToNumber(reading.rate),
          drop: reading.dropFrame,
          other: other.name,
          otherRate: rateToNumber(other.reading.rate),
          otherDrop: other.reading.dropFrame,
        },
      ],
    }
  }
  const led = usable.map((r) => {
    let apart = reading.offsetSeconds - r.reading.offsetSeconds
    if (reading.date && r.reading.date) apart += Math.round((Date.parse(reading.date) - Date.parse(r.reading.date)) / 1000 / DAY) * DAY
    else apart -= Math.round(apart / DAY) * DAY
    return { name: r.name, start: r.startSeconds + (r.rate * apart) / r.reading.speed, rate: (r.rate * reading.speed) / r.reading.speed }
  })
  const tolerance = AGREE_FRAMES / rateToNumber(reading.rate)
  const near = (start: number) => led.filter((x) => Math.abs(x.start - start) <= tolerance)
  const best = led.reduce((a, b) => (near(b.start).length > near(a.start).length ? b : a))
  const together = near(best.start)
  const startSeconds = together.reduce((s, x) => s + x.start, 0) / together.length
  const against = led.length - together.length
  const differing = clip.filter((r) => r !== reading && Math.abs(r.offsetSeconds - reading.offsetSeconds) > tolerance)
  const why: Why = [
    { code: 'timecode', label: reading.label, origin: reading.origin, through: together[0].name, recordings: together.length },
    ...(against > 0 ? [{ code: 'timecode-against', others: against } as const] : []),
    ...differing.map((r) => ({ code: 'timecode-differs', label: r.label, origin: r.origin }) as const),
  ]
  return { startSeconds, rate: best.rate, origin: reading.origin, why, agreeing: together.length, references: led.length }
}

/** Recorded as sound first, then the wave file's, then the file's. */
export function preferred(readings: readonly TimecodeReading[]): TimecodeReading | null {
  return readings.find((r) => r.origin === 'sound') ?? readings.find((r) => r.origin === 'bwf') ?? readings[0] ?? null
}

/** Whether the same label means the same instant for both: the same count, or both true to the clock on the wall. */
function sameClock(a: TimecodeReading, b: TimecodeReading): boolean {
  const key = (r: TimecodeReading) => `${nominalRate(r.rate)}:${r.rate.den}:${r.dropFrame}`
  return key(a) === key(b) || (trueTime(a) && trueTime(b))
}

function trueTime(r: TimecodeReading): boolean {
  return r.rate.den === 1 || r.dropFrame
}
