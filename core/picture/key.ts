import type { Planes } from './planes.ts'

/** A colour that is taken for nothing, so that another picture is seen there. */
export interface ColourKey {
  /** Of the cloth, written #rrggbb. */
  readonly colour: string
  /** How much weaker than that colour may be and still be cloth, 0..1: more, where it is lit unevenly. */
  readonly tolerance: number
  /** How gently it goes over to what stays, 0..1. */
  readonly softness: number
  /** How much of its tint is taken from what stays, 0..1. */
  readonly spill: number
  /** Brightness of the picture before, stops, −3 to 3. */
  readonly exposure?: number
}

export const KEY_BOUNDS: Readonly<Record<Exclude<keyof ColourKey, 'colour'>, readonly [number, number]>> = {
  tolerance: [0, 1],
  softness: [0.01, 1],
  spill: [0, 1],
  exposure: [-3, 3],
}
export const USUAL_KEY: ColourKey = { colour: '#1f9a3f', tolerance: 0.65, softness: 0.6, spill: 1 }

/** How far beside the cloth's hue a colour is still seen as partly cloth, and as tinted by it: as much across as along times these, and not at all. */
const ACROSS = 1
const TINT_ACROSS = 0.4
/** What is nearly gone loses what is left of the cloth's pattern. */
const FAINT = 4
/** From so much of the cloth on its brightness is taken away with it. */
const MIXED = 3
/** Exponent between light and numbers (ITU-R BT.1886). */
const GAMMA = 2.4

/** Numbers of a key: the cloth's brightness and its colour differences, 0..255 and ±128, in full range (ITU-R BT.709-6). */
interface Numbers {
  readonly luma: number
  readonly cb: number
  readonly cr: number
  /** Along the cloth's hue, in parts of its colour. */
  readonly alongB: number
  readonly alongR: number
  readonly most: number
  readonly least: number
  readonly spill: number
}

function numbersOf({ colour, tolerance, softness, spill }: ColourKey): Numbers {
  const [r, g, b] = [1, 3, 5].map((i) => Number.parseInt(colour.slice(i, i + 2), 16))
  const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
  const [cb, cr] = [(b - luma) / 1.8556, (r - luma) / 1.5748]
  const power = Math.max(1, cb * cb + cr * cr)
  const most = Math.max(0.02, 1 - tolerance)
  return { luma, cb, cr, alongB: cb / power, alongR: cr / power, most, least: most * (1 - softness), spill }
}

/** How much of the cloth a colour is, 1 for its colour and 0 for grey or another hue; below 0 is none. @param beside how far beside its hue that reaches */
function clothIn({ alongB, alongR }: Numbers, cb: number, cr: number, beside: number): number {
  const along = cb * alongB + cr * alongR
  const across = Math.abs(cb * alongR - cr * alongB)
  return along - beside * across
}

/** How much is seen of what has so much of the cloth in it. */
const seenOf = ({ most, least }: Numbers, cloth: number): number => Math.max(0, Math.min(1, (most - cloth) / (most - least)))

/** How much of the cloth's colour is taken from a pixel: what is mixed with it, or only tinted. */
function tintOf(numbers: Numbers, cb: number, cr: number, cloth: number, seen: number): number {
  const tint = numbers.spill * Math.max(0, clothIn(numbers, cb, cr, TINT_ACROSS))
  return seen < 1 ? Math.max(cloth, tint) : tint
}

/** How numbers of a picture become brighter. */
function brightened(exposure: number): Uint8Array | null {
  if (exposure === 0) return null
  return Uint8Array.from({ length: 256 }, (_, x) => Math.min(255, Math.round(x * 2 ** (exposure / GAMMA))))
}

/**
 * Lays another picture behind one from which a colour is taken, both as red, green and blue (P. Vlahos' colour difference: what the cloth
 * gave to a pixel is taken from it, and as much of the other picture given back).
 * @param pixels red in the lowest byte, then green and blue; in place
 * @param behind of the same size
 */
