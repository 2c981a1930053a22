export { METRES } from './bars.ts'
export { PULSE_RATE } from './onset.ts'
export { findPulse, type PulseEstimate } from './pulse.ts'
