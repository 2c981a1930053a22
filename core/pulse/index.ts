export { networkInputs } from './network/inputs.ts'
export { onsetFeatures, PULSE_RATE } from './onset.ts'
export { findPulse, type PulseEstimate, PulseReader, STRENGTH_PER_SECOND } from './pulse.ts'
export type { Section } from './sections.ts'