export function keyPixels(key: ColourKey, pixels: Uint32Array, behind: Uint32Array): void {
  const numbers = numbersOf(key)
  const bright = brightened(key.exposure ?? 0)
  for (let i = 0; i < pixels.length; i++) {
    const pixel = pixels[i]
    let [r, g, b] = [pixel & 255, (pixel >> 8) & 255, (pixel >> 16) & 255]
    if (bright) [r, g, b] = [bright[r], bright[g], bright[b]]
    let luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
    let [cb, cr] = [(b - luma) / 1.8556, (r - luma) / 1.5748]
    const cloth = clothIn(numbers, cb, cr, ACROSS)
    const seen = seenOf(numbers, cloth)
    const tint = tintOf(numbers, cb, cr, cloth, seen)
    luma -= Math.max(0, cloth) * numbers.luma * Math.min(1, MIXED * (1 - seen))
    cb -= tint * numbers.cb
    cr -= tint * numbers.cr
    const stays = Math.min(1, FAINT * seen)
    const other = behind[i]
    const goes = 1 - seen
    const red = stays * (luma + 1.5748 * cr) + goes * (other & 255)
    const green = stays * (luma - 0.187324 * cb - 0.468124 * cr) + goes * ((other >> 8) & 255)
    const blue = stays * (luma + 1.8556 * cb) + goes * ((other >> 16) & 255)
    pixels[i] = 0xff000000 | (within(blue) << 16) | (within(green) << 8) | within(red)
  }
}

const within = (x: number) => Math.max(0, Math.min(255, Math.round(x)))

/** Full and studio range: brightness 16 to 235, colour differences 16 to 240 around 128 (ITU-R BT.709-6, 8 bits). */
const [BLACK, NO_COLOUR, LUMA_SCALE, COLOUR_SCALE] = [16, 128, 219 / 255, 224 / 255]

/**
 * The same for pictures as planes (I420) in the film's colours; how much is seen of a pixel is told by the colour that lies between the
 * samples around it (MPEG-2 siting).
 * @param picture is written
 * @param behind of the same size
 */
export function keyPlanes(key: ColourKey, { data, width, height }: Planes, behind: Uint8Array): void {
  const numbers = numbersOf(key)
  const gain = 2 ** ((key.exposure ?? 0) / GAMMA)
  const [half, tall] = [(width + 1) >> 1, (height + 1) >> 1]
  const [u, v] = [width * height, width * height + half * tall]
  const colours = Float32Array.from(data.subarray(u, v + half * tall), (x) => ((x - NO_COLOUR) / COLOUR_SCALE) * gain)
  const [cbs, crs] = [colours.subarray(0, half * tall), colours.subarray(half * tall)]
  const lumas = new Float32Array(256)
  for (let x = 0; x < 256; x++) lumas[x] = (x - BLACK) * gain
  // Colour differences of a row of pixels, and of that one after the other: those beside samples, and those between.
  const [rowB, rowR] = [new Float32Array(half + 1), new Float32Array(half + 1)]
  for (let y = 0; y < height; y++) {
    const near = (y >> 1) * half
    const far = Math.max(0, Math.min(tall - 1, (y >> 1) + (y & 1 ? 1 : -1))) * half
    for (let x = 0; x < half; x++) {
      rowB[x] = 0.75 * cbs[near + x] + 0.25 * cbs[far + x]
      rowR[x] = 0.75 * crs[near + x] + 0.25 * crs[far + x]
    }
    rowB[half] = rowB[half - 1]
    rowR[half] = rowR[half - 1]
    for (let x = 0, at = y * width; x < width; x++, at++) {
      const c = x >> 1
      const cb = x & 1 ? (rowB[c] + rowB[c + 1]) / 2 : rowB[c]
      const cr = x & 1 ? (rowR[c] + rowR[c + 1]) / 2 : rowR[c]
      const cloth = clothIn(numbers, cb, cr, ACROSS)
      const goes = 1 - seenOf(numbers, cloth)
      const stays = Math.min(1, FAINT * (1 - goes))
      const taken = cloth > 0 ? cloth * numbers.luma * Math.min(1, MIXED * goes) * LUMA_SCALE : 0
      const luma = Math.max(0, lumas[data[at]] - taken)
      data[at] = Math.min(235, BLACK + stays * luma + goes * (behind[at] - BLACK) + 0.5)
    }
  }
  for (let c = 0; c < half * tall; c++) {
    const cloth = clothIn(numbers, cbs[c], crs[c], ACROSS)
    const seen = seenOf(numbers, cloth)
    const stays = Math.min(1, FAINT * seen) * COLOUR_SCALE
    const tint = tintOf(numbers, cbs[c], crs[c], cloth, seen)
    data[u + c] = NO_COLOUR + stays * (cbs[c] - tint * numbers.cb) + (1 - seen) * (behind[u + c] - NO_COLOUR) + 0.5
    data[v + c] = NO_COLOUR + stays * (crs[c] - tint * numbers.cr) + (1 - seen) * (behind[v + c] - NO_COLOUR) + 0.5
  }
}
