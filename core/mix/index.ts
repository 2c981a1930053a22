export { channelsOf, type FoundChannel, type HeardChannel, heardChannels, isChanged, isOn, type Position, type SoundShape } from './channels.ts'
export { decibelsToGain, heardGains, MAX_GAIN_DB, MIN_GAIN_DB, type StripState } from './gain.ts'
export { type LevelPoint, levelAt, masterShares, type Recorded } from './shares.ts'
