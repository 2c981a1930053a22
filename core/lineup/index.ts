export { type Candidate, COMMON_SPEEDS, placeBySound, type PlaceOptions, type SoundPlacement, type SoundProof, SoundReference, VERDICTS, type Verdict } from './place.ts'
