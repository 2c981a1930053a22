import type { FileFacts, Note, Patch, ProjectDoc } from '@pendolo/core/project'
import type { Detail } from './detail.ts'

export interface ProjectSummary {
  id: string
  name: string
  createdAt: number
  changedAt: number
  angles: number
  clips: number
  /** One row an angle: placed stretches as shares 0..1 of the master, for the small coverage picture. */
  coverage: { hue: number; spans: [number, number][] }[]
  masterSeconds: number
  /** Clips that have a place, and those that wait for one. */
  placed: number
  waiting: number
  /** Whether there are beats; cuts of the version at hand. */
  beats: boolean
  cuts: number
  /** Originals that are not where they were. */
  missing: number
  /** Bytes of originals where they lie, and of what is kept here: light copies, films, dropped files. */
  space: { originals: number; kept: number }
  /** A light copy to show a picture of, and the second of it; null where there is none yet. */
  picture: { contentKey: string; seconds: number } | null
  /** What is kept of it is damaged, so it cannot be opened. */
  hurt?: true
}

/** A gathered file with what is known and what is ready. */
export interface GatheredFile {
  id: string
  path: string
  name: string
  size: number
  contentKey: string
  facts: FileFacts
  notes: Note[]
  missing: boolean
  /** Which derived things are ready. */
  ready: { tile: boolean; sharp: boolean; sound: boolean; channels: boolean; peaks: boolean; channelPeaks: boolean }
}

/** A step that can be taken back or done again, by its words. */
export interface Step {
  id: string
  label: string
  /** When it was made, ms. */
  at: number
  /** Whether it counts; one that was taken back can be done again. */
  done: boolean
  /** Of how many parts that can be taken back one by one: the presses of a live pass. */
  parts: number
}

export interface ProjectState {
  id: string
  name: string
  revision: number
  doc: ProjectDoc
  files: GatheredFile[]
  canUndo: string | null
  canRedo: string | null
  /** Number of the last event whose news are in here. */
  seq: number
}

export const JOB_KINDS = ['copies', 'sound', 'lineup', 'pulse', 'film', 'loudness', 'originals', 'steady', 'prepare'] as const
export type JobKind = (typeof JOB_KINDS)[number]
export const JOB_STATES = ['queued', 'running', 'done', 'failed', 'cancelled'] as const
export type JobState = (typeof JOB_STATES)[number]

export interface Job {
  id: string
  projectId: string
  kind: JobKind
  state: JobState
  /** 0..1 */
  progress: number
  /** What it is about: a file's name, what is to be found, the part that is filmed; empty where the kind says all. */
  about: string
  /** What it is doing now or how it went. */
  detail: Detail
  /** What a tool said when it failed, for those who can read it. */
  raw: string | null
  fileId: string | null
  createdAt: number
  finishedAt: number | null
  result: JobResult | null
}

/** How loud a film is (EBU R 128); null where nothing is heard. */
export interface FilmSound {
  /** LUFS. */
  integrated: number | null
  /** LU. */
  range: number
  /** dBTP. */
  truePeak: number | null
  /** What all of it was raised by to come to the loudness that was asked for, dB. */
  gainDb: number
  /** The most that was taken away from what would have been too loud then, dB. */
  limitedDb: number
}

export interface FilmResult {
  path: string
  name: string
  bytes: number
  /** What it was made as, and in how many seconds; films of before do not tell. */
  made?: { width: number; height: number; rate: string; seconds: number; took?: number; version: string; sound?: FilmSound }
}

/** How loud the film of the version at hand is, over its length. */
export interface LoudnessCurve {
  sound: FilmSound
  /** s of the film between two values, the first of them at 0. */
  step: number
  /** LUFS of three seconds and of 400 ms; the highest of each step. */
  shortTerm: number[]
  momentary: number[]
  /** Revision of the project that it was measured of. */
  revision: number
}

/** Pictures of a range that were made for playing, as light copies are; `key` names what was seen there (`preparedKey` in core). */
export interface PreparedResult {
  cutId: string
  /** Master time, flicks. */
  from: number
  to: number
  key: string
}

export type JobResult = FilmResult | LoudnessCurve | PreparedResult

export interface FolderEntry {
  name: string
  path: string
  kind: 'folder' | 'file'
  size: number
  /** Media files below a folder, counted to a limit. */
  mediaCount: number
}

export interface FolderListing {
  path: string
  parent: string | null
  entries: FolderEntry[]
}

export type ServerEvent =
  | { type: 'job'; job: Job }
  /** `author` did it; `over` are those whose change of the same it came after. */
  | {
      type: 'project'
      projectId: string
      /** The revision that `patches` lead to, from the one before. */
      revision: number
      author: string
      label: string
      over: string[]
      /** Name that the page which made it gave it; null where it gave none. */
      edit: string | null
      patches: Patch[]
      /** Files that came with it. */
      files: GatheredFile[]
      /** What the author can undo and redo now. */
      steps: { undo: string | null; redo: string | null }
    }
  | { type: 'file'; projectId: string; file: GatheredFile }
  | { type: 'projects' }
  | { type: 'files'; projectId: string }

/** An event as it is sent: with its number, counted from the server's start. */
export type Told = ServerEvent & { seq: number }

/** RFC 9457 */
export interface Problem {
  type: string
  title: string
  status: number
  detail: string
}
