export { BAND_KINDS, type Band, type BandKind, type Biquad, bandSection, highPassSections, notchSection, responseAt } from './biquad.ts'
export {
  CHANNEL_LAYOUTS,
  type Channel,
  type ChannelLayout,
  channelKey,
  channelsOf,
  type FoundChannel,
  type HeardChannel,
  heardChannels,
  isChanged,
  isOn,
  MOST_TOGETHER,
  type Position,
  type SoundShape,
  tracksOf,
} from './channels.ts'
export type { Clicks } from './clicks.ts'
export { type DeskInput, type DeskNode, type DeskPassage, DeskRun, deskLatency, MOST_BANDS, MOST_DELAY, type Processing, panned } from './desk.ts'
export { type Drawn, drawnAt, type Following, following, type PointChange, type RangeChanges, raised, type Stretch, undrawn, withoutRanges } from './drawing.ts'
export { type Compressor, CompressorRun, compressed, type Gate, GateRun } from './dynamics.ts'
export { decibelsToGain, MAX_GAIN_DB, MIN_GAIN_DB } from './gain.ts'
export { type Hum, humIn, MOST_HARMONICS } from './hum.ts'
export { curveAt, drawnCurve, isSilent, type LevelCurve, type OnRange, onCurve, SHORT_FADE, SILENT_DB, timesCurve } from './levels.ts'
export { Limiter } from './limiter.ts'
export { kWeighting, type Loudness, LoudnessMeter, lufs, TruePeak } from './loudness.ts'
export { NOISE_BANDS, type Noise, noiseOf, type Wind } from './noise.ts'
export { REPAIR_LATENCY, type Repair } from './repair.ts'
export { masterShares, type Recorded } from './shares.ts'
