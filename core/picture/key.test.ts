import { type ColourKey, keyPixels, keyPlanes, USUAL_KEY } from './key.ts'

const [WIDTH, HEIGHT] = [240, 160]
type RGB = readonly [number, number, number]
const CLOTH: RGB = [40, 150, 62]
const KEY: ColourKey = { ...USUAL_KEY, colour: '#28963e' }
const BEHIND: RGB = [60, 70, 120]

/** A generator of numbers 0..1 that always gives the same. */
function numbers(seed: number): () => number {
  let x = seed
  return () => {
    x = (x * 16807) % 2147483647
    return x / 2147483647
  }
}

/** How much of each pixel a performer covers: a body, a head, and hair of single strands; edges are soft. */
function performer(x: number, y: number): number {
  const edge = (d: number) => Math.max(0, Math.min(1, 0.5 - d / 1.5))
  const head = Math.hypot((x - 120) / 1, (y - 50) / 1.2) - 22
  const body = Math.max(Math.abs(x - 120) - 42 + Math.max(0, 100 - y) * 0.4, 72 - y)
  const strand = (k: number) => Math.max(Math.abs(x - 120 - k * 9 - (50 - y) * 0.1 * k) - 0.7, y - 50, 18 - y)
  return Math.max(edge(head), edge(body), ...[-2, -1, 0, 1, 2].map((k) => edge(strand(k))))
}
const bodyColour = (x: number, y: number): RGB => (y < 74 ? [205, 150, 125] : x < 105 ? [150, 40, 45] : x < 130 ? [225, 222, 215] : [35, 38, 60])

/** A performer before a cloth that is lit unevenly, with noise, and its tint on the edges of what stands before it. */
function scene() {
  const random = numbers(7)
  const pixels = new Uint32Array(WIDTH * HEIGHT)
  const truth = new Float32Array(WIDTH * HEIGHT)
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const cover = performer(x + 0.5, y + 0.5)
      const lit = 0.62 + 0.45 * Math.exp(-(((x - 90) / 110) ** 2) - ((y - 60) / 120) ** 2)
      const tint = 0.08 * Math.max(0, 1 - Math.abs(x - 120) / 44)
      const rgb = [0, 1, 2].map((c) => {
        const own = bodyColour(x, y)[c] * (1 - tint) + CLOTH[c] * tint
        return Math.max(0, Math.min(255, Math.round(cover * own + (1 - cover) * lit * CLOTH[c] + 6 * (random() - 0.5))))
      })
      truth[y * WIDTH + x] = cover
      pixels[y * WIDTH + x] = 0xff000000 | (rgb[2] << 16) | (rgb[1] << 8) | rgb[0]
    }
  return { pixels, truth }
}
const filled = ([r, g, b]: RGB) => new Uint32Array(WIDTH * HEIGHT).fill(0xff000000 | (b << 16) | (g << 8) | r)
const channels = (pixel: number) => [pixel & 255, (pixel >> 8) & 255, (pixel >> 16) & 255]

test('a performer stands before another picture: the matte is right, and nothing green is left around', () => {
  const { pixels, truth } = scene()
  // Laid before black and before white, what is seen of a pixel is told by the difference.
  const before = (behind: RGB) => {
    const out = pixels.slice()
    keyPixels(KEY, out, filled(behind))
    return out
  }
  const [dark, light] = [before([0, 0, 0]), before([200, 200, 200])]
  let [right, rim, edges] = [0, 0, 0]
  for (let i = 0; i < truth.length; i++) {
    const matte = 1 - (channels(light[i])[0] - channels(dark[i])[0]) / 200
    if (Math.abs(matte - truth[i]) < 0.15) right++
    const [r, g, b] = channels(dark[i])
    // Before black what is left of the cloth would be green.
    if (truth[i] > 0.02 && truth[i] < 0.98) {
      edges++
      rim = Math.max(rim, g - Math.max(r, b))
    }
  }
  console.log(`matte: ${((100 * right) / truth.length).toFixed(2)} % right; greenest of ${edges} edges by ${rim}`)
  expect(right / truth.length).toBeGreaterThanOrEqual(0.97)
  expect(edges).toBeGreaterThan(500)
  expect(rim).toBeLessThanOrEqual(8)
})

test('planes and pixels are keyed alike; brightness before the key counts', () => {
  const { pixels } = scene()
  const planesOf = (source: Uint32Array) => {
    const out = new Uint8Array((WIDTH * HEIGHT * 3) / 2)
    const [u, v] = [WIDTH * HEIGHT, (WIDTH * HEIGHT * 5) / 4]
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++) {
        const [r, g, b] = channels(source[y * WIDTH + x])
        const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
        out[y * WIDTH + x] = Math.round(16 + (219 / 255) * luma)
        if ((x | y) & 1) continue
        const c = (y >> 1) * (WIDTH >> 1) + (x >> 1)
        out[u + c] = Math.round(128 + ((224 / 255) * (b - luma)) / 1.8556)
        out[v + c] = Math.round(128 + ((224 / 255) * (r - luma)) / 1.5748)
      }
    return out
  }
  for (const exposure of [0, 0.5]) {
    const key = { ...KEY, exposure, colour: exposure ? '#2fad48' : KEY.colour }
    const data = planesOf(pixels)
    keyPlanes(key, { data, width: WIDTH, height: HEIGHT }, planesOf(filled(BEHIND)))
    const keyed = pixels.slice()
    keyPixels(key, keyed, filled(BEHIND))
    const wanted = planesOf(keyed)
    let far = 0
    for (let i = 0; i < WIDTH * HEIGHT; i++) if (Math.abs(wanted[i] - data[i]) > 6) far++
    // Colour is known for two by two pixels only: edges differ.
    expect(far / (WIDTH * HEIGHT)).toBeLessThan(0.06)
    expect(data[0]).toBe(planesOf(filled(BEHIND))[0])
  }
})

test('what has another hue stays as it is, whatever it is', () => {
  for (const rgb of [
    [200, 60, 60],
    [60, 60, 200],
    [128, 128, 128],
    [220, 180, 150],
  ] as RGB[]) {
    const pixels = filled(rgb)
    keyPixels(KEY, pixels, filled(BEHIND))
    for (const [c, x] of channels(pixels[0]).entries()) expect(Math.abs(x - rgb[c])).toBeLessThanOrEqual(1)
  }
})
