export { FLICKS_PER_SECOND, type Flicks, flicks, flicksToSeconds, secondsToFlicks, ZERO } from './flicks.ts'
export { gridTolerance, pictureTime } from './pictures.ts'
export {
  clipToMaster,
  type FrameGrid,
  frameShownAt,
  type Jump,
  masterToClip,
  type PlacementMap,
  pictureSpansOf,
  piecesOf,
  placementFromSeconds,
} from './placement.ts'
export { masterToProgramme, programmeLength, programmeTimesOf, programmeToMaster, type Run, type Runs, runAt, sliceRuns } from './programme.ts'
export {
  frameAt,
  frameStart,
  nearestFrameStart,
  nextFrameStart,
  PROJECT_RATES,
  type ProjectRate,
  parseRate,
  printRate,
  type Rate,
  rateKey,
  rateToNumber,
} from './rates.ts'
export { firstFrom, lastUpTo } from './search.ts'
export {
  canDropFrames,
  frameToTimecode,
  nominalRate,
  printLength,
  printTimecode,
  readTimecode,
  TimecodeError,
  type TimecodeStyle,
  timecodeToFrame,
} from './timecode.ts'
