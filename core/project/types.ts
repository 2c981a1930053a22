import type { Choice, Magnet, StandIn } from '../cut/index.ts'
import type { Verdict } from '../lineup/index.ts'
import type { Framing } from '../picture/index.ts'
import type { SpanKind } from '../speech/index.ts'
import type { Flicks, Jump } from '../time/index.ts'

/** What a project is set to; proposed from the material, changeable. */
export interface Settings {
  /** Frames a second as "num/den". */
  rate: string
  dropFrame: boolean
  width: number
  height: number
  /** Frame number of the label at master time 0, for example 90000 = 01:00:00:00 at 25. */
  startFrame: number
  magnet: Magnet
  /** Frames by which a pulled cut comes before the beat. */
  lead: number
  standIn: StandIn
}

export interface Angle {
  id: string
  name: string
  /** Index into the hues of the wall, 0 to 11; stays with the angle when the order changes. */
  hue: number
  framing: Framing
  /** Metres between the loudspeakers and the camera: its sound comes that much late, its picture does not. */
  distance?: number
}

/** in = on its angle; aside = no part of the event; parked = belongs, but is not placed on purpose. */
export const CLIP_STATES = ['in', 'aside', 'parked'] as const
export type ClipState = (typeof CLIP_STATES)[number]

/** Points that a user sets in a clip to place it by: an instant seen in both, or where what matters begins and ends. */
export const POINT_KINDS = ['mark', 'in', 'out'] as const
export type PointKind = (typeof POINT_KINDS)[number]

export interface Clip {
  id: string
  /** The gathered file behind it. */
  fileId: string
  angleId: string | null
  state: ClipState
  /** In the clip's own time. */
  points?: Partial<Record<PointKind, Flicks>>
}

/** Ways a placement can come about, in the order of proof. */
export const METHODS = ['master', 'sound', 'timecode', 'light', 'through', 'time', 'first-frame', 'points', 'mark', 'exchange', 'hand'] as const
export type Method = (typeof METHODS)[number]

export interface Placement {
  start: Flicks
  rate: number
  /** Where the recording lost or doubled time; absent where it ran through. */
  jumps?: Jump[]
  method: Method
  verdict: Verdict
  confidence: number
  why: string
  locked: boolean
}

export const MARK_KINDS = ['cue', 'section', 'phrase', 'note'] as const
export type MarkKind = (typeof MARK_KINDS)[number]

export interface Mark {
  id: string
  time: Flicks
  kind: MarkKind
  name: string
  hue: number
  /** Where a mark over a range ends; absent for a point. */
  end?: Flicks
  /** A longer note. */
  text?: string
  /** The clip it stands on: its times are the clip's own then, and it moves with the clip. */
  clipId?: string
  /** Proposed by a search and not touched since: the next search may take it away. */
  found?: true
}

/** What is to be heard in a stretch of the master. */
export interface SoundSpan {
  from: Flicks
  to: Flicks
  kind: SpanKind
}

export interface Pulse {
  tempoBpm: number
  metre: number
  confidence: number
  beats: Flicks[]
  /** Indices into `beats`. */
  downbeats: number[]
  /** Half-open ranges that no correction and no new search changes. */
  locked?: { from: Flicks; to: Flicks }[]
  /** How clear the pulse is, 0..1, one value each `clarityStep` seconds; 0 where there is none. */
  clarity?: number[]
  clarityStep?: number
  /** Strong single hits, exact to about 2 ms. */
  hits?: Flicks[]
}

export interface Cut {
  id: string
  name: string
  /** From which instant on (flicks as text) what is chosen; `pointsOf` gives them in order. */
  points: Record<string, Choice>
}

/** One channel strip; the key is `clipId` (all channels of a clip's first sound stream together). */
export interface Strip {
  on: boolean
  mute: boolean
  solo: boolean
  gainDb: number
}

/** All that a user decides in a project. Facts of files, light copies and proofs live beside it and can be made again. */
export interface ProjectDoc {
  /** Form of this document; `migrate` brings older ones here. */
  version: 2
  settings: Settings
  masterClipId: string | null
  angles: Angle[]
  clips: Record<string, Clip>
  placements: Record<string, Placement>
  /** Why a clip could not be placed when it was last tried. */
  loose: Record<string, string>
  pulse: Pulse | null
  /** By id; `marksOf` gives them in order. */
  marks: Record<string, Mark>
  /** Speech, music, applause and silence of the master; absent until it was listened to for them. */
  spans?: SoundSpan[]
  cuts: Cut[]
  activeCutId: string
  /** Half-open range of master time that the film keeps; null parts are the master's ends. */
  keep: { start: Flicks | null; end: Flicks | null }
  strips: Record<string, Strip>
}

export const DEFAULT_STRIP: Readonly<Strip> = { on: false, mute: false, solo: false, gainDb: 0 }
export const HUE_COUNT = 12

/** An empty project at 25 frames a second. */
export function emptyProject(cutId: string): ProjectDoc {
  return {
    version: 2,
    settings: { rate: '25/1', dropFrame: false, width: 1920, height: 1080, startFrame: 0, magnet: 'beat', lead: 0, standIn: 'next' },
    masterClipId: null,
    angles: [],
    clips: {},
    placements: {},
    loose: {},
    pulse: null,
    marks: {},
    cuts: [{ id: cutId, name: 'Cut A', points: {} }],
    activeCutId: cutId,
    keep: { start: null, end: null },
    strips: {},
  }
}
