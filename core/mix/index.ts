export { decibelsToGain, heardGains, MAX_GAIN_DB, MIN_GAIN_DB, type StripState } from './gain.ts'
