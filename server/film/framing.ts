import type { Framing } from '@pendolo/core/picture'
import { COLOURS } from '../media/pictures.ts'

export interface PictureSize {
  readonly width: number
  readonly height: number
}

/** Filters that bring pictures of any shape into the film's frame and colours: none for those that have both. @param plain see {@link PictureSource} */
export function framed(size: PictureSize, framing: Framing, plain: PictureSize | null): string {
  if (plain?.width === size.width && plain.height === size.height) return 'format=yuv420p'
  const square = `scale=w='trunc(iw*sar/2)*2':h='trunc(ih/2)*2',setsar=1`
  const shape = framing === 'fill' ? 'increase' : 'decrease:force_divisible_by=2'
  const rest = framing === 'fill' ? `crop=${size.width}:${size.height}` : `pad=${size.width}:${size.height}:(ow-iw)/2:(oh-ih)/2`
  return `${square},scale=${size.width}:${size.height}:force_original_aspect_ratio=${shape}:flags=bicubic:${COLOURS},${rest},format=yuv420p`
}
