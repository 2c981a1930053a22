import type { Flicks } from '../time/index.ts'
import { type Points, pointAt, type SwitchPoint } from './points.ts'

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
  const seen = new Onlookers(spans)
  const out: PlannedStretch[] = []
  // Points and borders of clips are walked side by side, so that a plan takes as long as it is.
  let next = pointAt(points, from) + 1
  let time = from
  let cutHere = points[next - 1]?.time === from
  while (time < to) {
    seen.advance(time)
    const point = points[next - 1]
    const end = Math.min(to, points[next]?.time ?? to, seen.nextBorder ?? to) as Flicks
    const stretch = { start: time, end, ...shownFrom(point, seen, angleOrder, time, standIn) }
    const last = out[out.length - 1]
    // Borders of clips that are not shown divide nothing. Switch points always do: they are cuts the user made.
    if (
      last &&
      !cutHere &&
      last.clipId === stretch.clipId &&
      last.angleId === stretch.angleId &&
      last.standIn === stretch.standIn &&
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

/** Which clips of which angles have a picture, walked forward in time. */
class Onlookers {
  readonly #starting: readonly PictureSpan[]
  readonly #borders: readonly Flicks[]
  /** By angle, in the order of starts; ended ones are taken out when they are met. */
  readonly #open = new Map<string, PictureSpan[]>()
  #started = 0
  #border = 0

  constructor(spans: readonly PictureSpan[]) {
    this.#starting = [...spans].sort((a, b) => a.start - b.start)
    this.#borders = spans.flatMap((s) => [s.start, s.end]).sort((a, b) => a - b)
  }

  /** First border of a clip behind the instant reached. */
  get nextBorder(): Flicks | undefined {
    return this.#borders[this.#border]
  }

  /** @param time not before the one of the last call */
  advance(time: Flicks): void {
    while (this.#border < this.#borders.length && this.#borders[this.#border] <= time) this.#border++
    for (let span = this.#starting[this.#started]; span && span.start <= time; span = this.#starting[++this.#started]) {
      const open = this.#open.get(span.angleId)
      if (open) open.push(span)
      else this.#open.set(span.angleId, [span])
    }
  }

  of(angleId: string, time: Flicks): readonly PictureSpan[] {
    const open = this.#open.get(angleId)
    if (!open) return []
    const still = open.filter((s) => s.end > time)
    if (still.length < open.length) this.#open.set(angleId, still)
    return still
  }
}

function shownFrom(
  point: SwitchPoint | undefined,
  seen: Onlookers,
  order: readonly string[],
  time: Flicks,
  standIn: StandIn,
): Pick<PlannedStretch, 'wanted' | 'angleId' | 'clipId' | 'standIn'> {
  const wanted = point?.angleId ?? null
  const own = point ? clipShownAt(seen.of(point.angleId, time), point.angleId, time, point.clipId) : null
  if (own) return { wanted, angleId: own.angleId, clipId: own.clipId, standIn: false }
  if (standIn === 'next')
    for (const angleId of order) {
      const other = clipShownAt(seen.of(angleId, time), angleId, time)
      if (other) return { wanted, angleId, clipId: other.clipId, standIn: true }
    }
  return { wanted, angleId: null, clipId: null, standIn: true }
}
