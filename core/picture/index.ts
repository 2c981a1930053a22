export { BLACK_LUMA, blend, plainFrame, WHITE_LUMA } from './blend.ts'
export { CARD_FONTS, type CardInk, drawCard } from './card.ts'
export { CubeError, readCube } from './cube.ts'
export { CURVES, type CurveName, type CurvePoint, type Curves, curveThrough, isStraight, MOST_POINTS, STRAIGHT } from './curve.ts'
export {
  type Affine,
  between,
  boundsThrough,
  type Crop,
  CUTOUT_BOUNDS,
  type Cutout,
  corners,
  followed,
  inverse,
  isWhole,
  keptRect,
  placing,
  WHOLE,
} from './cutout.ts'
export { lookBetween, lookSteps } from './drift.ts'
export { FRAMINGS, type Framing, framedRect, type Rect } from './framing.ts'
export { BORDER_BOUNDS, type EdgeDrawing, edgeDrawing, type InsetEdge, layPlanesOver, roundMask, SQUARE_EDGE } from './inset.ts'
export { type ColourKey, KEY_BOUNDS, keyPixels, keyPlanes, USUAL_KEY } from './key.ts'
export {
  type Colour,
  type ColourTable,
  greyBalance,
  type InputTable,
  isPlain,
  keepsColours,
  LOOK_BOUNDS,
  type Look,
  type LookNumber,
  looked,
  lookTable,
  TABLE_SIZE,
  tableText,
  throughTable,
} from './look.ts'
export { FEWEST_COLOURS, matched } from './match.ts'
export { type Motion, MotionFinder } from './motion.ts'
export { layOver } from './over.ts'
export { PACE_BOUNDS, type Pace, pacedAt } from './pace.ts'
export { type PlaneColour, type Planes, planesToPixels } from './planes.ts'
export { colourScope, EXPOSURE_ZONES, falseColours, histogram, type Scope, waveformScope } from './scope.ts'
export { type Seat, type Seating, type SeatingWishes, seat } from './seating.ts'
export { sharpenPixels, sharpenPlanes } from './sharpness.ts'
export { type Steadying, steadying } from './steady.ts'
export { pixelsThrough, planesThrough } from './through.ts'
export { drawTitle, TITLE_ALIGNS, TITLE_LETTERS, type TitleBlock, type TitleInk, type TitleStyle, titleBlock, USUAL_TITLE } from './title.ts'
export { darkenPlanes, USUAL_VIGNETTE, VIGNETTE_BOUNDS, type Vignette, vignetteMask } from './vignette.ts'
