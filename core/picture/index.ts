export { FRAMINGS, type Framing, framedRect, type Rect } from './framing.ts'
export { LOOK_BOUNDS, type Look, type View } from './look.ts'
export { type Seating, seat } from './seating.ts'
