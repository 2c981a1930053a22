export {
  clearBeats,
  countFrom,
  doubleGrid,
  dragBeat,
  EVERYWHERE,
  type Grid,
  halveGrid,
  keepLocked,
  lockStretch,
  nearestBeat,
  type Range,
  shiftGrid,
  tapStretch,
  usualDistance,
} from './grid.ts'
export { type Lag, measureLag } from './lag.ts'
export { type Laid, laySong } from './lay.ts'
