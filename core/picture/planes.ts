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

/** What brightness and colour differences are multiplied with on their way to red, green and blue; behind the point lie `bits` bits. */
export function colourNumbers(colour: PlaneColour) {
  const { rv, gu, gv, bu } = MATRICES[colour.matrix]
  const scale = ONE * (colour.full ? 1 : 255 / 219)
  const chroma = ONE * (colour.full ? 1 : 255 / 224)
  const [ky, krv, kgu, kgv, kbu] = [scale, rv * chroma, gu * chroma, gv * chroma, bu * chroma].map(Math.round)
  return { ky, krv, kgu, kgv, kbu, black: colour.full ? 0 : 16, bits: BITS }
}

const clamped = (x: number) => Math.max(0, Math.min(255, x))

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
  const { ky, krv, kgu, kgv, kbu, black } = colourNumbers(colour)
  const columns = neighbours(part.x, part.width, w, width)
  const rows = neighbours(part.y, part.height, h, height)
  if (2 * width >= part.width) {
    const [half0, half1] = [neighbours(part.x / 2, part.width / 2, half, width, SITED), neighbours(part.y / 2, part.height / 2, (h + 1) >> 1, height)]
    finely(planes, colourNumbers(colour), { columns, rows, colourColumns: half0, colourRows: half1 }, out, width, height)
    return
  }
  let at = 0
  for (let y = 0; y < height; y++) {
    const top = rows.first[y]
    const below = rows.share[y]
    const a = top * w
    const b = Math.min(h - 1, top + 1) * w
    const c = (top >> 1) * half
    for (let x = 0; x < width; x++) {
      const left = columns.first[x]
      const next = left + 1 < w ? left + 1 : left
      const share = columns.share[x]
      const upper = data[a + left] * (256 - share) + data[a + next] * share
      const lower = data[b + left] * (256 - share) + data[b + next] * share
      const luma = (((upper * (256 - below) + lower * below) / 65536 - black) * ky + ONE / 2) | 0
      const cb = data[u + c + (left >> 1)] - 128
      const cr = data[v + c + (left >> 1)] - 128
      const red = clamped((luma + krv * cr) >> BITS)
      const green = clamped((luma - kgu * cb - kgv * cr) >> BITS)
      const blue = clamped((luma + kbu * cb) >> BITS)
      out[at++] = (255 << 24) | (blue << 16) | (green << 8) | red
    }
  }
}

/** How far left of the middle of its two pixels colour lies, in its own samples (MPEG-2 siting, as films have it). */
const SITED = 0.25

interface Neighbours {
  readonly first: Int32Array
  readonly share: Int32Array
}

/** {@link planesToPixels}, with colour between its neighbours too. */
function finely(
  { data, width: w, height: h }: Planes,
  { ky, krv, kgu, kgv, kbu, black }: ReturnType<typeof colourNumbers>,
  { columns, rows, colourColumns, colourRows }: { columns: Neighbours; rows: Neighbours; colourColumns: Neighbours; colourRows: Neighbours },
  out: Uint32Array,
  width: number,
  height: number,
): void {
  const [half, tall] = [(w + 1) >> 1, (h + 1) >> 1]
  const [u, v] = [w * h, w * h + half * tall]
  // A row of colour is mixed once from the two that it lies between.
  const [cbs, crs] = [new Int32Array(half + 1), new Int32Array(half + 1)]
  let at = 0
  for (let y = 0; y < height; y++) {
    const [top, below] = [rows.first[y], rows.share[y]]
    const a = top * w
    const b = Math.min(h - 1, top + 1) * w
    const [upper, lower] = [colourRows.first[y] * half, Math.min(tall - 1, colourRows.first[y] + 1) * half]
    const down = colourRows.share[y]
    for (let x = 0; x < half; x++) {
      cbs[x] = data[u + upper + x] * (256 - down) + data[u + lower + x] * down
      crs[x] = data[v + upper + x] * (256 - down) + data[v + lower + x] * down
    }
    cbs[half] = cbs[half - 1]
    crs[half] = crs[half - 1]
    for (let x = 0; x < width; x++) {
      const left = columns.first[x]
      const next = left + 1 < w ? left + 1 : left
      const share = columns.share[x]
      const one = data[a + left] * (256 - share) + data[a + next] * share
      const other = data[b + left] * (256 - share) + data[b + next] * share
      const luma = (((one * (256 - below) + other * below) / 65536 - black) * ky + ONE / 2) | 0
      const c = colourColumns.first[x]
      const along = colourColumns.share[x]
      const cb = (cbs[c] * (256 - along) + cbs[c + 1] * along) / 65536 - 128
      const cr = (crs[c] * (256 - along) + crs[c + 1] * along) / 65536 - 128
      const red = clamped((luma + krv * cr) >> BITS)
      const green = clamped((luma - kgu * cb - kgv * cr) >> BITS)
      const blue = clamped((luma + kbu * cb) >> BITS)
      out[at++] = (255 << 24) | (blue << 16) | (green << 8) | red
    }
  }
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
