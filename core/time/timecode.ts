import { type Flicks, flicks } from './flicks.ts'
import { frameAt, frameStart, type Rate } from './rates.ts'

/**
 * Timecode is a way to print frame counts (SMPTE ST 12-1). Drop-frame leaves out the labels :00 and :01
 * (at 60 fps :00 to :03) of every minute that is not a tenth one; it exists for 30000/1001 and 60000/1001 only.
 */
export interface TimecodeStyle {
  readonly rate: Rate
  readonly dropFrame: boolean
}

export class TimecodeError extends Error {
  readonly code = 'timecode'
}

/** Whole frames a second that the labels count, for example 30 for 29.97. */
export function nominalRate(rate: Rate): number {
  return Math.round(rate.num / rate.den)
}

/** Whether labels at this rate may be counted with drop-frame (SMPTE ST 12-1): 30000/1001 and its multiples. */
export function canDropFrames(rate: Rate): boolean {
  return rate.den === 1001 && nominalRate(rate) % 30 === 0
}

/**
 * Label of a frame number, "HH:MM:SS:FF" or with ";" before the frames for drop-frame. Hours wrap at 24;
 * negative numbers are printed with a leading "-" rather than wrapped, so that a place before zero is seen as such.
 */
export function frameToTimecode(frame: number, style: TimecodeStyle): string {
  const fps = nominalRate(style.rate)
  const sign = frame < 0 ? '-' : ''
  let n = Math.abs(frame)
  if (style.dropFrame && canDropFrames(style.rate)) {
    const drop = fps / 15
    const perMinute = fps * 60 - drop
    const perTen = perMinute * 10 + drop
    const tens = Math.floor(n / perTen)
    const rest = n % perTen
    n += tens * 9 * drop + (rest > drop ? drop * Math.floor((rest - drop) / perMinute) : 0)
  }
  const two = (x: number) => String(x).padStart(2, '0')
  const ff = n % fps
  const seconds = Math.floor(n / fps)
  const mark = style.dropFrame ? ';' : ':'
  return `${sign}${two(Math.floor(seconds / 3600) % 24)}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${mark}${two(ff)}`
}

/**
 * Frame number of a label; accepts ":" or ";" before the frames and fewer parts from the right ("12:07" = 12 s 7 f).
 * @throws TimecodeError for unreadable text, a part out of range, or a label that drop-frame leaves out
 */
export function timecodeToFrame(text: string, style: TimecodeStyle): number {
  const clean = text.trim()
  const match = /^(-?)(?:(?:(\d{1,2}):)?(\d{1,2}):)?(\d{1,2})[:;.](\d{1,3})$/.exec(clean)
  if (!match) throw new TimecodeError(`"${text}" is no timecode; write HH:MM:SS:FF`)
  const [hh, mm, ss, ff] = [match[2], match[3], match[4], match[5]].map((x) => Number(x ?? 0))
  const fps = nominalRate(style.rate)
  if (mm > 59 || ss > 59) throw new TimecodeError(`"${text}" has minutes or seconds over 59`)
  if (ff >= fps) throw new TimecodeError(`"${text}" has frame ${ff}, but there are ${fps} a second (0 to ${fps - 1})`)
  let frame = ((hh * 60 + mm) * 60 + ss) * fps + ff
  if (style.dropFrame && canDropFrames(style.rate)) {
    const drop = fps / 15
    const minutes = hh * 60 + mm
    if (minutes % 10 !== 0 && ss === 0 && ff < drop) {
      throw new TimecodeError(`"${text}" does not exist in drop-frame counting; the minute starts with frame ${drop}`)
    }
    frame -= drop * (minutes - Math.floor(minutes / 10))
  }
  return match[1] ? -frame : frame
}

/** Label of the frame that contains the instant, counted from `startFrame` at time zero. */
export function printTimecode(time: Flicks, style: TimecodeStyle, startFrame = 0): string {
  return frameToTimecode(frameAt(time, style.rate) + startFrame, style)
}

/** Instant of a label's frame start. @throws TimecodeError as {@link timecodeToFrame} */
export function readTimecode(text: string, style: TimecodeStyle, startFrame = 0): Flicks {
  return flicks(frameStart(timecodeToFrame(text, style) - startFrame, style.rate))
}

/** "4:06" or "1:02:03": a length for people, whole seconds rounded to the nearest. */
export function printLength(seconds: number): string {
  const whole = Math.round(seconds)
  const h = Math.floor(whole / 3600)
  const m = Math.floor(whole / 60) % 60
  const s = String(whole % 60).padStart(2, '0')
  return h > 0 ? `${h}:${String(m).padStart(2, '0')}:${s}` : `${m}:${s}`
}
