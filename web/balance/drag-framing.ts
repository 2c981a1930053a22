import { type Crop, CUTOUT_BOUNDS, type Cutout, type Framing, inverse, placing } from '@pendolo/core/picture'

export interface Size {
  readonly width: number
  readonly height: number
}
export interface Point {
  readonly x: number
  readonly y: number
}

export const EDGES = ['left', 'top', 'right', 'bottom'] as const
const UNCUT: Crop = { left: 0, top: 0, right: 0, bottom: 0 }
const OPPOSITE = { left: 'right', right: 'left', top: 'bottom', bottom: 'top' } as const
export const [, MOST_CUT] = CUTOUT_BOUNDS.crop

/** A framing with an edge of the picture cut off further, or less; a tenth of it stays. @param part of its width or height, any number */
export function cropped(cutout: Cutout, edge: keyof Crop, part: number): Cutout {
  const { crop = UNCUT, ...rest } = cutout
  const next = { ...crop, [edge]: Math.max(0, Math.min(MOST_CUT - crop[OPPOSITE[edge]], part)) }
  return EDGES.every((e) => next[e] === 0) ? rest : { ...rest, crop: next }
}

/** What is taken hold of. */
export type Grip = 'inside' | 'corner' | 'knob' | keyof Crop

const within = (value: number, [least, most]: readonly [number, number]) => Math.max(least, Math.min(most, value))
/** So near to where it is straight a picture turns straight, degrees. */
const STRAIGHT = 1.5

/**
 * The framing when something was dragged from one point of the frame to another.
 * @param cutout when the drag began
 * @param straight turning stops at right angles when it is near to them
 */
export function dragged(grip: Grip, cutout: Cutout, from: Point, to: Point, own: Size, frame: Size, framing: Framing, straight = true): Cutout {
  const middle = { x: frame.width * (0.5 + cutout.x), y: frame.height * (0.5 + cutout.y) }
  if (grip === 'inside') {
    const { x, y } = CUTOUT_BOUNDS
    return { ...cutout, x: within(cutout.x + (to.x - from.x) / frame.width, x), y: within(cutout.y + (to.y - from.y) / frame.height, y) }
  }
  if (grip === 'corner') {
    const far = (p: Point) => Math.hypot(p.x - middle.x, p.y - middle.y)
    return { ...cutout, scale: within((cutout.scale * far(to)) / Math.max(1, far(from)), CUTOUT_BOUNDS.scale) }
  }
  if (grip === 'knob') {
    const angle = (p: Point) => (Math.atan2(p.y - middle.y, p.x - middle.x) * 180) / Math.PI
    const turned = cutout.turn + angle(to) - angle(from)
    const turn = turned - 360 * Math.round(turned / 360)
    const right = 90 * Math.round(turn / 90)
    return { ...cutout, turn: straight && Math.abs(turn - right) < STRAIGHT ? right : turn }
  }
  // Edges are the picture's own, however it is turned.
  const [a, b, c, d, e, f] = inverse(placing(own.width, own.height, frame.width, frame.height, framing, cutout))
  const [x, y] = [a * to.x + c * to.y + e, b * to.x + d * to.y + f]
  const parts = { left: x / own.width, right: 1 - x / own.width, top: y / own.height, bottom: 1 - y / own.height }
  return cropped(cutout, grip, parts[grip])
}
