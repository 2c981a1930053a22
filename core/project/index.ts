export type { Patch } from 'immer'
export { type AngleEdit, anglesInUse, nextHue, standInOrder } from './angles.ts'
export { inBlocks, pulseOf } from './beat-blocks.ts'
export type { ClipEdit } from './clips.ts'
export type { CutEdit } from './cut.ts'
export { DEVICE_RULES, type Device, type DeviceRule, devicesOf, type Gathered } from './devices.ts'
export {
  applyEdits,
  applyEditsWithRests,
  applyKeptPatches,
  EDIT_TYPES,
  type Edit,
  type EditResult,
  type EditType,
} from './edits.ts'
export { clipRate, eventRange, type FileFacts, factsOfClip, frameGridOf, type PictureSpan, paceOf, pictureSpans, STILL_PLACE, startFrameOf } from './facts.ts'
export { factsProblem, rateFits, readFacts } from './facts-bounds.ts'
export { FLAGS, type Flag, flagsOf } from './flags.ts'
export { isId, own } from './ids.ts'
export { markOf, marksInOrder } from './keyed.ts'
export { EditError } from './lookup.ts'
export { type MarkEdit, marksOnMaster } from './marks.ts'
export { clockOf, groupStripOf, isMaster, type MasterEdit, masterRange, stripOf } from './master.ts'
export { difference, MigrationError, migrate } from './migrate.ts'
export type { MixEdit, StripChange } from './mix.ts'
export { type Note, notesFor } from './notes.ts'
export type { PictureEdit } from './picture.ts'
export { MOST_TIME, PLACED_BY, SET_BY_HAND, SOUND_SPEED } from './places.ts'
export type { PieceChange, ProgrammeEdit } from './programme.ts'
export type { PulseAct, PulseEdit } from './pulse.ts'
export { projectRate, type SettingsEdit } from './settings.ts'
export { timecodeProposals } from './start-timecode.ts'
export {
  type Angle,
  CLIP_STATES,
  type Clip,
  type ClipState,
  type Cut,
  DEFAULT_STRIP,
  type Envelope,
  emptyProject,
  envelopeKey,
  type Group,
  HUE_COUNT,
  LAYER_KINDS,
  type Layer,
  type LayerKind,
  MARK_KINDS,
  MASTER_JOINS,
  type Mark,
  type MarkKind,
  type Master,
  type MasterJoin,
  METHODS,
  type Method,
  type MixRange,
  type PictureException,
  type Piece,
  type PieceKind,
  type Placement,
  POINT_KINDS,
  type PointKind,
  type ProjectDoc,
  type Pulse,
  type Settings,
  type SoundSpan,
  type Strip,
} from './types.ts'
