import { colourScope, EXPOSURE_ZONES, falseColours, histogram, SCOPE_STEPS, waveformScope } from './scope.ts'

const of = (r: number, g: number, b: number) => ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0
const at = ({ counts, width }: { counts: Uint32Array; width: number }, x: number, y: number) => counts[y * width + x]

test('a waveform has brightness from below to above, at the places of the picture', () => {
  // Black on the left, white on the right.
  const width = 8
  const pixels = Uint32Array.from({ length: width * 4 }, (_, i) => (i % width < 4 ? of(0, 0, 0) : of(255, 255, 255)))
  const scope = waveformScope(pixels, width, 4)
  expect([0, 1, 2, 3].map((x) => at(scope, x, SCOPE_STEPS - 1))).toEqual([8, 8, 0, 0])
  expect([0, 1, 2, 3].map((x) => at(scope, x, 0))).toEqual([0, 0, 8, 8])
  expect(scope.counts.reduce((a, b) => a + b, 0)).toBe(pixels.length)
})

test('colours lie where their hue is, the stronger the further out; grey is in the middle', () => {
  const place = (pixel: number) => {
    const { counts, width } = colourScope(Uint32Array.of(pixel))
    const i = counts.indexOf(1)
    return [i % width, Math.floor(i / width)]
  }
  const middle = Math.round((SCOPE_STEPS - 1) / 2)
  expect(place(of(90, 90, 90))).toEqual([middle, middle])
  const [red, blue, faint] = [place(of(255, 0, 0)), place(of(0, 0, 255)), place(of(150, 100, 100))]
  expect(red[1]).toBeLessThan(4)
  expect(red[0]).toBeLessThan(middle)
  expect(blue[0]).toBeGreaterThan(SCOPE_STEPS - 4)
  expect(faint[1]).toBeLessThan(middle)
  expect(faint[1]).toBeGreaterThan(red[1])
})

test('a histogram counts each colour by itself', () => {
  const [red, green, blue] = histogram(Uint32Array.of(of(10, 20, 30), of(10, 21, 30)))
  expect([red[10], green[20], green[21], blue[30]]).toEqual([2, 1, 1, 2])
})

test('zones of brightness tile the scale and have a colour each', () => {
  expect(EXPOSURE_ZONES.map((z) => z.upTo)).toEqual([...EXPOSURE_ZONES.map((z) => z.upTo)].sort((a, b) => a - b))
  expect(EXPOSURE_ZONES.at(-1)?.upTo).toBe(256)
  const pixels = Uint32Array.from({ length: 256 }, (_, n) => of(n, n, n))
  falseColours(pixels)
  expect(new Set(pixels).size).toBe(EXPOSURE_ZONES.length)
  const pure = Uint32Array.of(of(255, 255, 255), of(0, 0, 0))
  falseColours(pure)
  expect([...pure]).toEqual([of(196, 48, 44), of(74, 38, 120)])
})
