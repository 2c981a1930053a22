import type { Planes } from './planes.ts'

/** How far around each pixel is looked, in parts of the frame's height: so much for what is sharpened, so much for what is softened. */
const SHARP = 0.0012
const SOFT = 0.004
/** What a fully sharpened picture gains of its fine detail. */
const MOST_GAIN = 2

/**
 * What is added to the brightness of each pixel, so that the picture is sharper (its fine detail, which is what a blurred copy lacks, is there
 * up to three times) or softer (fine detail is taken away); an unsharp mask with a Gaussian, separable, edges repeated.
 * @param luma row by row, of any scale
 * @param sharpness −1 (soft) to 1 (sharp)
 */
export function detailOf(luma: Uint8Array | Float32Array, width: number, height: number, sharpness: number): Float32Array {
  const taps = gaussian((sharpness > 0 ? SHARP : SOFT) * height)
  const reach = taps.length - 1
  const rows = new Float32Array(width * height)
  // A row with its ends repeated, so that nothing is asked at each of its pixels; and what comes of it.
  const line = new Float32Array(width + 2 * reach)
  const sums = new Float32Array(width)
  for (let y = 0; y < height; y++) {
    const row = y * width
    line.set(luma.subarray(row, row + width), reach)
    line.fill(luma[row], 0, reach)
    line.fill(luma[row + width - 1], reach + width)
    weighed(sums, line, reach, line, reach, taps[0] / 2, true)
    for (let k = 1; k <= reach; k++) weighed(sums, line, reach - k, line, reach + k, taps[k], false)
    rows.set(sums, row)
  }
  const out = new Float32Array(width * height)
  const share = sharpness > 0 ? MOST_GAIN * sharpness : sharpness
  for (let y = 0; y < height; y++) {
    const row = y * width
    weighed(sums, rows, row, rows, row, taps[0] / 2, true)
    for (let k = 1; k <= reach; k++) weighed(sums, rows, Math.max(0, y - k) * width, rows, Math.min(height - 1, y + k) * width, taps[k], false)
    for (let x = 0; x < width; x++) out[row + x] = share * (luma[row + x] - sums[x])
  }
  return out
}

/** Adds two rows, each from a place on, to sums, or sets these to them. */
function weighed(sums: Float32Array, one: Float32Array, from: number, other: Float32Array, at: number, weight: number, anew: boolean): void {
  const { length } = sums
  if (anew) for (let x = 0; x < length; x++) sums[x] = weight * (one[from + x] + other[at + x])
  else for (let x = 0; x < length; x++) sums[x] += weight * (one[from + x] + other[at + x])
}

/** The middle of a Gaussian and one side of it, as far as three widths; with the other side they are one together. */
function gaussian(sigma: number): number[] {
  const side = Array.from({ length: Math.max(1, Math.ceil(3 * sigma)) + 1 }, (_, k) => Math.exp(-((k / sigma) ** 2) / 2))
  const sum = 2 * side.reduce((a, b) => a + b, 0) - side[0]
  return side.map((x) => x / sum)
}

/** Sharpens or softens a picture as planes (I420); colour stays as it is. @param to of its size; its data are written */
export function sharpenPlanes({ data, width, height }: Planes, sharpness: number, to: Uint8Array): void {
  const luma = width * height
  const detail = detailOf(data.subarray(0, luma), width, height, sharpness)
  for (let i = 0; i < luma; i++) to[i] = bounded(data[i] + detail[i])
  if (to !== data) to.set(data.subarray(luma), luma)
}

/** Shares of red, green and blue in brightness (ITU-R BT.709-6). */
const [KR, KG, KB] = [0.2126, 0.7152, 0.0722]

/** The same for pixels, red in the lowest byte, then green and blue; in place. */
export function sharpenPixels(pixels: Uint32Array, width: number, height: number, sharpness: number): void {
  const luma = new Float32Array(width * height)
  for (let i = 0; i < luma.length; i++) {
    const p = pixels[i]
    luma[i] = KR * (p & 255) + KG * ((p >> 8) & 255) + KB * ((p >> 16) & 255)
  }
  const detail = detailOf(luma, width, height, sharpness)
  for (let i = 0; i < luma.length; i++) {
    const p = pixels[i]
    const by = detail[i]
    pixels[i] = (p & 0xff000000) | (bounded(((p >> 16) & 255) + by) << 16) | (bounded(((p >> 8) & 255) + by) << 8) | bounded((p & 255) + by)
  }
}

const bounded = (x: number) => (x <= 0 ? 0 : x >= 255 ? 255 : (x + 0.5) | 0)
