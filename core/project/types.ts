import type { Magnet, StandIn, SwitchPoint } from '../cut/index.ts'
import type { Verdict, Why } from '../lineup/index.ts'
import type { Channel, Processing } from '../mix/index.ts'
import type { ColourKey, Cutout, Framing, InsetEdge, Look, Pace, TitleStyle } from '../picture/index.ts'
import type { SpanKind } from '../speech/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks, type Jump } from '../time/index.ts'

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
  /** While it plays a press waits for the next of what pulls, instead of falling on the nearest. */
  waits?: boolean
  /** Frames by which a pulled cut comes before the beat. */
  lead: number
  standIn: StandIn
  /** The angle that stands in first; absent: the first in the order. */
  safeAngle?: string
  /** Stretches of fewer frames are pointed at; absent: of fewer than six. */
  shortest?: number
  /** Integrated loudness of films, LUFS; null or absent: as it is balanced. */
  loudness?: number | null
  /** Films keep their sound as it was mixed. */
  lossless?: boolean
}

export interface Angle {
  id: string
  name: string
  /** Index into the hues of the wall, 0 to 11; stays with the angle when the order changes. */
  hue: number
  framing: Framing
  /** What of the picture is seen, in numbers; on top of `framing`. */
  cutout?: Cutout
  /** How its pictures are corrected. */
  look?: Look
  /** It has no clips of its own: it shows those of this angle, framed and corrected in its own way. */
  of?: string
  /** From which side it sees the stage: going from one side to the other at a cut turns everybody around. */
  side?: 'left' | 'right'
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
  /** A file that was made of the original's pictures and is seen in their place, with the same timing. */
  workedFileId?: string
  /** Name of the take it belongs to, where the master was played more than once. */
  take?: string
  /** Pictures a second as "num/den", where what the file says of itself is wrong. */
  rate?: string
  /** By stream and channel, as `channelKey` writes them; channels that are as they were found are not there. */
  channels?: Record<string, Channel>
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
  why: Why
  locked: boolean
  /** Of the clock of the master: how it had been placed before it became that. */
  was?: Pick<Placement, 'method' | 'verdict' | 'confidence' | 'why' | 'locked'>
}

export const MARK_KINDS = ['cue', 'part', 'phrase', 'note'] as const
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

/** The pulse as it is found, read and corrected. */
export interface Pulse {
  tempoBpm: number
  metre: number
  confidence: number
  beats: Flicks[]
  /** Indices into `beats`. */
  downbeats: number[]
  /** Half-open ranges that no correction and no new search changes. */
  locked?: { from: Flicks; to: Flicks }[]
  /** How clear the pulse is, 0..1, one value each `clarityStep` seconds from `clarityFrom` on; 0 where there is none. */
  clarity?: number[]
  clarityStep?: number
  /** Absent: the master's beginning. */
  clarityFrom?: Flicks
  /** Content of the sound that it was found in, which names how strongly that sets in; begins at `clarityFrom`. */
  heard?: string
  /** Strong single hits, exact to about 2 ms. */
  hits?: Flicks[]
}

/** Beats of about a minute. */
export interface BeatBlock {
  beats: Flicks[]
  /** Indices into this block's beats. */
  downbeats: number[]
}

/** The pulse as it is kept: in blocks, so that a correction writes only the minutes it changes; `pulseOf` gives it whole. */
export interface KeptPulse extends Omit<Pulse, 'beats' | 'downbeats'> {
  /** By number of the minute. */
  blocks: Record<string, BeatBlock>
}

/** What a programme is made of: kept ranges of the master, ranges of other versions, cards. */
export type Piece = { id: string /** Length of the crossfade of the sound where this piece follows another; absent: a short one. */; fade?: Flicks } & (
  | {
      kind: 'range'
      /** Half-open range of the master's time; null where it begins or ends with the master. */
      from: Flicks | null
      to: Flicks | null
    }
  | {
      kind: 'version'
      cutId: string
      /** Half-open range of that version's programme time; null where it begins or ends with it. */
      from: Flicks | null
      to: Flicks | null
    }
  | {
      kind: 'card'
      length: Flicks
      /** Absent: black. */
      text?: string
    }
)
export type PieceKind = Piece['kind']

export const LAYER_KINDS = ['inset', 'background', 'still', 'title'] as const
export type LayerKind = (typeof LAYER_KINDS)[number]

/** Something over (or behind) the picture in a range of the master's time. */
export interface Layer {
  id: string
  kind: LayerKind
  from: Flicks
  to: Flicks
  /** Higher ones lie over lower ones. */
  height: number
  /** Place in the frame: parts of its width and height, 0..1 from the left top. */
  place: { x: number; y: number; width: number; height: number }
  /** Where a still has moved to at its end; absent: it stands. */
  placeTo?: { x: number; y: number; width: number; height: number }
  /** What is shown: an angle (inset, background), a gathered file (still), or words (title). */
  angleId?: string
  fileId?: string
  text?: string
  /** How the words are drawn; absent: as usual. */
  title?: TitleStyle
  /** How the edges of an inset are; absent: square. */
  edge?: InsetEdge
  /** What of the picture is taken for nothing where a background is seen behind it; absent: as usual. */
  key?: ColourKey
  /** How long it comes and goes. */
  fadeIn?: Flicks
  fadeOut?: Flicks
}

