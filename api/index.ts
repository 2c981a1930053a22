export {
  FINDINGS,
  type FilmBody,
  type FindBody,
  filmBody,
  findBody,
  type GatherBody,
  gatherBody,
  LEAST_STEADY,
  type LineUpBody,
  lineUpBody,
  lookBody,
  MOST_DROPPED,
  MOST_STEADY,
  type NewProjectBody,
  newProjectBody,
  type PrepareBody,
  prepareBody,
  type SteadyBody,
  steadyBody,
  tableBody,
  takeBody,
} from './bodies.ts'
export { contentKeyOf } from './content.ts'
export type { Detail } from './detail.ts'
export { checkEdits } from './edits/check.ts'
export { LEAST_LOUDNESS, MOST_LOUDNESS } from './edits/parts.ts'
export { type FilmShape, usualFilmBytes } from './film-size.ts'
export {
  type FilmResult,
  type FilmSound,
  type FolderEntry,
  type FolderListing,
  type GatheredFile,
  JOB_KINDS,
  JOB_STATES,
  type Job,
  type JobKind,
  type JobResult,
  type JobState,
  type LoudnessCurve,
  type PreparedResult,
  type Problem,
  type ProjectState,
  type ProjectSummary,
  type ServerEvent,
  type Step,
  type Told,
} from './types.ts'
export { channelName, speakerName } from './words/channels.ts'
export { counted, sizeText } from './words/count.ts'
export { detailText } from './words/detail.ts'
export { jobText } from './words/job.ts'
export { noteText } from './words/notes.ts'
export { soundText } from './words/sound.ts'
export { warningText } from './words/warnings.ts'
export { whyText } from './words/why.ts'
