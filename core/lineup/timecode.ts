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
  /** Whether a recorder's samples since midnight were read against a count that runs slow: in one of two ways, and only something else can tell which. */
  readonly open: boolean
  /** Other places that references lead to, with how many do. */
  readonly elsewhere: readonly { readonly startSeconds: number; readonly recordings: number }[]
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
  const all = references.flatMap((r) => ledBy(r, reading))
  // Who counts alike leaves nothing open.
  const led = all.some((x) => !x.counted) ? all.filter((x) => !x.counted) : all
  const tolerance = AGREE_FRAMES / rateToNumber(reading.rate)
  const near = (start: number) => led.filter((x) => Math.abs(x.start - start) <= tolerance)
  const best = led.reduce<Led | null>((a, b) => (a && near(b.start).length <= near(a.start).length ? a : b), null)
  if (!best) {
    const [other] = references
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
  const together = near(best.start)
  const startSeconds = together.reduce((s, x) => s + x.start, 0) / together.length
  const asked = new Set(led.map((x) => x.name)).size
  const against = asked - new Set(together.map((x) => x.name)).size
  const differing = clip.filter((r) => r !== reading && Math.abs(r.offsetSeconds - reading.offsetSeconds) > tolerance)
  const why: Why = [
    { code: 'timecode', label: reading.label, origin: reading.origin, through: together[0].name, recordings: together.length },
    ...(against > 0 ? [{ code: 'timecode-against', others: against } as const] : []),
    ...differing.map((r) => ({ code: 'timecode-differs', label: r.label, origin: r.origin }) as const),
  ]
  const elsewhere: { startSeconds: number; recordings: number }[] = []
  for (const { start } of led)
    if (Math.abs(start - best.start) > tolerance && elsewhere.every((e) => Math.abs(e.startSeconds - start) > tolerance))
      elsewhere.push({ startSeconds: start, recordings: near(start).length })
  return { startSeconds, rate: best.rate, origin: reading.origin, why, open: best.counted, elsewhere, agreeing: together.length, references: asked }
}

/** Where a reference leads. */
interface Led {
  readonly name: string
  readonly start: number
  readonly rate: number
  /** A recorder's count was read against one that does not run with the clock: in one of two ways. */
  readonly counted: boolean
}

/** Where a reference leads by a clip's reading: nowhere where their counts have nothing in common, to two places where that is open. */
function ledBy({ name, reading: other, startSeconds, rate }: TimecodeReference, reading: TimecodeReading): Led[] {
  const led = (own: number, known: number, passed: number, counted: boolean): Led => {
    let apart = own - known
    if (reading.date && other.date) apart += Math.round((Date.parse(reading.date) - Date.parse(other.date)) / 1000 / DAY) * DAY
    else apart -= Math.round(apart / DAY) * DAY
    return { name, start: startSeconds + (rate * apart * passed) / other.speed, rate: (rate * reading.speed) / other.speed, counted }
  }
  if (sameClock(other, reading)) return [led(reading.offsetSeconds, other.offsetSeconds, 1, false)]
  const samples = [reading, other].find((r) => r.origin === 'bwf')
  const slow = samples === reading ? other : reading
  if (!samples || trueTime(slow)) return []
  // A recorder that is fed timecode keeps it as samples: of the labels' own seconds, or of those that really passed.
  const passed = nominalRate(slow.rate) / rateToNumber(slow.rate)
  return [led(labelSeconds(reading), labelSeconds(other), passed, true), led(reading.offsetSeconds, other.offsetSeconds, 1, true)]
}

/** Seconds that the labels count at clip time zero; other than those that passed where a count runs slow (29.97 without drop-frame). */
function labelSeconds({ offsetSeconds, rate, dropFrame }: TimecodeReading): number {
  return dropFrame ? offsetSeconds : (offsetSeconds * rateToNumber(rate)) / nominalRate(rate)
}

/** A clip of which sound leaves several places open. */
export interface OpenClip {
  readonly reading: TimecodeReading
  /** Where it may begin on the master, s; the likeliest first. */
  readonly startsSeconds: readonly number[]
}

/**
 * Clips whose cameras were set together: where their timecode leaves only one choice of open places that agrees for two of
 * them or more, that is where they lie. Places that a repetition shifts all alike leave several choices, and nothing is said.
 * @returns for each clip the index of its place; −1 where it does not agree; null where nothing can be said
 */
export function timecodeTogether(clips: readonly OpenClip[]): number[] | null {
  const tolerance = (r: TimecodeReading) => AGREE_FRAMES / rateToNumber(r.rate)
  const choices: { picks: number[]; count: number; zero: number }[] = []
  for (const [i, one] of clips.entries()) {
    for (const start of one.startsSeconds) {
      const zero = start - one.reading.offsetSeconds
      if (choices.some((c) => Math.abs(c.zero - zero) <= tolerance(one.reading))) continue
      const picks = clips.map((c, k) =>
        k !== i && !sameClock(c.reading, one.reading)
          ? -1
          : c.startsSeconds.findIndex((s) => Math.abs(s - c.reading.offsetSeconds - zero) <= tolerance(c.reading)),
      )
      choices.push({ picks, count: picks.filter((p) => p >= 0).length, zero })
    }
  }
  choices.sort((a, b) => b.count - a.count)
  const [first, second] = choices
  return first && first.count >= 2 && (second?.count ?? 0) < first.count ? first.picks : null
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
