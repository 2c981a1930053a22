import { type Affine, inverse } from './cutout.ts'
import type { Rect } from './framing.ts'
import { type ColourTable, throughTable } from './look.ts'
import { colourNumbers, type PlaneColour, type Planes, pixelOf } from './planes.ts'

/** Bits behind the point of places in a picture, and of shares between two of its samples. */
const PLACE_BITS = 16
const PLACE = 1 << PLACE_BITS

/** What lies beside a picture: the film's black (ITU-R BT.709-6, 8 bits), and that of a screen. */
const BLACK = 16
const NO_COLOUR = 128
const DARK = 0xff000000 | 0

/** Numbers i, from 0 to below `count`, for which `start` + i·`step` lies in [from, to). */
function inside(start: number, step: number, from: number, to: number, count: number): [number, number] {
  if (step === 0) return start >= from && start < to ? [0, count] : [0, 0]
  const [one, other] = [(from - start) / step, (to - start) / step]
  const [first, end] = step > 0 ? [Math.ceil(one), Math.ceil(other)] : [Math.floor(other) + 1, Math.floor(one) + 1]
  return [Math.max(0, Math.min(count, first)), Math.max(0, Math.min(count, end))]
}

/** A row of what comes out: where it begins in the picture, and which of its pixels lie within what is kept. */
function rowOf([a, b, c, d, e, f]: Affine, x: number, y: number, step: number, kept: Rect, count: number) {
  const [u, v] = [a * x + c * y + e, b * x + d * y + f]
  const [left, right] = inside(u, a * step, kept.x, kept.x + kept.width, count)
  const [top, bottom] = inside(v, b * step, kept.y, kept.y + kept.height, count)
  const first = Math.max(left, top)
  return { u, v, du: a * step, dv: b * step, first, end: Math.max(first, Math.min(right, bottom)) }
}

/**
 * Brings a picture through a map onto a frame of red, green and blue, between neighbours in both directions, brightness and colour (MPEG-2
 * siting). What lies beside it is black.
 * @param map from pixels of the picture to pixels of the frame
 * @param kept of the picture, in its pixels
 * @param out as {@link planesToPixels} writes it, `width` × `height`
 * @param table that the picture's colours are brought through; what is beside it stays black
 */
export function pixelsThrough(
  planes: Planes,
  colour: PlaneColour,
  map: Affine,
  kept: Rect,
  out: Uint32Array,
  width: number,
  height: number,
  table: ColourTable | null = null,
): void {
  const { data, width: w, height: h } = planes
  const [half, tall] = [(w + 1) >> 1, (h + 1) >> 1]
  const [uPlane, vPlane] = [w * h, w * h + half * tall]
  const { ky, krv, kgu, kgv, kbu, black } = colourNumbers(colour)
  const none = NO_COLOUR << 8
  const back = inverse(map)
  for (let y = 0; y < height; y++) {
    const row = rowOf(back, 0.5, y + 0.5, 1, kept, width)
    const line = y * width
    out.fill(DARK, line, line + row.first)
    let u = Math.round((row.u + row.first * row.du - 0.5) * PLACE)
    let v = Math.round((row.v + row.first * row.dv - 0.5) * PLACE)
    const [du, dv] = [Math.round(row.du * PLACE), Math.round(row.dv * PLACE)]
    for (let x = row.first; x < row.end; x++) {
      const left = u < 0 ? 0 : u >> PLACE_BITS
      const top = v < 0 ? 0 : v >> PLACE_BITS
      const share = u < 0 ? 0 : (u >> 8) & 255
      const below = v < 0 ? 0 : (v >> 8) & 255
      const next = left + 1 < w ? 1 : 0
      const at = Math.min(top, h - 1) * w + Math.min(left, w - 1)
      const under = top + 1 < h ? at + w : at
      const luma = between(data, at, next, under - at, share, below) - (black << 8)
      // In samples of colour: in the middle of the height of two rows, at the left one of two columns.
      const cu = u < 0 ? 0 : u >> 1
      const cv = v >> 1 < PLACE / 4 ? 0 : (v >> 1) - PLACE / 4
      const i = Math.min(cu >> PLACE_BITS, half - 1)
      const j = Math.min(cv >> PLACE_BITS, tall - 1)
      const along = (cu >> 8) & 255
      const down = (cv >> 8) & 255
      const c = j * half + i
      const right = i + 1 < half ? 1 : 0
      const low = j + 1 < tall ? half : 0
      const cb = between(data, uPlane + c, right, low, along, down) - none
      const cr = between(data, vPlane + c, right, low, along, down) - none
      out[line + x] = pixelOf(luma, cb, cr, ky, krv, kgu, kgv, kbu)
      u += du
      v += dv
    }
    if (table) throughTable(table, out.subarray(line + row.first, line + row.end))
    out.fill(DARK, line + row.end, line + width)
  }
}

/** Between four samples of a plane, with 8 bits behind the point. @param along,down shares of those further right and further down, 0..256 */
function between(data: Uint8Array, at: number, right: number, low: number, along: number, down: number): number {
  const one = data[at]
  const upper = (one << 8) + Math.imul(data[at + right] - one, along)
  const other = data[at + low]
  const lower = (other << 8) + Math.imul(data[at + low + right] - other, along)
  return upper + (Math.imul(lower - upper, down) >> 8)
}

