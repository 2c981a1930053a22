export { MAGNETS, type Magnet, nearestIndex, pulled } from './magnet.ts'
export {
  type Choice,
  CutError,
  choose,
  join,
  type Points,
  paint,
  pointAt,
  reassign,
  roll,
  STAND_INS,
  type StandIn,
  type SwitchPoint,
  TRANSITION_KINDS,
  type Transition,
  type TransitionKind,
  withTransition,
} from './points.ts'
