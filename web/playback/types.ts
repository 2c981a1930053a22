import type { Points, StandIn } from '@pendolo/core/cut'
import type { EndFades, FilmRun } from '@pendolo/core/film'
import type { DeskNode, DeskPassage } from '@pendolo/core/mix'
import type { Rect } from '@pendolo/core/picture'
import type { Angle, Layer, PictureException } from '@pendolo/core/project'
import type { Flicks, FrameGrid, PlacementMap, Rate } from '@pendolo/core/time'

/** A clip as the picture engine needs it. */
export interface PlayClip {
  readonly clipId: string
  readonly angleId: string
  readonly map: PlacementMap
  readonly grid: FrameGrid
  /** Seconds of its copy that pass in one second of the clip: 1, unless its rate was set. */
  readonly pace: number
  /** Half-open span of its pictures on the master's time. */
  readonly start: Flicks
  readonly end: Flicks
  /** Light copies; null while they are being made. */
  readonly tileUrl: string | null
  readonly sharpUrl: string | null
}

/** How pictures of an angle are seen, unless an exception says otherwise. */
export type PlayAngle = Pick<Angle, 'id' | 'framing' | 'cutout' | 'look'>

/** An input of the desk: which sound goes into it. */
export interface PlayInput {
  readonly clipId: string
  readonly url: string
  readonly map: PlacementMap
  /** Number of the track in the file and of the channel in it, both from 0; null: its first track as it is. */
  readonly from: { readonly track: number; readonly channel: number } | null
}

/** What is heard: inputs by their numbers, and the strips that they go through. */
export interface PlaySounds {
  readonly inputs: readonly PlayInput[]
  readonly nodes: readonly DeskNode[]
}

/** How loud a strip is now, behind its level: linear, and what its compressor takes away, dB. */
export interface Meter {
  readonly peak: number
  readonly rms: number
  readonly reductionDb: number
}

/** A strip on its way to the audio thread; null is as it was. */
export type SentNode = Omit<DeskNode, 'levels' | 'processing'> & {
  readonly levels: DeskNode['levels'] | null
  readonly processing: DeskNode['processing'] | null
}

export type ToDesk =
  | { readonly type: 'set'; readonly nodes: readonly SentNode[] }
  /** What is heard from a second of the audio clock on; `fresh` lets nothing of before go on. */
  | { readonly type: 'play'; readonly passages: readonly DeskPassage[]; readonly at: number; readonly speed: number; readonly fresh: boolean }

/** Meters by the keys of strips; '' is the programme. */
export type FromDesk = readonly (readonly [key: string, meter: Meter])[]

export interface PlayModel {
  readonly angles: readonly PlayAngle[]
  readonly exceptions: Readonly<Record<string, PictureException>>
  readonly clips: readonly PlayClip[]
  readonly sounds: PlaySounds
  /** Switch points by version: that at hand, and those that are set into it. */
  readonly points: Readonly<Record<string, Points>>
  /** The version at hand. */
  readonly cutId: string
  /** Its programme. */
  readonly runs: readonly FilmRun[]
  /** Of the film's pictures. */
  readonly rate: Rate
  readonly standIn: StandIn
  /** How long the film's picture comes out of black, and goes into it. */
  readonly fades: EndFades
  /** What lies over the pictures, by version, from the lowest to the highest. */
  readonly layers: Readonly<Record<string, readonly Layer[]>>
  /** Addresses of stills that lie over them, by their files. */
  readonly stills: Readonly<Record<string, string>>
  /** Where one may go: the master and all that was placed before it, beside it and after it. */
  readonly event: { readonly start: Flicks; readonly end: Flicks }
  /** From where the film begins on the master to where it ends. */
  readonly film: { readonly start: Flicks; readonly end: Flicks }
}

export type PictureModel = Omit<PlayModel, 'sounds' | 'event' | 'film'>

