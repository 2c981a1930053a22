export {
  EXCHANGE_FORMATS,
  type ExchangeFormat,
  type FilmBody,
  filmBody,
  type GatherBody,
  gatherBody,
  type LineUpBody,
  lineUpBody,
  type NewProjectBody,
  newProjectBody,
} from './bodies.ts'
export { type EditsBody, editsBody } from './edits.ts'
export {
  type FilmResult,
  type FolderEntry,
  type FolderListing,
  type GatheredFile,
  JOB_KINDS,
  JOB_STATES,
  type Job,
  type JobKind,
  type JobState,
  type Problem,
  type ProjectState,
  type ProjectSummary,
  type ServerEvent,
} from './types.ts'
