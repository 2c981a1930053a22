import type { Points } from '@pendolo/core/cut'
import type { Framing } from '@pendolo/core/picture'
import type { Flicks, FrameGrid, PlacementMap } from '@pendolo/core/time'

/** A clip as the picture engine needs it. */
export interface PlayClip {
  readonly clipId: string
  readonly angleId: string
  readonly map: PlacementMap
  readonly grid: FrameGrid
  /** Half-open span of its pictures on the master's time. */
  readonly start: Flicks
  readonly end: Flicks
  /** Light copies; null while they are being made. */
  readonly tileUrl: string | null
  readonly sharpUrl: string | null
}

export interface PlayAngle {
  readonly id: string
  readonly framing: Framing
}

/** A sound as the engine needs it. */
export interface PlaySound {
  readonly clipId: string
  readonly url: string
  readonly map: PlacementMap
  readonly gain: number
  /** −1 left to 1 right. */
  readonly pan: number
}

export interface PlayModel {
  readonly angles: readonly PlayAngle[]
  readonly clips: readonly PlayClip[]
  readonly sounds: readonly PlaySound[]
  readonly points: Points
  readonly standIn: 'next' | 'black'
  /** Where one may go: the master and all that was placed before it, beside it and after it. */
  readonly event: { readonly start: Flicks; readonly end: Flicks }
  /** What the film covers. */
  readonly film: { readonly start: Flicks; readonly end: Flicks }
}

export type PictureModel = Omit<PlayModel, 'sounds' | 'event' | 'film'>

/** Where the clock is, as an affine map from absolute wall time in ms: what the worker draws by. */
export interface ClockMap {
  readonly playing: boolean
  /** Master time in flicks at `wall`. */
  readonly time: number
  readonly wall: number
  readonly speed: number
}

export type ToWorker =
  | { type: 'model'; model: PictureModel }
  | { type: 'clock'; clock: ClockMap }
  | { type: 'tile'; key: string; source: TileSource; canvas: OffscreenCanvas }
  | { type: 'size'; key: string; width: number; height: number }
  | { type: 'source'; key: string; source: TileSource }
  | { type: 'drop'; key: string }
  | { type: 'reset' }
  | { type: 'preview'; angleId: string; until: number }

/** What a canvas shows: an angle's tile, the programme, or one clip by itself with an offset of its own. */
export type TileSource = { kind: 'angle'; angleId: string } | { kind: 'programme' } | { kind: 'clip'; clipId: string; offset: number }

/** Counted since the last reset. */
export interface PictureHealth {
  /** Pictures that were due on some tile while playing. */
  readonly due: number
  /** Of those, the ones not decoded in time. */
  readonly late: number
  /** Frame number shown now on each canvas; null where there is none. */
  readonly shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }>
  /** Angle the programme shows and since when, wall ms. */
  readonly programme: { angleId: string | null; since: number; standIn: boolean }
}

export type FromWorker = { type: 'health'; health: PictureHealth }
