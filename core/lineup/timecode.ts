import { canDropFrames, frameToTimecode, nominalRate, type Rate, rateToNumber, timecodeToFrame } from '../time/index.ts'
import type { LtcFindings } from './ltc.ts'

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

export function soundTimecode(found: LtcFindings): TimecodeReading {
  const { offsetSeconds, speed, rate, dropFrame, date, first } = found
  return { origin: 'sound', label: first, offsetSeconds, speed, rate, dropFrame, date }
}

const ORIGIN_TEXT: Record<TimecodeOrigin, string> = { sound: 'recorded as sound', file: 'in the file', bwf: 'in the wave file' }

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
  readonly why: string
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
 * @returns the placement, or the reason in words why there is none
 */
export function placeByTimecode(clip: readonly TimecodeReading[], references: readonly TimecodeReference[]): TimecodePlacement | { readonly refused: string } {
  const reading = preferred(clip)
  if (!reading) return { refused: 'no timecode in this file' }
  if (references.length === 0) return { refused: 'no recording of known place carries a timecode to compare with' }
  const usable = references.filter((r) => sameClock(r.reading, reading))
  if (usable.length === 0) {
    const other = references[0]
    return {
      refused: `its timecode counts ${countText(reading)}, that of ${other.name} ${countText(other.reading)}: the same label is not the same instant; place it by sound or by hand`,
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
  const through = together.length === 1 ? together[0].name : `${together.length} recordings`
  const against = led.length - together.length
  const differing = clip.filter((r) => r !== reading && Math.abs(r.offsetSeconds - reading.offsetSeconds) > tolerance)
  const why = [
    `by timecode ${reading.label} ${ORIGIN_TEXT[reading.origin]}, through ${through}`,
    against === 0 ? '' : against === 1 ? 'one other says otherwise' : `${against} others say otherwise`,
    ...differing.map((r) => `the one ${ORIGIN_TEXT[r.origin]}, ${r.label}, differs and was left out`),
  ]
    .filter(Boolean)
    .join('; ')
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

function countText(r: TimecodeReading): string {
  const fps = rateToNumber(r.rate)
  return `${Number.isInteger(fps) ? fps : fps.toFixed(2)} frames a second${r.rate.den === 1001 ? (r.dropFrame ? ' in drop-frame' : ' without drop-frame') : ''}`
}
