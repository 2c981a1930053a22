import { type Curves, curveThrough, isStraight } from './curve.ts'
import type { Vignette } from './vignette.ts'

/** A table of colours that was read from a file and lies beside the project. */
export interface InputTable {
  /** Names its content. */
  readonly id: string
  readonly name: string
}

/** How pictures are corrected, in numbers; what is absent is left as it is. */
export interface Look {
  /** What pictures of a film stock or a logarithmic curve are brought through before all else. */
  readonly input?: InputTable
  /** Stops, −5 to 5. */
  readonly exposure?: number
  /** −1 (cooler) to 1 (warmer). */
  readonly warmth?: number
  /** −1 (greener) to 1 (more magenta). */
  readonly tint?: number
  /** Brightness between black and white, which stay, −1 (darker) to 1 (brighter). */
  readonly mids?: number
  /** Around middle grey, 0 to 3; 1 is none. */
  readonly contrast?: number
  /** 0 (grey) to 3; 1 is none. */
  readonly saturation?: number
  /** Fine detail, −1 (soft) to 1 (sharp). */
  readonly sharpness?: number
  /** What becomes of numbers at last. */
  readonly curves?: Curves
  /** Over the frame, however the picture is framed in it. */
  readonly vignette?: Vignette
}
/** What of a look is one number. */
export type LookNumber = Exclude<keyof Look, 'input' | 'curves' | 'vignette'>

/** Least and greatest of each number of a look. */
export const LOOK_BOUNDS: Readonly<Record<LookNumber, readonly [number, number]>> = {
  exposure: [-5, 5],
  warmth: [-2, 2],
  tint: [-2, 2],
  mids: [-1, 1],
  contrast: [0, 3],
  saturation: [0, 3],
  sharpness: [-1, 1],
}

/** Steps of a table of colours along red, green and blue, ends counted: so that whole numbers of 0 to 255 lie on it or between two. */
export const TABLE_SIZE = 33

/** What colours become: red, green and blue, 0..1, for each step of each; red changes fastest. {@link TABLE_SIZE}³ × 3 numbers. */
export type ColourTable = Float32Array

/** Exponent between light and numbers (ITU-R BT.1886). */
const GAMMA = 2.4
/** Middle grey, as a number. */
const GREY = 0.18 ** (1 / GAMMA)
/** Shares of red, green and blue in brightness (ITU-R BT.709-6). */
const [KR, KG, KB] = [0.2126, 0.7152, 0.0722]
/** Stops between red and blue, and of green, at the ends of their scales. */
const MOST_WARMTH = 1
const MOST_TINT = 0.5

const within = (x: number) => Math.max(0, Math.min(1, x))

/** Whether a look leaves colours as they are. */
export const keepsColours = ({ input, exposure = 0, warmth = 0, tint = 0, mids = 0, contrast = 1, saturation = 1, curves = {} }: Look): boolean =>
  !input && Object.values(curves).every(isStraight) && exposure === 0 && warmth === 0 && tint === 0 && mids === 0 && contrast === 1 && saturation === 1

/** Whether a look changes nothing. */
export const isPlain = (look: Look): boolean => keepsColours(look) && !look.vignette && !look.sharpness

/** A colour in red, green and blue: as numbers of a picture or as light, 0..1. */
export type Colour = readonly [number, number, number]

/** Light from numbers of a picture. */
export const lightOf = (colour: Colour): Colour => [within(colour[0]) ** GAMMA, within(colour[1]) ** GAMMA, within(colour[2]) ** GAMMA]

