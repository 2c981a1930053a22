export { FRAMINGS, type Framing, framedRect, type Rect } from './framing.ts'
export { type Seating, seat } from './seating.ts'
