/** How pictures are corrected, in numbers; what is absent is left as it is. */
export interface Look {
  /** Stops, −5 to 5. */
  readonly exposure?: number
  /** −1 (cooler) to 1 (warmer). */
  readonly warmth?: number
  /** −1 (greener) to 1 (more magenta). */
  readonly tint?: number
  /** Around middle grey, 0 to 3; 1 is none. */
  readonly contrast?: number
  /** 0 (grey) to 3; 1 is none. */
  readonly saturation?: number
}

/** Least and greatest of each number of a look. */
export const LOOK_BOUNDS: Readonly<Record<keyof Look, readonly [number, number]>> = {
  exposure: [-5, 5],
  warmth: [-1, 1],
  tint: [-1, 1],
  contrast: [0, 3],
  saturation: [0, 3],
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

/** Whether a look changes anything. */
export const isPlain = ({ exposure = 0, warmth = 0, tint = 0, contrast = 1, saturation = 1 }: Look): boolean =>
  exposure === 0 && warmth === 0 && tint === 0 && contrast === 1 && saturation === 1

/**
 * What a look makes of one colour: exposure and balance act on light, grey keeps its brightness under a balance; contrast turns
 * around middle grey, saturation around the brightness of each colour.
 * @param colour red, green and blue as numbers of a picture, 0..1
 */
export function looked(
  { exposure = 0, warmth = 0, tint = 0, contrast = 1, saturation = 1 }: Look,
  colour: readonly [number, number, number],
): [number, number, number] {
  const balance = [2 ** ((MOST_WARMTH / 2) * warmth), 2 ** (-MOST_TINT * tint), 2 ** (-(MOST_WARMTH / 2) * warmth)]
  const same = 2 ** exposure / (KR * balance[0] + KG * balance[1] + KB * balance[2])
  const [r, g, b] = colour.map((x, i) => {
    const light = within(x) ** GAMMA * balance[i] * same
    return within(GREY + (light ** (1 / GAMMA) - GREY) * contrast)
  })
  const bright = KR * r + KG * g + KB * b
  return [within(bright + saturation * (r - bright)), within(bright + saturation * (g - bright)), within(bright + saturation * (b - bright))]
}

/** The table of a look. */
export function lookTable(look: Look): ColourTable {
  const out = new Float32Array(TABLE_SIZE ** 3 * 3)
  const last = TABLE_SIZE - 1
  let at = 0
  for (let b = 0; b < TABLE_SIZE; b++)
    for (let g = 0; g < TABLE_SIZE; g++)
      for (let r = 0; r < TABLE_SIZE; r++) {
        out.set(looked(look, [r / last, g / last, b / last]), at)
        at += 3
      }
  return out
}

/** A table as a text that many programs read (.cube). */
export function tableText(table: ColourTable): string {
  const lines = ['TITLE "Pendolo"', `LUT_3D_SIZE ${TABLE_SIZE}`]
  for (let i = 0; i < table.length; i += 3) lines.push(`${table[i].toFixed(6)} ${table[i + 1].toFixed(6)} ${table[i + 2].toFixed(6)}`)
  return `${lines.join('\n')}\n`
}

/**
 * Brings pixels through a table, between its steps by tetrahedra (H. Kang, Color Technology for Electronic Imaging Devices, SPIE 1997, 4.4.1).
 * @param pixels red in the lowest byte, then green and blue; in place
 * @param count how many of them
 */
export function throughTable(table: ColourTable, pixels: Uint32Array, count = pixels.length): void {
  const [oneG, oneB] = [3 * TABLE_SIZE, 3 * TABLE_SIZE * TABLE_SIZE]
  const step = (TABLE_SIZE - 1) / 255
  const last = TABLE_SIZE - 2
  for (let i = 0; i < count; i++) {
    const pixel = pixels[i]
    const [x, y, z] = [(pixel & 255) * step, ((pixel >> 8) & 255) * step, ((pixel >> 16) & 255) * step]
    const [xi, yi, zi] = [Math.min(last, x | 0), Math.min(last, y | 0), Math.min(last, z | 0)]
    const [r, g, b] = [x - xi, y - yi, z - zi]
    const zero = 3 * xi + oneG * yi + oneB * zi
    // The way from black to white of the cube: first along the colour that is nearest to its end.
    let [one, two, high, middle, low] = [3, 3 + oneG, r, g, b]
    if (r >= g) {
      if (g < b) {
        if (r >= b) [one, two, high, middle, low] = [3, 3 + oneB, r, b, g]
        else [one, two, high, middle, low] = [oneB, 3 + oneB, b, r, g]
      }
    } else if (b >= g) [one, two, high, middle, low] = [oneB, oneG + oneB, b, g, r]
    else if (b >= r) [one, two, high, middle, low] = [oneG, oneG + oneB, g, b, r]
    else [one, two, high, middle, low] = [oneG, 3 + oneG, g, r, b]
    const [a, p, q, w] = [zero, zero + one, zero + two, zero + 3 + oneG + oneB]
    const [sa, sp, sq] = [1 - high, high - middle, middle - low]
    const red = sa * table[a] + sp * table[p] + sq * table[q] + low * table[w]
    const green = sa * table[a + 1] + sp * table[p + 1] + sq * table[q + 1] + low * table[w + 1]
    const blue = sa * table[a + 2] + sp * table[p + 2] + sq * table[q + 2] + low * table[w + 2]
    pixels[i] = (pixel & 0xff000000) | ((255 * blue + 0.5) << 16) | ((255 * green + 0.5) << 8) | (255 * red + 0.5)
  }
}
