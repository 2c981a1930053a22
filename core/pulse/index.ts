export { networkInputs } from './network/inputs.ts'
export { OnsetReader, onsetFeatures, PULSE_RATE } from './onset.ts'
export { findPulse, type PulseEstimate, pulseOf } from './pulse.ts'