/** The steps of a look: light of red, green and blue by itself to numbers, these to more or less colour, and what becomes of each at last. */
function stepsOf({ exposure = 0, warmth = 0, tint = 0, mids = 0, contrast = 1, saturation = 1, curves = {} }: Look) {
  const balance = [2 ** ((MOST_WARMTH / 2) * warmth), 2 ** (-MOST_TINT * tint), 2 ** (-(MOST_WARMTH / 2) * warmth)]
  const same = 2 ** exposure / (KR * balance[0] + KG * balance[1] + KB * balance[2])
  const power = 2 ** -mids / GAMMA
  const numbers = balance.map(
    (share) =>
      (light: number): number =>
        within(GREY + ((light * share * same) ** power - GREY) * contrast),
  )
  const { all, ...own } = curves
  const last = [own.red, own.green, own.blue].map((each) => {
    const [first, second] = [all, each].map((c) => (c === undefined || isStraight(c) ? null : curveThrough(c)))
    return (x: number): number => within(second ? second(first ? first(x) : x) : first ? first(x) : x)
  })
  return { numbers, coloured: (x: number, bright: number): number => within(bright + saturation * (x - bright)), last }
}
const brightness = (r: number, g: number, b: number): number => KR * r + KG * g + KB * b

/**
 * What a look makes of light: exposure and balance act on it, grey keeps its brightness under a balance; mids bend what lies between
 * black and white; contrast turns around middle grey, saturation around the brightness of each colour; curves come last.
 * @returns from light to numbers of a picture, 0..1
 */
export function looking(look: Look): (light: Colour) => Colour {
  const { numbers, coloured, last } = stepsOf(look)
  return (light) => {
    const [r, g, b] = [numbers[0](light[0]), numbers[1](light[1]), numbers[2](light[2])]
    const bright = brightness(r, g, b)
    return [last[0](coloured(r, bright)), last[1](coloured(g, bright)), last[2](coloured(b, bright))]
  }
}

/**
 * The balance by which a colour becomes grey, as far as the scales go.
 * @param colour numbers of a picture before it is corrected, 0..1
 * @returns none where it is too dark for its balance to be told
 */
export function greyBalance(colour: Colour): Pick<Look, 'warmth' | 'tint'> {
  const [r, g, b] = lightOf(colour)
  if (Math.min(r, g, b) < LEAST_GREY) return {}
  const bounded = (key: 'warmth' | 'tint', x: number) => Math.max(LOOK_BOUNDS[key][0], Math.min(LOOK_BOUNDS[key][1], x))
  return { warmth: bounded('warmth', Math.log2(b / r) / MOST_WARMTH), tint: bounded('tint', Math.log2(g / Math.sqrt(r * b)) / MOST_TINT) }
}
/** Light below which colour is mostly noise. */
const LEAST_GREY = 1e-4

/** What a look makes of one colour, both as numbers of a picture, 0..1; {@link looking} says how. */
export const looked = (look: Look, colour: Colour): Colour => looking(look)(lightOf(colour))

/** The table of a look. @param input the table that it names, where it names one; without it that is left away */
export function lookTable(look: Look, input: ColourTable | null = null): ColourTable {
  const out = new Float32Array(TABLE_SIZE ** 3 * 3)
  if (input) {
    const through = looking(look)
    for (let at = 0; at < out.length; at += 3) out.set(through(lightOf([input[at], input[at + 1], input[at + 2]])), at)
    return out
  }
  // While a slider is dragged a table is made for each of its steps: what only one colour takes part in is computed once for each step of that.
  const { numbers, coloured, last } = stepsOf(look)
  const [reds, greens, blues] = numbers.map((number) => Float64Array.from({ length: TABLE_SIZE }, (_, n) => number((n / (TABLE_SIZE - 1)) ** GAMMA)))
  const [red, green, blue] = last
  let at = 0
  for (const b of blues)
    for (const g of greens)
      for (const r of reds) {
        const bright = brightness(r, g, b)
        out[at++] = red(coloured(r, bright))
        out[at++] = green(coloured(g, bright))
        out[at++] = blue(coloured(b, bright))
      }
  return out
}

/** A table as a text that many programs read (.cube). */
export function tableText(table: ColourTable): string {
  const lines = ['TITLE "Pendolo"', `LUT_3D_SIZE ${TABLE_SIZE}`]
  for (let i = 0; i < table.length; i += 3) lines.push(`${table[i].toFixed(6)} ${table[i + 1].toFixed(6)} ${table[i + 2].toFixed(6)}`)
  return `${lines.join('\n')}\n`
}

