export type { Patch } from 'immer'
export type { PulseAct } from './corrections.ts'
export {
  applyEdits,
  applyEditsWithRests,
  applyKeptPatches,
  type Edit,
  type EditResult,
  type EditType,
  nextHue,
  projectRate,
} from './edits.ts'
export { eventRange, type FileFacts, frameGridOf, pictureSpans, startFrameOf } from './facts.ts'
export { factsProblem, rateFits, readFacts } from './facts-bounds.ts'
export { isId } from './ids.ts'
export { EditError } from './lookup.ts'
export { marksOnMaster } from './marks.ts'
export { difference, MigrationError, migrate } from './migrate.ts'
export { MOST_TIME, PLACED_BY, SET_BY_HAND, SOUND_SPEED } from './places.ts'
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
