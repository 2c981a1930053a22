export { decibelsToGain, heardGains, MAX_GAIN_DB, MIN_GAIN_DB, type StripState } from './gain.ts'
export { type LevelPoint, levelAt, masterShares, type Recorded } from './shares.ts'
