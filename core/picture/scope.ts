/** What a scope shows: how often each place of it is met, row by row from the top. */
export interface Scope {
  readonly counts: Uint32Array
  readonly width: number
  readonly height: number
}

/** Brightness of a pixel as a number of the picture, 0..255 (ITU-R BT.709-6). */
const brightness = (pixel: number): number => 0.2126 * (pixel & 255) + 0.7152 * ((pixel >> 8) & 255) + 0.0722 * ((pixel >> 16) & 255)

/** Steps of brightness and of colour that scopes tell apart. */
export const SCOPE_STEPS = 128

/**
 * How bright a picture is from its left to its right: light above, dark below.
 * @param pixels red in the lowest byte, then green and blue, row by row
 * @param columns of the scope
 */
export function waveformScope(pixels: Uint32Array, width: number, columns: number): Scope {
  const counts = new Uint32Array(columns * SCOPE_STEPS)
  for (let i = 0; i < pixels.length; i++) {
    const x = Math.floor(((i % width) * columns) / width)
    const y = SCOPE_STEPS - 1 - Math.floor((brightness(pixels[i]) * SCOPE_STEPS) / 256)
    counts[y * columns + x]++
  }
  return { counts, width: columns, height: SCOPE_STEPS }
}

/** Colours of pictures are mostly faint: they are drawn so much further out, the strongest at the edge. */
const COLOUR_ZOOM = 1.6

/** Which colours a picture has: grey in the middle, blue to the right, red above, the stronger the further out. */
export function colourScope(pixels: Uint32Array): Scope {
  const counts = new Uint32Array(SCOPE_STEPS * SCOPE_STEPS)
  const step = (difference: number) => Math.max(0, Math.min(SCOPE_STEPS - 1, Math.round((0.5 + (COLOUR_ZOOM * difference) / 256) * (SCOPE_STEPS - 1))))
  for (const pixel of pixels) {
    const luma = brightness(pixel)
    const x = step((((pixel >> 16) & 255) - luma) / 1.8556)
    const y = step(-((pixel & 255) - luma) / 1.5748)
    counts[y * SCOPE_STEPS + x]++
  }
  return { counts, width: SCOPE_STEPS, height: SCOPE_STEPS }
}

/** How many pixels have each number of red, of green and of blue. */
export function histogram(pixels: Uint32Array): readonly [Uint32Array, Uint32Array, Uint32Array] {
  const out = [new Uint32Array(256), new Uint32Array(256), new Uint32Array(256)] as const
  for (const pixel of pixels) {
    out[0][pixel & 255]++
    out[1][(pixel >> 8) & 255]++
    out[2][(pixel >> 16) & 255]++
  }
  return out
}

/** Ranges of brightness in stops below white, each with the colour that it is shown in; from the darkest. */
export const EXPOSURE_ZONES: readonly { readonly name: string; readonly upTo: number; readonly colour: readonly [number, number, number] }[] = [
  { name: 'black', upTo: 6, colour: [74, 38, 120] },
  { name: 'dark', upTo: 46, colour: [44, 92, 156] },
  { name: 'shade', upTo: 98, colour: [70, 70, 74] },
  { name: 'middle grey', upTo: 128, colour: [96, 150, 84] },
  { name: 'light', upTo: 168, colour: [130, 130, 134] },
  { name: 'skin', upTo: 196, colour: [206, 140, 128] },
  { name: 'bright', upTo: 240, colour: [196, 196, 196] },
  { name: 'nearly white', upTo: 252, colour: [222, 178, 60] },
  { name: 'white', upTo: 256, colour: [196, 48, 44] },
]

/** Shows how bright each pixel is by a colour of its zone; in place. */
export function falseColours(pixels: Uint32Array): void {
  const table = Uint32Array.from({ length: 256 }, (_, luma) => {
    const [r, g, b] = (EXPOSURE_ZONES.find((z) => luma < z.upTo) ?? EXPOSURE_ZONES[EXPOSURE_ZONES.length - 1]).colour
    return ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0
  })
  for (let i = 0; i < pixels.length; i++) pixels[i] = table[Math.min(255, Math.round(brightness(pixels[i])))]
}
