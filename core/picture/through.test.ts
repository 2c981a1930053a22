import fc from 'fast-check'
import { type Affine, keptRect, placing, WHOLE } from './cutout.ts'
import type { Planes } from './planes.ts'
import { planesToPixels } from './planes.ts'
import { pixelsThrough, planesThrough } from './through.ts'

const REST = { matrix: 'bt709', full: false } as const
const still: Affine = [1, 0, 0, 1, 0, 0]

/** A picture whose brightness rises to the right and downwards, whose colours rise likewise. */
function slope(width: number, height: number): Planes {
  const half = [(width + 1) >> 1, (height + 1) >> 1]
  const data = new Uint8Array(width * height + 2 * half[0] * half[1])
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) data[y * width + x] = 40 + x + 2 * y
  for (let y = 0; y < half[1]; y++)
    for (let x = 0; x < half[0]; x++) {
      data[width * height + y * half[0] + x] = 100 + 2 * x
      data[width * height + half[0] * half[1] + y * half[0] + x] = 100 + 2 * y
    }
  return { data, width, height }
}
const empty = (width: number, height: number): Planes => ({ data: new Uint8Array(width * height * 1.5), width, height })
const all = ({ width, height }: Planes) => keptRect(width, height, WHOLE)
const luma = ({ data, width }: Planes, x: number, y: number) => data[y * width + x]
const colours = ({ data, width, height }: Planes, x: number, y: number) => {
  const at = (y >> 1) * (width / 2) + (x >> 1)
  return [data[width * height + at], data[width * height * 1.25 + at]]
}

describe('planes through a map', () => {
  test('that moves nothing are as they were; by whole pixels they are copied', () => {
    const from = slope(48, 32)
    const to = empty(48, 32)
    planesThrough(from, still, all(from), to)
    expect(to.data).toEqual(from.data)
    planesThrough(from, [1, 0, 0, 1, 8, -4], all(from), to)
    expect(luma(to, 20, 10)).toBe(luma(from, 12, 14))
    expect(colours(to, 20, 10)).toEqual(colours(from, 12, 14))
    // Where it has gone away from the film is black.
    expect([luma(to, 7, 10), luma(to, 20, 28), ...colours(to, 7, 10)]).toEqual([16, 16, 128, 128])
  })

  test('show at each place what lies there in the picture', () => {
    const from = slope(64, 64)
    const to = empty(64, 64)
    fc.assert(
      fc.property(fc.double({ min: -180, max: 180, noNaN: true }), fc.double({ min: 0.5, max: 3, noNaN: true }), fc.boolean(), (turn, scale, mirrored) => {
        const map = placing(64, 64, 64, 64, 'fit', { ...WHOLE, turn, scale, ...(mirrored && { mirrored }) })
        planesThrough(from, map, all(from), to)
        const [a, b, c, d, e, f] = map
        for (const [x, y] of [
          [32, 32],
          [25.3, 30.1],
          [40, 24],
        ]) {
          const [u, v] = [Math.floor(a * x + c * y + e), Math.floor(b * x + d * y + f)]
          if (u < 2 || v < 2 || u > 61 || v > 61) continue
          // The middle of that pixel, in the picture.
          const area = a * d - b * c
          const [p, q] = [u + 0.5 - e, v + 0.5 - f]
          const [sx, sy] = [(d * p - c * q) / area, (a * q - b * p) / area]
          expect(Math.abs(luma(to, u, v) - (40 + sx - 0.5 + 2 * (sy - 0.5)))).toBeLessThanOrEqual(1)
          const [cb, cr] = colours(to, u, v)
          // Colour is kept for every other pixel.
          expect(Math.abs(cb - (100 + sx - 0.5))).toBeLessThanOrEqual(1 + 2 / scale)
          expect(Math.abs(cr - (100 + sy - 1))).toBeLessThanOrEqual(1 + 2 / scale)
        }
      }),
    )
  })

  test('leave away what is cut off', () => {
    const from = slope(40, 40)
    const to = empty(40, 40)
    planesThrough(from, still, keptRect(40, 40, { ...WHOLE, crop: { left: 0.25, top: 0, right: 0.25, bottom: 0.5 } }), to)
    expect([luma(to, 9, 5), luma(to, 10, 5), luma(to, 29, 19), luma(to, 30, 19), luma(to, 20, 20)]).toEqual([16, luma(from, 10, 5), luma(from, 29, 19), 16, 16])
  })

  test('are refused where bytes are missing', () => {
    expect(() => planesThrough({ data: new Uint8Array(10), width: 8, height: 8 }, still, all(empty(8, 8)), empty(8, 8))).toThrow(TypeError)
  })
})

describe('pixels through a map', () => {
  test('are those of the upright way where nothing is turned', () => {
    const from = slope(60, 40)
    const [one, other] = [new Uint32Array(30 * 20), new Uint32Array(30 * 20)]
    planesToPixels(from, REST, { x: 0, y: 0, width: 60, height: 40 }, one, 30, 20)
    pixelsThrough(from, REST, [0.5, 0, 0, 0.5, 0, 0], all(from), other, 30, 20)
    for (const [i, pixel] of other.entries())
      for (const shift of [0, 8, 16]) expect(Math.abs(((pixel >> shift) & 255) - ((one[i] >> shift) & 255))).toBeLessThanOrEqual(4)
  })

  test('turn with the picture, black beside it', () => {
    const from = slope(40, 40)
    const out = new Uint32Array(80 * 40)
    pixelsThrough(from, REST, placing(40, 40, 80, 40, 'fit', { ...WHOLE, turn: 180 }), all(from), out, 80, 40)
    const grey = (x: number, y: number) => (out[y * 80 + x] >> 8) & 255
    expect([out[5] >>> 0, out[79] >>> 0]).toEqual([0xff000000, 0xff000000])
    // The picture grew brighter downwards and to the right: now upwards and to the left.
    expect(grey(25, 5)).toBeGreaterThan(grey(55, 5))
    expect(grey(25, 5)).toBeGreaterThan(grey(25, 35))
  })
})