/** What is played: the master as it was recorded, or the film with what was left out left out. */
export type Along = 'master' | 'film'

/** Where the clock is, as an affine map from absolute wall time in ms: what the worker draws by. */
export interface ClockMap {
  readonly playing: boolean
  readonly along: Along
  /** Time in flicks at `wall`: of the master, or of the film. */
  readonly time: number
  readonly wall: number
  readonly speed: number
  /** Where playing began, in flicks, and when. */
  readonly began?: { readonly time: number; readonly wall: number }
}

/** What the programme shows, whatever the cut says, until the time at which its cut takes over; null while it stands, until the cut has come. */
export interface Held {
  readonly angleId: string
  readonly clipId?: string
  readonly until: Flicks | null
}

export type ToWorker =
  | { type: 'model'; model: PictureModel }
  | { type: 'clock'; clock: ClockMap }
  /** Pixels that tiles are drawn on; one for a whole stage, since each costs the browser a layer of its own at every refresh. */
  | { type: 'surface'; key: string; canvas: OffscreenCanvas }
  | { type: 'size'; key: string; width: number; height: number }
  | { type: 'dropSurface'; key: string }
  | { type: 'tile'; key: string; surface: string; source: TileSource; place: Rect | null }
  | { type: 'source'; key: string; source: TileSource }
  | { type: 'place'; key: string; place: Rect | null }
  | { type: 'drop'; key: string }
  | { type: 'reset' }
  /** Ranges of the programme that were made for playing. */
  | { type: 'ready'; ranges: readonly ReadyRange[] }
  /** Whether a graphics card draws, or the processor; else it is seen which there is. */
  | { type: 'drawing'; by: 'card' | 'processor' }
  | { type: 'hold'; held: Held | null }
  /** Whether pictures are seen as they are corrected. */
  | { type: 'looks'; on: boolean }

/**
 * What a tile shows: an angle, the programme, or one clip by itself with an offset of its own. An angle `asCut` is seen for being corrected:
 * the take that the version at hand has, sharp while it stands; else it is a tile of the wall, with its newest take.
 */
export type TileSource = { kind: 'angle'; angleId: string; asCut?: true } | { kind: 'programme' } | { kind: 'clip'; clipId: string; offset: number }

/** A small picture that somebody waits for. */
export interface ThumbWish {
  readonly key: string
  readonly url: string
  /** Of the light copy. */
  readonly seconds: number
}

/** What is wished for now, the nearest first; what was wished for before and is not among it is forgotten. */
export interface ToThumbs {
  readonly wishes: readonly ThumbWish[]
}

export interface FromThumbs {
  readonly key: string
  readonly picture: ImageBitmap | null
}

/** A range of a version that a machine cannot show as it plays, on the master's time. */
export interface HeavyRange {
  readonly cutId: string
  /** Half-open. */
  readonly from: Flicks
  readonly to: Flicks
}

/** Pictures of a range that were made for playing: what is seen there, with all that lies over it. */
export interface ReadyRange extends HeavyRange {
  readonly url: string
}

/** Counted since the last reset. */
export interface PictureHealth {
  /** Pictures that were due on some tile while playing. */
  readonly due: number
  /** Of those, the ones not decoded in time. */
  readonly late: number
  /** Frame number shown now on each tile; null where there is none. */
  readonly shown: Record<string, { clipId: string | null; frame: number | null; wanted: number | null }>
  /** Angle the programme shows and since when, wall ms. */
  /** `sharp`: while it plays, whether it is seen from the sharper copy; `prepared`: whether from what was made for playing; `rough`: whether all are drawn in half the detail. */
  readonly programme: { angleId: string | null; since: number; standIn: boolean; sharp: boolean; prepared?: boolean; rough?: boolean }
}

export type FromWorker =
  | { type: 'health'; health: PictureHealth }
  /** What was just played took longer to draw than there is time. */
  | { type: 'heavy'; range: HeavyRange }
