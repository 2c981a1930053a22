export type { Patch } from 'immer'
export { type AngleEdit, nextHue } from './angles.ts'
export type { ClipEdit } from './clips.ts'
export type { CutEdit } from './cut.ts'
export {
  applyEdits,
  applyEditsWithRests,
  applyKeptPatches,
  EDIT_TYPES,
  type Edit,
  type EditResult,
  type EditType,
} from './edits.ts'
export { eventRange, type FileFacts, frameGridOf, pictureSpans, startFrameOf } from './facts.ts'
export { factsProblem, rateFits, readFacts } from './facts-bounds.ts'
export { isId } from './ids.ts'
export { EditError } from './lookup.ts'
export { type MarkEdit, marksOnMaster } from './marks.ts'
export { difference, MigrationError, migrate } from './migrate.ts'
export type { MixEdit } from './mix.ts'
export { MOST_TIME, PLACED_BY, SET_BY_HAND, SOUND_SPEED } from './places.ts'
export type { PulseAct, PulseEdit } from './pulse.ts'
export { projectRate, type SettingsEdit } from './settings.ts'
export { marksOf, pointsOf } from './sorted.ts'
export {
  type Angle,
  CLIP_STATES,
  type Clip,
  type ClipState,
  type Cut,
  DEFAULT_STRIP,
  emptyProject,
  HUE_COUNT,
  MARK_KINDS,
  type Mark,
  type MarkKind,
  METHODS,
  type Method,
  type Placement,
  POINT_KINDS,
  type PointKind,
  type ProjectDoc,
  type Pulse,
  type Settings,
  type SoundSpan,
  type Strip,
} from './types.ts'
