import type { Stretch } from '@pendolo/core/cut'
import { type ProjectDoc, projectRate, pulseOf } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, nearestFrameStart } from '@pendolo/core/time'

export type Unit = 'beat' | 'bar' | 's'

/** Instants at which angles change hands: every so many beats, bars or seconds of a range, where the magnet's lead puts them. */
export function bordersIn(doc: ProjectDoc, range: Stretch, every: number, unit: Unit): Flicks[] {
  const rate = projectRate(doc.settings)
  const frame = frameStart(1, rate)
  if (unit === 's') {
    const out: Flicks[] = []
    for (let at = range.from + every * FLICKS_PER_SECOND; at < range.to; at += every * FLICKS_PER_SECOND)
      out.push(nearestFrameStart(flicks(Math.round(at)), rate))
    return out
  }
  const { beats = [], downbeats = [] } = pulseOf(doc) ?? {}
  const times = (unit === 'bar' ? downbeats.map((i) => beats[i]) : beats).map((t) => flicks(nearestFrameStart(t, rate) - doc.settings.lead * frame))
  // Counted from the beat at which the range begins, or the first one in it.
  const first = times.findIndex((t) => t > range.from - frame)
  if (first < 0) return []
  const begins = times[first] <= range.from + frame ? first : first - every
  return times.filter((t, i) => i > begins && (i - begins) % every === 0 && t > range.from && t < range.to)
}
