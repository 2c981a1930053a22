import { FLICKS_PER_SECOND, type Flicks, flicks } from './flicks.ts'
import { frameAt, frameStart, type Rate } from './rates.ts'

/** The affine map `master = start + rate × clip`: where a clip lies on the master's time. */
export interface PlacementMap {
  /** Master time of the clip's presentation time 0. */
  readonly start: Flicks
  /** Master seconds that pass in one clip second; 1 for a clock that agrees. Positive. */
  readonly rate: number
}

/** The pictures of a clip: `count` frames at `rate`, the first presented at clip time `start`. */
export interface FrameGrid {
  readonly start: Flicks
  readonly rate: Rate
  readonly count: number
}

/** Master time of a clip time, to the nearest flick. */
export function clipToMaster(time: Flicks, map: PlacementMap): Flicks {
  return flicks(Math.round(map.start + map.rate * time))
}

/** Clip time of a master time, to the nearest flick. */
export function masterToClip(time: Flicks, map: PlacementMap): Flicks {
  return flicks(Math.round((time - map.start) / map.rate))
}

/**
 * The one rule for "which picture is shown at an instant": the source frame whose half-open presentation
 * interval contains it. Wall, programme, film and exchange files all ask here.
 * @returns frame number in 0..count-1, or null where the clip has no picture
 */
export function frameShownAt(time: Flicks, map: PlacementMap, grid: FrameGrid): number | null {
  const index = frameAt(flicks(masterToClip(time, map) - grid.start), grid.rate)
  return index < 0 || index >= grid.count ? null : index
}

/** Half-open range of master time in which the clip has pictures. */
export function pictureSpan(map: PlacementMap, grid: FrameGrid): { start: Flicks; end: Flicks } {
  const last = flicks(grid.start + frameStart(grid.count, grid.rate))
  return { start: clipToMaster(grid.start, map), end: clipToMaster(last, map) }
}

/** Placement of a clip whose clip time zero lies at `startSeconds` on the master. */
export function placementFromSeconds(startSeconds: number, rate: number): PlacementMap {
  if (!(rate > 0) || !Number.isFinite(rate)) throw new TypeError(`a placement's rate must be positive, got ${rate}`)
  return { start: flicks(Math.round(startSeconds * FLICKS_PER_SECOND)), rate }
}
