export { CARD_FONTS, type CardInk, drawCard } from './card.ts'
export { FRAMINGS, type Framing, framedRect, type Rect } from './framing.ts'
export { type Cutout, LOOK_BOUNDS, type Look } from './look.ts'
export { type Seat, type Seating, type SeatingWishes, seat } from './seating.ts'