/** A version of the cut. */
export interface Cut {
  id: string
  name: string
  /** What somebody wrote about it. */
  note?: string
  /** Warnings that somebody looked at and lets stand, by their keys. */
  accepted?: Record<string, true>
  /** From which instant on what is chosen; ascending, no two at one time. Patches name them by their time. */
  points: readonly SwitchPoint[]
  /** The programme in its order; at least one piece. */
  pieces: Piece[]
  layers: Record<string, Layer>
  /** The picture comes out of black at the beginning of the film and goes into it at its end, for so long. */
  fadeIn?: Flicks
  fadeOut?: Flicks
}

/** The strip of a clip, of one of its channels or of a group, as {@link envelopeKey} and the group's id name it. */
export interface Strip extends Processing {
  on: boolean
  mute: boolean
  solo: boolean
  gainDb: number
  /** −1 left to 1 right; absent: where it is. */
  pan?: number
  /** Of a clip or a channel: the group it goes to; absent: a channel goes with its clip, a clip to the programme. */
  group?: string
}

/** What several sounds go through together, such as all voices. */
export interface Group {
  id: string
  name: string
}

/** In a half-open range of the master's time a clip (or one channel of it) is heard or not, whatever its strip says. */
export interface MixRange {
  id: string
  clipId: string
  /** As `channelKey` writes it; absent: all channels. */
  channel?: string
  from: Flicks
  to: Flicks
  on: boolean
  fadeIn?: Flicks
  fadeOut?: Flicks
}

/** Names what an envelope belongs to: a clip, or one channel of it. */
export const envelopeKey = (clipId: string, channel?: string): string => (channel === undefined ? clipId : `${clipId} ${channel}`)

/** A level over time: decibels by instants of the master (flicks as text), straight lines between them. */
export type Envelope = Record<string, number>

/** For a half-open range of the master's time an angle is seen in another way. */
export interface PictureException {
  id: string
  angleId: string
  /** Only where this clip is what is seen of it, as one take of several; absent: whatever is seen. */
  clipId?: string
  from: Flicks
  to: Flicks
  cutout?: Cutout
  /** Where the framing has moved to at its end. */
  cutoutTo?: Cutout
  look?: Look
  /** What the look has become at its end, where light changes. */
  lookTo?: Look
  /** How fast its pictures run; its sound stays as it is. */
  pace?: Pace
}

/** How several recordings that are the master together follow each other where they overlap. */
export const MASTER_JOINS = ['crossfade', 'order'] as const
export type MasterJoin = (typeof MASTER_JOINS)[number]

export interface Master {
  /**
   * The recordings in the order of their worth; the clock of the first is the master's time. Empty: a free time, to
   * which clips are placed by each other.
   */
  clipIds: string[]
  /** 'crossfade': from one to the next in the middle of the overlap; 'order': the earlier in the list as long as it lasts. */
  join: MasterJoin
  /** Length of the change from one to the next. */
  fade: Flicks
}

/** All that a user decides in a project. Facts of files, light copies and proofs live beside it and can be made again. */
export interface ProjectDoc {
  /** Form of this document; `migrate` brings older ones here. */
  version: 5
  settings: Settings
  master: Master
  angles: Angle[]
  clips: Record<string, Clip>
  placements: Record<string, Placement>
  /** Why a clip could not be placed when it was last tried. */
  loose: Record<string, Why>
  /** Names of the proofs of the clips' places, by clip: undo brings back the proof too. */
  proofs: Record<string, string>
  pulse: KeptPulse | null
  /** In the order of their own times, those of equal time in that of their ids; `markOf` finds one. Patches name them by id. */
  marks: readonly Mark[]
  /** Speech, music, applause and silence of the master; absent until it was listened to for them. */
  spans?: SoundSpan[]
  cuts: Cut[]
  activeCutId: string
  strips: Record<string, Strip>
  /** By id; absent until there is one. */
  groups?: Record<string, Group>
  mixRanges: Record<string, MixRange>
  /** By clip, or by clip and channel, as {@link envelopeKey} writes it. */
  envelopes: Record<string, Envelope>
  exceptions: Record<string, PictureException>
}

export const DEFAULT_STRIP: Readonly<Strip> = { on: false, mute: false, solo: false, gainDb: 0 }
export const HUE_COUNT = 12
/** Two recorders change over within this time, unless it is set otherwise. */
export const MASTER_FADE = flicks(FLICKS_PER_SECOND / 20)

/** The programme of a version to begin with: the whole master. */
export const wholeMaster = (): Piece[] => [{ id: 'whole', kind: 'range', from: null, to: null }]

/** An empty project at 25 frames a second. */
export function emptyProject(cutId: string): ProjectDoc {
  return {
    version: 5,
    settings: { rate: '25/1', dropFrame: false, width: 1920, height: 1080, startFrame: 0, magnet: 'beat', lead: 0, standIn: 'next' },
    master: { clipIds: [], join: 'crossfade', fade: MASTER_FADE },
    angles: [],
    clips: {},
    placements: {},
    loose: {},
    proofs: {},
    pulse: null,
    marks: [],
    cuts: [{ id: cutId, name: 'Cut A', points: [], pieces: wholeMaster(), layers: {} }],
    activeCutId: cutId,
    strips: {},
    mixRanges: {},
    envelopes: {},
    exceptions: {},
  }
}
