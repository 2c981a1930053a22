import fc from 'fast-check'
import { detailOf, sharpenPixels, sharpenPlanes } from './sharpness.ts'

const [W, H] = [96, 54]
/** The frame is as tall as that of a film, so that detail is looked for over more than a pixel. */
const [WIDE, TALL] = [64, 1080]

/** Fine stripes of a period, as luma around the middle. */
const stripes = (period: number) => Float32Array.from({ length: WIDE * TALL }, (_, i) => 128 + 40 * Math.sin((2 * Math.PI * (i % WIDE)) / period))
const swing = (list: Float32Array) => {
  const row = [...list.subarray(540 * WIDE + 16, 540 * WIDE + 48)]
  return Math.max(...row) - Math.min(...row)
}
const changed = (period: number, sharpness: number) => {
  const luma = stripes(period)
  const detail = detailOf(luma, WIDE, TALL, sharpness)
  return swing(luma.map((x, i) => x + detail[i])) / swing(luma)
}

describe('sharpness', () => {
  test('none, or a plain picture, changes nothing', () => {
    const plain = new Float32Array(W * H).fill(77)
    for (const sharpness of [-1, 0.7, 1]) expect(Math.max(...detailOf(plain, W, H, sharpness).map(Math.abs))).toBeLessThan(1e-3)
    expect(Math.max(...detailOf(stripes(4), WIDE, TALL, 0).map(Math.abs))).toBe(0)
  })

  test('fine detail gains most, coarse next to nothing; softened it goes', () => {
    expect(changed(4, 1)).toBeGreaterThan(2)
    expect(changed(4, 0.5)).toBeCloseTo(1 + (changed(4, 1) - 1) / 2, 1)
    expect(changed(4, 1)).toBeGreaterThan(changed(8, 1))
    expect(changed(32, 1)).toBeLessThan(1.15)
    expect(changed(4, -1)).toBeLessThan(0.05)
    expect(changed(32, -1)).toBeGreaterThan(0.5)
  })

  test('the whole keeps its brightness, edges are treated as if they went on', () => {
    const luma = Float32Array.from({ length: W * H }, (_, i) => 60 + ((i * 37) % 120))
    const detail = detailOf(luma, W, H, -1)
    expect(Math.abs(detail.reduce((a, b) => a + b, 0) / detail.length)).toBeLessThan(1)
    // A slope is straight: nothing of it is detail, but at its very ends.
    const slope = detailOf(
      Float32Array.from({ length: W * H }, (_, i) => 2 * (i % W)),
      W,
      H,
      1,
    )
    expect(Math.max(...slope.subarray(10 * W + 4, 11 * W - 4).map(Math.abs))).toBeLessThan(1e-3)
  })

  test('pixels and planes are made alike: grey gains as its brightness does, colour stays', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 40, max: 200 }), { minLength: W * H, maxLength: W * H }),
        fc.double({ min: -1, max: 1, noNaN: true }),
        (greys, by) => {
          const pixels = Uint32Array.from(greys, (g) => (255 << 24) | (g << 16) | (g << 8) | g)
          sharpenPixels(pixels, W, H, by)
          const data = new Uint8Array((W * H * 3) / 2)
          data.set(greys)
          data.fill(99, W * H)
          const to = new Uint8Array(data.length)
          sharpenPlanes({ data, width: W, height: H }, by, to)
          for (let i = 0; i < W * H; i += 7) {
            expect(Math.abs((pixels[i] & 255) - to[i])).toBeLessThanOrEqual(1)
            expect((pixels[i] >> 16) & 255).toBe(pixels[i] & 255)
            expect(pixels[i] >>> 24).toBe(255)
          }
          expect(to.subarray(W * H).every((x) => x === 99)).toBe(true)
        },
      ),
      { numRuns: 12 },
    )
  })
})
