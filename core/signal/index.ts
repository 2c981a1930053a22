export {
  ANALYSIS_RATE,
  BAND_COUNT,
  BAND_HOP,
  type BandFeatures,
  BandWriter,
  bandFeatures,
  type FeatureSource,
  featuresIn,
  featuresOf,
  sliceFeatures,
  stretchedFeatures,
  stretchFeatures,
} from './bands.ts'
export {
  Correlator,
  correlation,
  eachPowerFrame,
  emptySpectrum,
  FrameReader,
  hann,
  inverseReal,
  type Packed,
  packed,
  packedTurned,
  powerOfTwo,
  realSpectrum,
  type Spectrum,
} from './fft.ts'
export { type Biquad, ChannelTaker, HighestBetween, LevelSum, SAMPLE_BYTES, type SampleForm, SectionRow, SoundWork, STRETCH } from './lanes.ts'
export { PeakWriter, packPeaks } from './peaks.ts'
export { interpolate, resample } from './resample.ts'
export { GrowingRows } from './rows.ts'
export { type SampleSource, sourceOf, stretchedSource } from './source.ts'
export { WHITE_STEPS, whitened } from './whiten.ts'
