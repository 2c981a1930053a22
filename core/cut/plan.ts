import type { Flicks } from '../time/index.ts'
import { type Points, pointAt } from './points.ts'

/** What stands in where the chosen angle has no picture. */
export const STAND_INS = ['next', 'black'] as const
export type StandIn = (typeof STAND_INS)[number]

/** A clip's pictures on the master's time, half-open. */
export interface PictureSpan {
  readonly clipId: string
  readonly angleId: string
  readonly start: Flicks
  readonly end: Flicks
}

/** One stretch of the film with a single source, half-open [start, end). */
export interface PlannedStretch {
  readonly start: Flicks
  readonly end: Flicks
  /** What was chosen; null before the first switch point. */
  readonly wanted: string | null
  /** What is shown; null is black. */
  readonly angleId: string | null
  readonly clipId: string | null
  /** True where the shown angle is not the chosen one because that has no picture. */
  readonly standIn: boolean
}

/**
 * The clip of an angle that gives the picture at an instant. Of several takes the wanted one, else the last one begun.
 * @param spans spans of one angle or of all
 */
export function clipShownAt(spans: readonly PictureSpan[], angleId: string, time: Flicks, clipId?: string): PictureSpan | null {
  let found: PictureSpan | null = null
  for (const span of spans) {
    if (span.angleId !== angleId || time < span.start || time >= span.end) continue
    if (span.clipId === clipId) return span
    if (!found || span.start > found.start) found = span
  }
  return found
}

/**
 * The film as stretches of one source each: switch points, borders of clips and the stand-in rule worked out.
 * Stretches tile [from, to) without hole or overlap.
 * @param angleOrder angle ids in their order; the first with a picture stands in
 */
export function planFilm(
  points: Points,
  spans: readonly PictureSpan[],
  angleOrder: readonly string[],
  from: Flicks,
  to: Flicks,
  standIn: StandIn = 'next',
): PlannedStretch[] {
  if (to <= from) return []
  const borders = new Set<Flicks>([from, to])
  for (const p of points) if (p.time > from && p.time < to) borders.add(p.time)
  for (const s of spans) for (const t of [s.start, s.end]) if (t > from && t < to) borders.add(t)
  const times = [...borders].sort((a, b) => a - b)
  const out: PlannedStretch[] = []
  for (let i = 0; i + 1 < times.length; i++) {
    const next = stretchAt(points, spans, angleOrder, times[i], times[i + 1], standIn)
    const last = out[out.length - 1]
    // Borders of clips that are not shown divide nothing. Switch points always do: they are cuts the user made.
    const cutHere = points.some((p) => p.time === next.start)
    if (last && !cutHere && last.clipId === next.clipId && last.angleId === next.angleId && last.standIn === next.standIn && last.wanted === next.wanted) {
      out[out.length - 1] = { ...last, end: next.end }
    } else out.push(next)
  }
  return out
}

function stretchAt(points: Points, spans: readonly PictureSpan[], order: readonly string[], start: Flicks, end: Flicks, standIn: StandIn): PlannedStretch {
  const point = points[pointAt(points, start)]
  const wanted = point?.angleId ?? null
  const own = point ? clipShownAt(spans, point.angleId, start, point.clipId) : null
  if (own) return { start, end, wanted, angleId: own.angleId, clipId: own.clipId, standIn: false }
  if (standIn === 'next') {
    for (const angleId of order) {
      const other = clipShownAt(spans, angleId, start)
      if (other) return { start, end, wanted, angleId, clipId: other.clipId, standIn: true }
    }
  }
  return { start, end, wanted, angleId: null, clipId: null, standIn: true }
}
