import { type Points, pointAt, type StandIn } from '../cut/index.ts'
import type { PictureSpan } from '../project/index.ts'
import type { Flicks } from '../time/index.ts'
import { Pictures, type Shown } from './seen.ts'

/** A stretch of the master's time with a single source, half-open [start, end). */
export interface PlannedStretch extends Shown {
  readonly start: Flicks
  readonly end: Flicks
}

/** A cut's pictures: who has any, and where. */
export interface Material {
  readonly spans: readonly PictureSpan[]
  readonly order: readonly string[]
  readonly standIn: StandIn
}

/**
 * What is seen of a version in a range of the master's time, as stretches of one source each: switch points, borders of
 * clips and the stand-in rule worked out. Stretches tile [from, to) without hole or overlap. O(n log n).
 */
export function planFilm(points: Points, material: Material, from: Flicks, to: Flicks): PlannedStretch[] {
  if (to <= from) return []
  const pictures = new Pictures(material.spans, material.order, material.standIn)
  const borders = material.spans
    .flatMap((s) => [s.start, s.end])
    .filter((t) => t > from && t < to)
    .sort((a, b) => a - b)
  const out: PlannedStretch[] = []
  // Points and borders of clips are walked side by side, so that a plan takes as long as it is.
  let border = 0
  let next = pointAt(points, from) + 1
  let time = from
  let cutHere = points[next - 1]?.time === from
  while (time < to) {
    while (border < borders.length && borders[border] <= time) border++
    const end = Math.min(to, points[next]?.time ?? to, borders[border] ?? to) as Flicks
    const stretch = { start: time, end, ...pictures.shown(points[next - 1] ?? null, time) }
    const last = out[out.length - 1]
    // Borders of clips that are not shown divide nothing. Switch points always do: they are cuts the user made.
    if (
      last &&
      !cutHere &&
      last.clipId === stretch.clipId &&
      last.angleId === stretch.angleId &&
      last.standIn === stretch.standIn &&
      last.stillAt === stretch.stillAt &&
      last.wanted === stretch.wanted
    )
      out[out.length - 1] = { ...last, end }
    else out.push(stretch)
    time = end
    cutHere = points[next]?.time === time
    if (cutHere) next++
  }
  return out
}