/** Bits behind the point of what tables hold, and of shares between two of their steps: a product of both fits into 31 bits. */
const HELD_BITS = 8
const SHARE_BITS = 12

/** Where numbers of 0 to 255 lie between the steps of a table: the share of the next step, and the place of the one before by red, green and blue. */
const SHARES = new Int32Array(256)
const STEPS = [1, TABLE_SIZE, TABLE_SIZE * TABLE_SIZE].map(() => new Int32Array(256))
for (let n = 0; n < 256; n++) {
  const place = (n * (TABLE_SIZE - 1)) / 255
  const step = Math.min(TABLE_SIZE - 2, Math.floor(place))
  SHARES[n] = Math.round((place - step) * (1 << SHARE_BITS))
  for (const [axis, places] of STEPS.entries()) places[n] = 3 * step * TABLE_SIZE ** axis
}

/** Tables as whole numbers, made once. */
const wholes = new WeakMap<ColourTable, Uint16Array>()
function wholeOf(table: ColourTable): Uint16Array {
  let whole = wholes.get(table)
  if (!whole) {
    whole = new Uint16Array(table.length)
    for (let i = 0; i < whole.length; i++) whole[i] = within(table[i]) * 255 * (1 << HELD_BITS) + 0.5
    wholes.set(table, whole)
  }
  return whole
}

/**
 * Brings pixels through a table, between its steps by tetrahedra (H. Kang, Color Technology for Electronic Imaging Devices, SPIE 1997, 4.4.1),
 * in whole numbers throughout: walls of corrected pictures play through this.
 * @param table must not change afterwards
 * @param pixels red in the lowest byte, then green and blue; in place
 * @param count how many of them
 */
export function throughTable(table: ColourTable, pixels: Uint32Array, count = pixels.length): void {
  const held = wholeOf(table)
  const [oneR, oneG, oneB] = [3, 3 * TABLE_SIZE, 3 * TABLE_SIZE * TABLE_SIZE]
  const all = oneR + oneG + oneB
  const [red, green, blue] = STEPS
  const { imul } = Math
  // The same bits; in here, where compilers see what they are.
  const whole = 1 << 12
  const bits = 20
  const half = 1 << 19
  for (let i = 0; i < count; i++) {
    const pixel = pixels[i]
    const r8 = pixel & 255
    const g8 = (pixel >> 8) & 255
    const b8 = (pixel >> 16) & 255
    const r = SHARES[r8]
    const g = SHARES[g8]
    const b = SHARES[b8]
    const zero = red[r8] + green[g8] + blue[b8]
    const end = zero + all
    // The way from black to white of the cube: first along the colour that is nearest to its end.
    let one = zero + oneR
    let two = one + oneG
    let high = r
    let middle = g
    let low = b
    if (r >= g) {
      if (g < b) {
        two = zero + oneR + oneB
        low = g
        if (r >= b) middle = b
        else {
          one = zero + oneB
          high = b
          middle = r
        }
      }
    } else if (b >= r) {
      two = zero + oneG + oneB
      low = r
      if (b >= g) {
        one = zero + oneB
        high = b
      } else {
        one = zero + oneG
        high = g
        middle = b
      }
    } else {
      one = zero + oneG
      high = g
      middle = r
    }
    const s0 = whole - high
    const s1 = high - middle
    const s2 = middle - low
    const x = (imul(s0, held[zero]) + imul(s1, held[one]) + imul(s2, held[two]) + imul(low, held[end]) + half) >> bits
    const y = (imul(s0, held[zero + 1]) + imul(s1, held[one + 1]) + imul(s2, held[two + 1]) + imul(low, held[end + 1]) + half) >> bits
    const z = (imul(s0, held[zero + 2]) + imul(s1, held[one + 2]) + imul(s2, held[two + 2]) + imul(low, held[end + 2]) + half) >> bits
    pixels[i] = (pixel & 0xff000000) | (z << 16) | (y << 8) | x
  }
}
