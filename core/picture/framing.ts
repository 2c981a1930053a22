/** How a picture of another shape sits in the frame: whole with bars, or filling it with its edges cut. */
export const FRAMINGS = ['fit', 'fill'] as const
export type Framing = (typeof FRAMINGS)[number]

export interface Rect {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

/**
 * Where a picture lands in a frame; centred. For "fill" the rectangle is larger than the frame.
 * @param width,height size of the picture as displayed (pixel shape applied), positive
 * @throws TypeError for sizes that are not positive
 */
export function framedRect(width: number, height: number, frameWidth: number, frameHeight: number, framing: Framing): Rect {
  if (!(width > 0 && height > 0 && frameWidth > 0 && frameHeight > 0))
    throw new TypeError(`sizes must be positive, got ${width}×${height} in ${frameWidth}×${frameHeight}`)
  const scale = (framing === 'fit' ? Math.min : Math.max)(frameWidth / width, frameHeight / height)
  const w = width * scale
  const h = height * scale
  return { x: (frameWidth - w) / 2, y: (frameHeight - h) / 2, width: w, height: h }
}
