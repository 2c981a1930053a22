import type { Rect } from './framing.ts'

/** A decoded picture as its decoder gives it: brightness, then both colour differences at half size, row by row without gaps (I420). */
export interface Planes {
  /** `width` × `height` bytes, then twice ⌈`width` / 2⌉ × ⌈`height` / 2⌉. */
  readonly data: Uint8Array
  readonly width: number
  readonly height: number
}

/** What the numbers of a picture mean. */
export interface PlaneColour {
  readonly matrix: 'bt709' | 'bt601'
  /** Whether brightness runs from 0 to 255, not from 16 to 235. */
  readonly full: boolean
}

/** Share of the colour differences in red, in green and in blue (ITU-R BT.709-6 and BT.601-7, 3: Kr 0.2126, Kb 0.0722; Kr 0.299, Kb 0.114). */
const MATRICES = {
  bt709: { rv: 1.5748, gu: 0.187324, gv: 0.468124, bu: 1.8556 },
  bt601: { rv: 1.402, gu: 0.344136, gv: 0.714136, bu: 1.772 },
} as const
/** Bits behind the point. */
const BITS = 12
const ONE = 1 << BITS

/** What brightness and colour differences are multiplied with on their way to red, green and blue, with 12 bits behind the point, and black. */
export function colourNumbers(colour: PlaneColour) {
  const { rv, gu, gv, bu } = MATRICES[colour.matrix]
  const scale = ONE * (colour.full ? 1 : 255 / 219)
  const chroma = ONE * (colour.full ? 1 : 255 / 224)
  const [ky, krv, kgu, kgv, kbu] = [scale, rv * chroma, gu * chroma, gv * chroma, bu * chroma].map(Math.round)
  return { ky, krv, kgu, kgv, kbu, black: colour.full ? 0 : 16 }
}

const clamped = (x: number) => Math.max(0, Math.min(255, x))

/**
 * A pixel from its brightness and colour differences, in whole numbers.
 * @param luma above black, and @param cb,cr around none, all with 8 bits behind the point
 * @param ky,krv,kgu,kgv,kbu see {@link colourNumbers}; each by itself, for looking into an object at each pixel would cost as much as all else
 */
export function pixelOf(luma: number, cb: number, cr: number, ky: number, krv: number, kgu: number, kgv: number, kbu: number): number {
  // Those of colour numbers and of samples. In here, where compilers see what they are; the same below.
  const bits = 20
  const y = Math.imul(luma, ky) + (1 << (bits - 1))
  let red = (y + Math.imul(krv, cr)) >> bits
  let green = (y - Math.imul(kgu, cb) - Math.imul(kgv, cr)) >> bits
  let blue = (y + Math.imul(kbu, cb)) >> bits
  if ((red | green | blue) & ~255) {
    red = clamped(red)
    green = clamped(green)
    blue = clamped(blue)
  }
  return (255 << 24) | (blue << 16) | (green << 8) | red
}

/**
 * Brings a part of a picture to another size and to red, green and blue, between neighbours in both directions; colour from the nearest
 * where pictures come out at less than half their size, where that is as fine as they are. For hosts whose own way is slow.
 * @param planes the picture
 * @param colour what its numbers mean
 * @param part of the picture in its pixels, inside of it
 * @param out one pixel a number, row by row: red in the lowest byte, then green, blue and 255; at least `width` × `height`
 * @param width of what comes out, pixels, ≥ 1
 * @param height of what comes out, pixels, ≥ 1
 * @throws TypeError when sizes and lengths do not fit
 */
