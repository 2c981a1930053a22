export {
  type Candidate,
  COMMON_SPEEDS,
  type PlaceOptions,
  placeBySound,
  type SoundPlacement,
  type SoundProof,
  SoundReference,
  VERDICTS,
  type Verdict,
} from './place.ts'
