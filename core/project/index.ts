export { applyEdits, applyKeptPatches, type Edit, EditError, type EditResult, type EditType, nextHue, projectRate } from './edits.ts'
export { type FileFacts, frameGridOf, pictureSpans } from './facts.ts'
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
  type ProjectDoc,
  type Pulse,
  type Settings,
  type Strip,
} from './types.ts'
