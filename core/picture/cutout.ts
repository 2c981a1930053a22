import { type Framing, framedRect, type Rect } from './framing.ts'

/** What of a picture is seen, on top of how it is fitted: shift, size, turn, and what is cut off its edges. */
export interface Cutout {
  /** Shift in parts of the frame's width and height, −2 to 2; to the right and down. */
  readonly x: number
  readonly y: number
  /** 1 is the size it is fitted to; 0.1 to 10. */
  readonly scale: number
  /** Degrees clockwise, −180 to 180. */
  readonly turn: number
  readonly mirrored?: true
  /** Parts of the picture's width and height that are cut off each edge, 0 to 0.9; at least a tenth stays. */
  readonly crop?: Crop
}

export interface Crop {
  readonly left: number
  readonly top: number
  readonly right: number
  readonly bottom: number
}

/** A picture as it is fitted. */
export const WHOLE: Cutout = { x: 0, y: 0, scale: 1, turn: 0 }

/** Least and greatest of each number of a cutout. */
export const CUTOUT_BOUNDS = { x: [-2, 2], y: [-2, 2], scale: [0.1, 10], turn: [-180, 180], crop: [0, 0.9] } as const

/** Whether a cutout leaves a picture as it is fitted. */
export const isWhole = ({ x, y, scale, turn, mirrored, crop }: Cutout): boolean =>
  x === 0 && y === 0 && scale === 1 && turn === 0 && !mirrored && (!crop || Object.values(crop).every((part) => part === 0))

/** A map of points: x′ = a x + c y + e, y′ = b x + d y + f; written [a, b, c, d, e, f]. */
export type Affine = readonly [number, number, number, number, number, number]

/**
 * Where points of a picture land in the frame: fitted, mirrored, sized and turned about its middle, then shifted.
 * @param width,height size of the picture as displayed, positive; its points lie from 0 to these
 * @throws TypeError for sizes that are not positive
 */
export function placing(width: number, height: number, frameWidth: number, frameHeight: number, framing: Framing, cutout: Cutout): Affine {
  const scale = (framedRect(width, height, frameWidth, frameHeight, framing).width / width) * cutout.scale
  const turn = (cutout.turn * Math.PI) / 180
  // A right angle is to be one exactly: rows stay rows.
  const [cos, sin] = cutout.turn % 90 === 0 ? [Math.round(Math.cos(turn)), Math.round(Math.sin(turn))] : [Math.cos(turn), Math.sin(turn)]
  const across = cutout.mirrored ? -scale : scale
  const [a, b, c, d] = [across * cos, across * sin, -scale * sin, scale * cos]
  const [x, y] = [frameWidth * (0.5 + cutout.x), frameHeight * (0.5 + cutout.y)]
  return [a, b, c, d, x - (a * width + c * height) / 2, y - (b * width + d * height) / 2]
}

/** First the one map, then the other. */
export function followed(first: Affine, by: Affine): Affine {
  const [a, b, c, d, e, f] = first
  const [p, q, r, s, t, u] = by
  return [p * a + r * b, q * a + s * b, p * c + r * d, q * c + s * d, p * e + r * f + t, q * e + s * f + u]
}

/** The way back. @throws TypeError for a map that leaves no way back */
export function inverse([a, b, c, d, e, f]: Affine): Affine {
  const area = a * d - b * c
  if (!(Math.abs(area) > 1e-12)) throw new TypeError('a map onto a line has no inverse')
  return [d / area, -b / area, -c / area, a / area, (c * f - d * e) / area, (b * e - a * f) / area]
}

/** What of a picture of this size is not cut off. */
export function keptRect(width: number, height: number, { crop }: Cutout): Rect {
  const { left = 0, top = 0, right = 0, bottom = 0 } = crop ?? {}
  return { x: left * width, y: top * height, width: Math.max(0, 1 - left - right) * width, height: Math.max(0, 1 - top - bottom) * height }
}

/** The corners of a rectangle behind a map: from the upper left one on, clockwise as they were. */
export function corners({ x, y, width, height }: Rect, [a, b, c, d, e, f]: Affine): { readonly x: number; readonly y: number }[] {
  const at = (u: number, v: number) => ({ x: a * u + c * v + e, y: b * u + d * v + f })
  return [at(x, y), at(x + width, y), at(x + width, y + height), at(x, y + height)]
}

/** The upright rectangle around what a map makes of one. */
export function boundsThrough(rect: Rect, map: Affine): Rect {
  const points = corners(rect, map)
  const [xs, ys] = [points.map((p) => p.x), points.map((p) => p.y)]
  const [x, y] = [Math.min(...xs), Math.min(...ys)]
  return { x, y, width: Math.max(...xs) - x, height: Math.max(...ys) - y }
}

/**
 * A cutout on its way to another: it begins and ends gently, sizes grow by equal ratios.
 * @param share of the way, 0..1
 */
export function between(from: Cutout, to: Cutout, share: number): Cutout {
  const along = Math.max(0, Math.min(1, share))
  const eased = along * along * (3 - 2 * along)
  const mix = (a: number, b: number) => a + (b - a) * eased
  const none = { left: 0, top: 0, right: 0, bottom: 0 }
  const [one, other] = [from.crop ?? none, to.crop ?? none]
  const crop = (from.crop || to.crop) && {
    left: mix(one.left, other.left),
    top: mix(one.top, other.top),
    right: mix(one.right, other.right),
    bottom: mix(one.bottom, other.bottom),
  }
  return {
    x: mix(from.x, to.x),
    y: mix(from.y, to.y),
    scale: from.scale * (to.scale / from.scale) ** eased,
    turn: mix(from.turn, to.turn),
    ...(from.mirrored && { mirrored: true as const }),
    ...(crop && { crop }),
  }
}