export function planesToPixels(planes: Planes, colour: PlaneColour, part: Rect, out: Uint32Array, width: number, height: number): void {
  const { data, width: w, height: h } = planes
  const half = (w + 1) >> 1
  const u = w * h
  const v = u + half * ((h + 1) >> 1)
  if (data.length < v + (v - u) || out.length < width * height || !(width >= 1 && height >= 1))
    throw new TypeError(`${data.length} bytes of ${w}×${h} do not become ${width}×${height} in ${out.length} pixels`)
  const columns = neighbours(part.x, part.width, w, width)
  const rows = neighbours(part.y, part.height, h, height)
  if (2 * width >= part.width) {
    const [half0, half1] = [neighbours(part.x / 2, part.width / 2, half, width, SITED), neighbours(part.y / 2, part.height / 2, (h + 1) >> 1, height)]
    finely(planes, colour, { columns, rows, colourColumns: half0, colourRows: half1 }, out, width, height)
    return
  }
  const { first, share } = columns
  const { ky, krv, kgu, kgv, kbu, black } = colourNumbers(colour)
  let at = 0
  for (let y = 0; y < height; y++) {
    const top = rows.first[y]
    const below = rows.share[y]
    const a = top * w
    const b = Math.min(h - 1, top + 1) * w
    const c = (top >> 1) * half
    for (let x = 0; x < width; x++) {
      const left = first[x]
      const next = left + 1 < w ? left + 1 : left
      const upper = between(data[a + left], data[a + next], share[x])
      const lower = between(data[b + left], data[b + next], share[x])
      const luma = upper + (Math.imul(lower - upper, below) >> 8) - (black << 8)
      const cb = (data[u + c + (left >> 1)] - 128) << 8
      const cr = (data[v + c + (left >> 1)] - 128) << 8
      out[at++] = pixelOf(luma, cb, cr, ky, krv, kgu, kgv, kbu)
    }
  }
}

/** Between two samples, with 8 bits behind the point. @param share of the second one, 0..256 */
const between = (one: number, other: number, share: number): number => (one << 8) + Math.imul(other - one, share)

/** How far left of the middle of its two pixels colour lies, in its own samples (MPEG-2 siting, as films have it). */
const SITED = 0.25

interface Neighbours {
  readonly first: Int32Array
  readonly share: Int32Array
}

/** {@link planesToPixels}, with colour between its neighbours too. */
function finely(
  { data, width: w, height: h }: Planes,
  colour: PlaneColour,
  { columns, rows, colourColumns, colourRows }: { columns: Neighbours; rows: Neighbours; colourColumns: Neighbours; colourRows: Neighbours },
  out: Uint32Array,
  width: number,
  height: number,
): void {
  const [half, tall] = [(w + 1) >> 1, (h + 1) >> 1]
  const [u, v] = [w * h, w * h + half * tall]
  // A row is mixed once from the two that it lies between.
  const [line, cbs, crs] = [new Int32Array(w + 1), new Int32Array(half + 1), new Int32Array(half + 1)]
  const { first, share } = columns
  const { first: colourFirst, share: colourShare } = colourColumns
  const { ky, krv, kgu, kgv, kbu, black } = colourNumbers(colour)
  let at = 0
  for (let y = 0; y < height; y++) {
    mixed(data, rows.first[y] * w, Math.min(h - 1, rows.first[y] + 1) * w, rows.share[y], black, line)
    const [upper, lower] = [colourRows.first[y] * half, Math.min(tall - 1, colourRows.first[y] + 1) * half]
    mixed(data, u + upper, u + lower, colourRows.share[y], 128, cbs)
    mixed(data, v + upper, v + lower, colourRows.share[y], 128, crs)
    for (let x = 0; x < width; x++) {
      const left = first[x]
      const one = line[left]
      const luma = one + (Math.imul(line[left + 1] - one, share[x]) >> 8)
      const c = colourFirst[x]
      const along = colourShare[x]
      const cb = cbs[c] + (Math.imul(cbs[c + 1] - cbs[c], along) >> 8)
      const cr = crs[c] + (Math.imul(crs[c + 1] - crs[c], along) >> 8)
      out[at++] = pixelOf(luma, cb, cr, ky, krv, kgu, kgv, kbu)
    }
  }
}

/** Mixes two rows of a plane, with 8 bits behind the point. @param none is taken off @param into one more than the row has; the last one stays */
function mixed(data: Uint8Array, upper: number, lower: number, share: number, none: number, into: Int32Array): void {
  const count = into.length - 1
  for (let x = 0; x < count; x++) into[x] = between(data[upper + x], data[lower + x], share) - (none << 8)
  into[count] = into[count - 1]
}

/** For each pixel that comes out: the one before it in the picture, and the share of the next one, 0..256. */
function neighbours(from: number, length: number, of: number, count: number, shift = 0): { first: Int32Array; share: Int32Array } {
  const [first, share] = [new Int32Array(count), new Int32Array(count)]
  for (let i = 0; i < count; i++) {
    // What lies beside the part does not shine into it.
    const place = Math.max(0, from, Math.min(of - 1, from + length - 1, from + ((i + 0.5) * length) / count - 0.5 + shift))
    first[i] = Math.floor(place)
    share[i] = Math.round((place - first[i]) * 256)
  }
  return { first, share }
}