/** One plane of a picture through a map onto a plane of the frame. */
function planeThrough(
  from: Uint8Array,
  w: number,
  h: number,
  to: Uint8Array,
  width: number,
  height: number,
  back: Affine,
  kept: Rect,
  beside: number,
  origin: number,
): void {
  const [a, b, c, d] = back
  const upright = b === 0 && c === 0
  // Rows that move by whole samples are copied as they are.
  const copies = upright && a === 1 && d === 1 && Number.isInteger(back[4]) && Number.isInteger(back[5])
  const columns = upright && !copies ? columnsOf(a, a * origin + back[4] - origin, w, width) : null
  const limit = h - 1
  for (let y = 0; y < height; y++) {
    const row = rowOf(back, origin, y + 0.5, 1, kept, width)
    const { first, end } = row
    const line = y * width
    to.fill(beside, line, line + first)
    if (copies) {
      const at = Math.floor(row.v) * w + Math.floor(row.u) + first
      if (end > first) to.set(from.subarray(at, at + end - first), line + first)
    } else if (columns) {
      const v = Math.max(0, Math.round((row.v - 0.5) * PLACE))
      const top = Math.min(v >> PLACE_BITS, limit) * w
      const under = top < limit * w ? top + w : top
      const below = (v >> 8) & 255
      const { left, next, share } = columns
      for (let x = first; x < end; x++) {
        const i = left[x]
        const j = next[x]
        const s = share[x]
        const upper = (from[top + i] << 8) + (from[top + j] - from[top + i]) * s
        const lower = (from[under + i] << 8) + (from[under + j] - from[under + i]) * s
        to[line + x] = ((upper << 8) + (lower - upper) * below + 32768) >> 16
      }
    } else {
      let u = Math.round((row.u + first * row.du - origin) * PLACE)
      let v = Math.round((row.v + first * row.dv - 0.5) * PLACE)
      const [du, dv] = [Math.round(row.du * PLACE), Math.round(row.dv * PLACE)]
      for (let x = first; x < end; x++) {
        const left = u < 0 ? 0 : u >> PLACE_BITS
        const top = v < 0 ? 0 : v >> PLACE_BITS
        const share = u < 0 ? 0 : (u >> 8) & 255
        const below = v < 0 ? 0 : (v >> 8) & 255
        const at = Math.min(top, limit) * w + Math.min(left, w - 1)
        const next = left + 1 < w ? 1 : 0
        const under = top < limit ? at + w : at
        const upper = from[at] * (256 - share) + from[at + next] * share
        const lower = from[under] * (256 - share) + from[under + next] * share
        to[line + x] = (upper * (256 - below) + lower * below + 32768) >> 16
        u += du
        v += dv
      }
    }
    to.fill(beside, line + end, line + width)
  }
}

/** For each sample of a row that is not turned: the sample before it in the picture, the one behind, and the share of that, 0..255. */
function columnsOf(step: number, start: number, w: number, count: number): { left: Int32Array; next: Int32Array; share: Int32Array } {
  const [left, next, share] = [new Int32Array(count), new Int32Array(count), new Int32Array(count)]
  for (let x = 0; x < count; x++) {
    const u = Math.max(0, Math.round((start + x * step) * PLACE))
    left[x] = Math.min(u >> PLACE_BITS, w - 1)
    next[x] = Math.min(left[x] + 1, w - 1)
    share[x] = (u >> 8) & 255
  }
  return { left, next, share }
}

/**
 * Brings a picture through a map onto a frame, both as planes (I420, colour beside every second sample of brightness as in ITU-R
 * BT.709-6 4:2:0, MPEG-2 siting); between samples in both directions. What lies beside it is black.
 * @param map from pixels of the picture to pixels of the frame
 * @param kept of the picture, in its pixels
 * @param to of the frame's size; its data are written
 * @throws TypeError when lengths do not fit sizes
 */
export function planesThrough(from: Planes, map: Affine, kept: Rect, to: Planes): void {
  const parts = [from, to].map(({ data, width, height }) => {
    const [halfWidth, halfHeight] = [(width + 1) >> 1, (height + 1) >> 1]
    const [luma, chroma] = [width * height, halfWidth * halfHeight]
    if (data.length < luma + 2 * chroma) throw new TypeError(`${data.length} bytes are no picture of ${width}×${height}`)
    const planes = [data.subarray(0, luma), data.subarray(luma, luma + chroma), data.subarray(luma + chroma, luma + 2 * chroma)]
    return { planes, width, height, halfWidth, halfHeight }
  })
  const [source, target] = parts
  const back = inverse(map)
  planeThrough(source.planes[0], source.width, source.height, target.planes[0], target.width, target.height, back, kept, BLACK, 0.5)
  // In halves a sample of colour lies a quarter from the left of its pixel and in the middle of its height, in both.
  const [a, b, c, d, e, f] = back
  const halved: Affine = [a, b, c, d, e / 2, f / 2]
  const rest: Rect = { x: kept.x / 2, y: kept.y / 2, width: kept.width / 2, height: kept.height / 2 }
  for (const plane of [1, 2])
    planeThrough(
      source.planes[plane],
      source.halfWidth,
      source.halfHeight,
      target.planes[plane],
      target.halfWidth,
      target.halfHeight,
      halved,
      rest,
      NO_COLOUR,
      0.25,
    )
}
