export { ANALYSIS_RATE, BAND_COUNT, BAND_HOP, type BandFeatures, bandFeatures, stretchFeatures } from './bands.ts'
export { eachPowerFrame, hann, inverseReal, powerOfTwo, realSpectrum, type Spectrum } from './fft.ts'
export { type PeakFile, PeakWriter } from './peaks.ts'
export { interpolate, resample } from './resample.ts'
