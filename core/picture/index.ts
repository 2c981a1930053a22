export { BLACK_LUMA, blend, plainFrame, WHITE_LUMA } from './blend.ts'
export { CARD_FONTS, type CardInk, drawCard } from './card.ts'
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
export { FRAMINGS, type Framing, framedRect, type Rect } from './framing.ts'
export { type ColourTable, isPlain, LOOK_BOUNDS, type Look, lookTable, tableText, throughTable } from './look.ts'
export { layOver } from './over.ts'
export { type PlaneColour, type Planes, planesToPixels } from './planes.ts'
export { type Seat, type Seating, type SeatingWishes, seat } from './seating.ts'
export { pixelsThrough, planesThrough } from './through.ts'
export { drawTitle, TITLE_ALIGNS, TITLE_LETTERS, type TitleBlock, type TitleInk, type TitleStyle, titleBlock, USUAL_TITLE } from './title.ts'
