import type { Rect } from './framing.ts'
import { aroundColour } from './over.ts'
import type { Planes } from './planes.ts'

/** How the edges of an inset are. */
export interface InsetEdge {
  /** Radius of its corners in parts of its shorter side, 0 to 0.5: then it is round where it is square. */
  readonly round: number
  /** Width in parts of the frame's height, 0 to 0.05; its colour is written #rrggbb. */
  readonly border?: { readonly width: number; readonly colour: string }
  /** How dark its shadow is, 0..1. */
  readonly shadow?: number
}

export const SQUARE_EDGE: InsetEdge = { round: 0 }
export const BORDER_BOUNDS = [0, 0.05] as const

/** How far a shadow reaches, and how far below it lies, in parts of the frame's height. */
const SHADOW = 0.03
const SHADOW_BELOW = 0.008

/** How far a point lies outside of a rectangle with round corners, pixels; negative inside (a signed distance field). */
function outside(x: number, y: number, width: number, height: number, radius: number): number {
  const dx = Math.abs(x - width / 2) - (width / 2 - radius)
  const dy = Math.abs(y - height / 2) - (height / 2 - radius)
  return Math.hypot(Math.max(0, dx), Math.max(0, dy)) + Math.min(0, Math.max(dx, dy)) - radius
}

const share = (distance: number) => Math.max(0, Math.min(1, 0.5 - distance))

/** How much of each pixel a rectangle with round corners covers, 0..255, row by row. @param radius pixels */
export function roundMask(width: number, height: number, radius: number): Uint8Array {
  const out = new Uint8Array(width * height)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) out[y * width + x] = Math.round(255 * share(outside(x + 0.5, y + 0.5, width, height, radius)))
  return out
}

/** Something drawn that lies around a place, as red, green, blue and how little one sees through it. */
export interface EdgeDrawing {
  readonly data: Uint8ClampedArray<ArrayBuffer>
  readonly width: number
  readonly height: number
  /** It begins so far left of the place and above it, pixels. */
  readonly around: number
}

/**
 * Border and shadow of an inset, to be drawn below it.
 * @param width,height of its place, pixels
 * @param frameHeight of the frame, pixels
 * @returns null where there is neither
 */
export function edgeDrawing(width: number, height: number, edge: InsetEdge, frameHeight: number): EdgeDrawing | null {
  const border = (edge.border?.width ?? 0) * frameHeight
  const shadow = edge.shadow ?? 0
  if (border <= 0 && shadow <= 0) return null
  const radius = edge.round * Math.min(width, height)
  const [reach, below] = [shadow > 0 ? SHADOW * frameHeight : 0, SHADOW_BELOW * frameHeight]
  const around = Math.ceil(border + reach + (shadow > 0 ? below : 0)) + 1
  const [w, h] = [width + 2 * around, height + 2 * around]
  const data = new Uint8ClampedArray(4 * w * h)
  const [red, green, blue] = edge.border ? [1, 3, 5].map((i) => Number.parseInt(edge.border?.colour.slice(i, i + 2) ?? '0', 16)) : [0, 0, 0]
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const [px, py] = [x + 0.5 - around, y + 0.5 - around]
      const line = border > 0 ? share(outside(px, py, width, height, radius) - border) : 0
      // It fades evenly in all directions, faster at first.
      const far = reach > 0 ? Math.max(0, Math.min(1, 1 - (outside(px, py - below, width, height, radius) - border) / reach)) : 0
      const dark = shadow * far * far * (1 - line)
      const alpha = line + dark
      if (alpha === 0) continue
      const at = 4 * (y * w + x)
      data[at] = (red * line) / alpha
      data[at + 1] = (green * line) / alpha
      data[at + 2] = (blue * line) / alpha
      data[at + 3] = 255 * alpha
    }
  return { data, width: w, height: h, around }
}

/**
 * Lays one picture over a part of another, both as planes (I420).
 * @param left,top in the frame, even numbers; it may reach out of it
 * @param mask how much of each of its pixels is seen, 0..255; null: all
 * @param part of all of it, 0..1
 */
export function layPlanesOver(frame: Planes, picture: Planes, left: number, top: number, mask: Uint8Array | null, part: number): void {
  const { data: to, width: w, height: h } = frame
  const { data: from, width: pw, height: ph } = picture
  const [half, own] = [(w + 1) >> 1, (pw + 1) >> 1]
  const [chroma, ownChroma] = [half * ((h + 1) >> 1), own * ((ph + 1) >> 1)]
  const rows: Rect = {
    x: Math.max(0, -left),
    y: Math.max(0, -top),
    width: Math.min(pw, w - left),
    height: Math.min(ph, h - top),
  }
  const seenAt = (x: number, y: number) => (mask ? mask[y * pw + x] / 255 : 1) * part
  for (let y = rows.y; y < rows.height; y++)
    for (let x = rows.x; x < rows.width; x++) {
      const at = (y + top) * w + x + left
      to[at] = to[at] + (from[y * pw + x] - to[at]) * seenAt(x, y) + 0.5
    }
  for (let y = rows.y; y < rows.height; y += 2)
    for (let x = rows.x; x <= rows.width && x + left < w; x += 2) {
      let seen = 0
      for (let py = y; py < Math.min(rows.height, y + 2); py++)
        for (let px = Math.max(rows.x, x - 1); px < Math.min(rows.width, x + 2); px++) seen += seenAt(px, py) * (px === x ? 2 : 1)
      if (seen === 0) continue
      const [cx, cy] = [(x + left) >> 1, (y + top) >> 1]
      const share = seen / aroundColour(cx, cy, w, h)
      const c = cy * half + cx
      const o = (y >> 1) * own + Math.min(x >> 1, own - 1)
      for (const [a, b] of [
        [w * h + c, pw * ph + o],
        [w * h + chroma + c, pw * ph + ownChroma + o],
      ])
        to[a] = to[a] + (from[b] - to[a]) * share + 0.5
    }
}
