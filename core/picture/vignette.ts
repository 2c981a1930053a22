import type { Planes } from './planes.ts'

/** A picture that darkens towards its edges. */
export interface Vignette {
  /** How dark it becomes, 0..1. */
  readonly amount: number
  /** Its middle in parts of the frame, from the left and from above, 0..1. */
  readonly x: number
  readonly y: number
  /** Where it begins, in parts of the way from the frame's middle to its corner, 0..1.5. */
  readonly size: number
  /** Over how far it sets in, in the same parts, 0.01..1.5. */
  readonly soft: number
}

export const VIGNETTE_BOUNDS: Readonly<Record<keyof Vignette, readonly [number, number]>> = {
  amount: [0, 1],
  x: [0, 1],
  y: [0, 1],
  size: [0, 1.5],
  soft: [0.01, 1.5],
}
export const USUAL_VIGNETTE: Vignette = { amount: 0.5, x: 0.5, y: 0.5, size: 0.45, soft: 0.7 }

/** How much of each pixel of a frame is left, 0..255, row by row; it sets in gently, as a cubic. */
export function vignetteMask(width: number, height: number, { amount, x, y, size, soft }: Vignette): Uint8Array {
  const out = new Uint8Array(width * height)
  const corner = Math.hypot(width, height) / 2
  for (let j = 0; j < height; j++) {
    const dy = (j + 0.5 - y * height) / corner
    for (let i = 0; i < width; i++) {
      const dx = (i + 0.5 - x * width) / corner
      const t = Math.max(0, Math.min(1, (Math.sqrt(dx * dx + dy * dy) - size) / soft))
      out[j * width + i] = Math.round(255 * (1 - amount * t * t * (3 - 2 * t)))
    }
  }
  return out
}

/** What is black and without colour (ITU-R BT.709-6, 8 bits). */
const BLACK = 16
const NO_COLOUR = 128

/**
 * Darkens a picture as planes (I420): red, green and blue are multiplied, which is brightness above black and both colour differences.
 * @param mask see {@link vignetteMask}, of its size
 * @param to of its size; its data are written
 */
export function darkenPlanes({ data, width, height }: Planes, mask: Uint8Array, to: Uint8Array): void {
  const luma = width * height
  for (let i = 0; i < luma; i++) to[i] = BLACK + Math.round(((data[i] - BLACK) * mask[i]) / 255)
  const [half, tall] = [(width + 1) >> 1, (height + 1) >> 1]
  let at = luma
  for (let plane = 0; plane < 2; plane++)
    for (let y = 0; y < tall; y++) {
      const row = 2 * y * width
      for (let x = 0; x < half; x++, at++) to[at] = NO_COLOUR + Math.round(((data[at] - NO_COLOUR) * mask[row + 2 * x]) / 255)
    }
}
