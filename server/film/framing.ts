import type { Framing } from '@pendolo/core/picture'
import { COLOURS } from '../media/pictures.ts'

export interface PictureSize {
  readonly width: number
  readonly height: number
}

/** Colours are reckoned to the nearest, where they go through a table. */
const EXACT = 'bicubic+accurate_rnd+full_chroma_int'

/** How an angle's pictures come into the film. */
export interface Seen {
  readonly framing: Framing
  /** File of the colour table of its look; null where it has none. */
  readonly table: string | null
}

/**
 * Filters that bring pictures of any shape into the film's frame and colours: none for those that have both. A look is put on the
 * pictures alone, not on the bars beside them.
 * @param plain see {@link PictureSource}
 */
export function framed(size: PictureSize, { framing, table }: Seen, plain: PictureSize | null): string {
  const look = table === null ? '' : `,scale=flags=${EXACT},format=gbrp,lut3d=file=${escaped(table)}:interp=tetrahedral,scale=flags=${EXACT}:${COLOURS}`
  if (plain?.width === size.width && plain.height === size.height) return look ? `${look.slice(1)},format=yuv420p` : 'format=yuv420p'
  const square = `scale=w='trunc(iw*sar/2)*2':h='trunc(ih/2)*2',setsar=1`
  const shape = framing === 'fill' ? 'increase' : 'decrease:force_divisible_by=2'
  const rest = framing === 'fill' ? `crop=${size.width}:${size.height}` : `pad=${size.width}:${size.height}:(ow-iw)/2:(oh-ih)/2`
  const sized = `scale=${size.width}:${size.height}:force_original_aspect_ratio=${shape}:flags=bicubic:${COLOURS}`
  return `${square},${sized}${look},${look ? 'format=yuv420p,' : ''}${rest},format=yuv420p`
}

/** A path as an option within a graph of filters: marks of both are taken literally. */
function escaped(file: string): string {
  const once = file.replace(/[\\':]/g, '\\$&')
  return once.replace(/[\\'[\],;]/g, '\\$&')
}
