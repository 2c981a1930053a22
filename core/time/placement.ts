import { FLICKS_PER_SECOND, type Flicks, flicks } from './flicks.ts'
import { frameAt, frameStart, type Rate } from './rates.ts'

/** A recording that lost or doubled some time: from `at` on (clip time) it lies `by` later on the master than before. */
export interface Jump {
  readonly at: Flicks
  readonly by: Flicks
}

/** The map `master = start + rate × clip`, and `by` more after each jump: where a clip lies on the master's time. */
export interface PlacementMap {
  /** Master time of the clip's presentation time 0. */
  readonly start: Flicks
  /** Master seconds that pass in one clip second; 1 for a clock that agrees. Positive. */
  readonly rate: number
  /** Ascending by `at`; absent in a recording that ran through. */
  readonly jumps?: readonly Jump[]
}

/** A part of a clip that ran through: half-open clip range, and master time of clip time 0 if the clip were all like it. */
export interface Piece {
  readonly from: number
  readonly to: number
  readonly start: number
}

/** The pieces of a placement between its jumps, in order; a single one where there are none. */
export function piecesOf(map: PlacementMap): Piece[] {
  const jumps = map.jumps ?? []
  let start: number = map.start
  const out: Piece[] = []
  for (let i = 0; i <= jumps.length; i++) {
    if (i > 0) start += jumps[i - 1].by
    out.push({ from: i > 0 ? jumps[i - 1].at : Number.NEGATIVE_INFINITY, to: jumps[i]?.at ?? Number.POSITIVE_INFINITY, start })
  }
  return out
}

/** The pictures of a clip: `count` frames at `rate`, the first presented at clip time `start`. */
export interface FrameGrid {
  readonly start: Flicks
  readonly rate: Rate
  readonly count: number
}

/** Master time of a clip time, to the nearest flick. */
export function clipToMaster(time: Flicks, map: PlacementMap): Flicks {
  let start: number = map.start
  for (const jump of map.jumps ?? []) if (time >= jump.at) start += jump.by
  return flicks(Math.round(start + map.rate * time))
}

/**
 * Clip time of a master time, to the nearest flick. Where a jump left a hole, that of its far edge; where pieces overlap,
 * that of the later piece.
 */
export function masterToClip(time: Flicks, map: PlacementMap): Flicks {
  const pieces = piecesOf(map)
  for (let i = pieces.length - 1; i >= 0; i--) {
    const { from, to, start } = pieces[i]
    const own = Math.round((time - start) / map.rate)
    if (own >= from) return flicks(Math.min(own, to))
  }
  return flicks(Math.round((time - map.start) / map.rate))
}

/** Whether the recording has nothing for this master time because it lost it. */
function inHole(time: Flicks, map: PlacementMap): boolean {
  const pieces = piecesOf(map)
  for (let i = pieces.length - 1; i > 0; i--) {
    const { from, start } = pieces[i]
    if (Math.round((time - start) / map.rate) >= from) return false
    if (Math.round((time - pieces[i - 1].start) / map.rate) >= pieces[i - 1].to) return true
  }
  return false
}

/**
 * The one rule for "which picture is shown at an instant": the source frame whose half-open presentation
 * interval contains it. Wall, programme, film and exchange files all ask here.
 * @returns frame number in 0..count-1, or null where the clip has no picture
 */
export function frameShownAt(time: Flicks, map: PlacementMap, grid: FrameGrid): number | null {
  if (map.jumps && inHole(time, map)) return null
  const index = frameAt(flicks(masterToClip(time, map) - grid.start), grid.rate)
  return index < 0 || index >= grid.count ? null : index
}

/** Half-open ranges of master time in which the clip has pictures: one, or one for each piece between jumps. */
export function pictureSpansOf(map: PlacementMap, grid: FrameGrid): { start: Flicks; end: Flicks }[] {
  const last = grid.start + frameStart(grid.count, grid.rate)
  const out: { start: Flicks; end: Flicks }[] = []
  for (const { from, to, start } of piecesOf(map)) {
    const [a, b] = [Math.max(grid.start, from), Math.min(last, to)]
    if (b <= a) continue
    const begins = flicks(Math.round(start + map.rate * a))
    const before = out[out.length - 1]
    // A doubled stretch is shown by the later piece.
    if (before && before.end > begins) before.end = begins
    out.push({ start: begins, end: flicks(Math.round(start + map.rate * b)) })
  }
  return out.filter((s) => s.end > s.start)
}

/** Placement of a clip whose clip time zero lies at `startSeconds` on the master. */
export function placementFromSeconds(startSeconds: number, rate: number): PlacementMap {
  if (!(rate > 0) || !Number.isFinite(rate)) throw new TypeError(`a placement's rate must be positive, got ${rate}`)
  return { start: flicks(Math.round(startSeconds * FLICKS_PER_SECOND)), rate }
}
