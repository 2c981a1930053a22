import {
  type Affine,
  boundsThrough,
  type Cutout,
  type Framing,
  followed,
  framedRect,
  inverse,
  keptRect,
  placing,
  planesThrough,
  type Rect,
} from '@pendolo/core/picture'
import { escaped } from '../media/ffmpeg.ts'
import { COLOURS } from '../media/pictures.ts'

export interface PictureSize {
  readonly width: number
  readonly height: number
}

/** Colours are reckoned to the nearest, where they go through a table. */
const EXACT = 'bicubic+accurate_rnd+full_chroma_int'

/** How pictures of a stretch come into the film. */
export interface Seen {
  readonly framing: Framing
  /** File of the colour table of its look; null where it has none. */
  readonly table: string | null
  /** What is decoded for pictures that are moved, sized or turned; null where they are as they are fitted. */
  readonly work: Work | null
}

/** A part of an original at some size, which {@link planesThrough} brings into the frame. */
export interface Work {
  /** Size of all of the original, and what of that is decoded; even numbers. */
  readonly whole: PictureSize
  readonly part: Rect
}

/** An original is decoded at this many times the size that it is smallest seen in, at most: between pixels lies nothing that would be lost. */
const MOST_SHRUNK = 2
/** Steps of a move that are looked at for what it shows, and pixels around that. */
const STEPS = 64
const AROUND = 8

const even = (x: number) => 2 * Math.max(1, Math.round(x / 2))

/**
 * What is to be decoded of an original for a range in which it is framed.
 * @param own size of its pictures as displayed
 * @param cutouts from the range's first frame to its last
 */
export function workOf(own: PictureSize, size: PictureSize, framing: Framing, cutouts: readonly Cutout[]): Work | null {
  const fitted = framedRect(own.width, own.height, size.width, size.height, framing)
  const scales = cutouts.map((c) => c.scale)
  const scale = Math.min(Math.max(...scales), MOST_SHRUNK * Math.min(...scales), Math.max(own.width / fitted.width, Math.min(...scales)))
  const whole = { width: even(fitted.width * scale), height: even(fitted.height * scale) }
  let [left, top, right, bottom] = [whole.width, whole.height, 0, 0]
  for (let i = 0; i <= STEPS; i++) {
    const cutout = cutouts[Math.round((i / STEPS) * (cutouts.length - 1))]
    const kept = keptRect(whole.width, whole.height, cutout)
    const seen = boundsThrough({ x: 0, y: 0, ...size }, inverse(mapOf(whole, own, size, framing, cutout)))
    left = Math.min(left, Math.max(kept.x, seen.x))
    top = Math.min(top, Math.max(kept.y, seen.y))
    right = Math.max(right, Math.min(kept.x + kept.width, seen.x + seen.width))
    bottom = Math.max(bottom, Math.min(kept.y + kept.height, seen.y + seen.height))
  }
  // Where nothing of it comes into the frame there is something to decode all the same.
  const x = 2 * Math.floor(Math.max(0, Math.min(whole.width - 2, left - AROUND)) / 2)
  const y = 2 * Math.floor(Math.max(0, Math.min(whole.height - 2, top - AROUND)) / 2)
  const width = Math.max(2, 2 * Math.ceil((Math.min(whole.width, right + AROUND) - x) / 2))
  const height = Math.max(2, 2 * Math.ceil((Math.min(whole.height, bottom + AROUND) - y) / 2))
  return { whole, part: { x, y, width, height } }
}

/** From pixels of a whole original, at the size that it is decoded in, to those of the frame. */
function mapOf(whole: PictureSize, own: PictureSize, size: PictureSize, framing: Framing, cutout: Cutout): Affine {
  const shown: Affine = [own.width / whole.width, 0, 0, own.height / whole.height, 0, 0]
  return followed(shown, placing(own.width, own.height, size.width, size.height, framing, cutout))
}

/** Brings what was decoded of an original into a frame. */
export function placeWork(
  data: Uint8Array,
  { whole, part }: Work,
  own: PictureSize,
  size: PictureSize,
  framing: Framing,
  cutout: Cutout,
  frame: Uint8Array,
): void {
  const map = followed([1, 0, 0, 1, part.x, part.y], mapOf(whole, own, size, framing, cutout))
  const kept = keptRect(whole.width, whole.height, cutout)
  planesThrough({ data, width: part.width, height: part.height }, map, { ...kept, x: kept.x - part.x, y: kept.y - part.y }, { data: frame, ...size })
}

/**
 * Filters that bring pictures of any shape into the film's frame and colours: none for those that have both. A look is put on the
 * pictures alone, not on the bars beside them.
 * @param plain see {@link PictureSource}
 */
export function framed(size: PictureSize, { framing, table, work }: Seen, plain: PictureSize | null): string {
  const look = table === null ? '' : `,scale=flags=${EXACT},format=gbrp,lut3d=file=${escaped(table)}:interp=tetrahedral,scale=flags=${EXACT}:${COLOURS}`
  const square = `scale=w='trunc(iw*sar/2)*2':h='trunc(ih/2)*2',setsar=1`
  if (work) {
    const { whole, part } = work
    const sized = `scale=${whole.width}:${whole.height}:flags=bicubic:${COLOURS}`
    return `${square},${sized}${look},format=yuv420p,crop=${part.width}:${part.height}:${part.x}:${part.y}`
  }
  if (plain?.width === size.width && plain.height === size.height) return look ? `${look.slice(1)},format=yuv420p` : 'format=yuv420p'
  const shape = framing === 'fill' ? 'increase' : 'decrease:force_divisible_by=2'
  const rest = framing === 'fill' ? `crop=${size.width}:${size.height}` : `pad=${size.width}:${size.height}:(ow-iw)/2:(oh-ih)/2`
  const sized = `scale=${size.width}:${size.height}:force_original_aspect_ratio=${shape}:flags=bicubic:${COLOURS}`
  return `${square},${sized}${look},${look ? 'format=yuv420p,' : ''}${rest},format=yuv420p`
}

/** Bytes of a picture that comes out of {@link framed}. */
export const bytesOf = (size: PictureSize, { work }: Seen): number => {
  const { width, height } = work?.part ?? size
  return (width * height * 3) / 2
}
