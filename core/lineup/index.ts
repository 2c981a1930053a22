export { type Link, type Place, solveLinks } from './graph.ts'
export { LIGHT_CELLS, type LightPlacement, type LightReference, type LightTrack, placeByLight } from './light.ts'
export { LtcError, type LtcFindings, type LtcFrame, LtcReader, ltcFindings } from './ltc.ts'
export { partsOf, thinStretches } from './parts.ts'
export {
  type HeardSound,
  heard,
  heardIn,
  laterBy,
  type PlaceOptions,
  placeBySound,
  type SoundPlacement,
  SoundReference,
} from './place.ts'
export { type PlaceProof, plainProof } from './proof.ts'
export { COMMON_SPEEDS, FASTEST_SPEED, SLOWEST_SPEED, type SpeedWish } from './speeds.ts'
export { heardTogether, severalTakes, type TakeClip, takesByClock } from './takes.ts'
export {
  bwfTimecode,
  fileTimecode,
  placeByTimecode,
  preferred,
  soundTimecode,
  type TimecodePlacement,
  type TimecodeReading,
  type TimecodeReference,
  timecodeTogether,
} from './timecode.ts'
export { type Candidate, VERDICTS, type Verdict } from './verdict.ts'
export { type ClockReference, placeByClock, settleRivals, USUAL_WAYS, WAYS, type Way } from './ways.ts'
export { type Fact, type FactCode, inWords, isWhy, together, type Why } from './why.ts'
