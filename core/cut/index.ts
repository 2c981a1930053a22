export { MAGNETS, type Magnet, nearestIndex, pulled } from './magnet.ts'
export { clipShownAt, type PictureSpan, type PlannedStretch, planFilm, STAND_INS, type StandIn } from './plan.ts'
export { type Choice, CutError, choose, join, type Points, paint, pointAt, reassign, roll, type SwitchPoint, stretchOf } from './points.ts'
