import { type Planes, planesToPixels } from './planes.ts'

/** One colour all over. */
const plain = (width: number, height: number, [y, cb, cr]: readonly [number, number, number]): Planes => {
  const part = ((width + 1) >> 1) * ((height + 1) >> 1)
  const data = new Uint8Array(width * height + 2 * part).fill(y, 0, width * height)
  data.fill(cb, width * height, width * height + part).fill(cr, width * height + part)
  return { data, width, height }
}
const bytes = (pixel: number) => [pixel & 255, (pixel >> 8) & 255, (pixel >> 16) & 255, pixel >>> 24]
const all = ({ width, height }: Planes) => ({ x: 0, y: 0, width, height })

describe('planes to pixels', () => {
  test.each([
    ['white', 'bt709', false, [235, 128, 128], [255, 255, 255]],
    ['black', 'bt709', false, [16, 128, 128], [0, 0, 0]],
    ['below black', 'bt709', false, [0, 128, 128], [0, 0, 0]],
    // The colour bars of BT.709 and BT.601 at full level, in eight bits.
    ['red', 'bt709', false, [63, 102, 240], [255, 0, 0]],
    ['green', 'bt709', false, [173, 42, 26], [0, 255, 0]],
    ['blue', 'bt709', false, [32, 240, 118], [0, 0, 255]],
    ['red', 'bt601', false, [81, 90, 240], [255, 0, 0]],
    ['blue', 'bt601', false, [41, 240, 110], [0, 0, 255]],
    ['grey', 'bt601', true, [77, 128, 128], [77, 77, 77]],
    ['red', 'bt601', true, [76, 85, 255], [255, 0, 0]],
  ] as const)('%s of %s, full range %s', (_, matrix, full, from, to) => {
    const planes = plain(6, 4, from)
    const out = new Uint32Array(15)
    planesToPixels(planes, { matrix, full }, all(planes), out, 5, 3)
    for (const pixel of out) {
      const [r, g, b, a] = bytes(pixel)
      for (const [i, x] of [r, g, b].entries()) expect(Math.abs(x - to[i])).toBeLessThanOrEqual(2)
      expect(a).toBe(255)
    }
  })

  test('at its own size each pixel is its own, and a part is just that part', () => {
    const planes = plain(8, 6, [0, 128, 128])
    for (let i = 0; i < 48; i++) planes.data[i] = 5 * i
    const out = new Uint32Array(48)
    planesToPixels(planes, { matrix: 'bt709', full: true }, all(planes), out, 8, 6)
    expect(Array.from(out, (p) => p & 255)).toEqual(Array.from({ length: 48 }, (_, i) => 5 * i))
    planesToPixels(planes, { matrix: 'bt709', full: true }, { x: 2, y: 3, width: 4, height: 2 }, out, 4, 2)
    expect(Array.from(out.subarray(0, 8), (p) => p & 255)).toEqual([26, 27, 28, 29, 34, 35, 36, 37].map((n) => 5 * n))
  })

  test('between its pixels there is what lies between them', () => {
    const planes = plain(2, 2, [0, 128, 128])
    planes.data.set([0, 200, 0, 200])
    const out = new Uint32Array(8)
    planesToPixels(planes, { matrix: 'bt709', full: true }, all(planes), out, 8, 1)
    expect(Array.from(out, (p) => p & 255)).toEqual([0, 0, 25, 75, 125, 175, 200, 200])
  })

  test('colour lies between its samples, at the left one of two columns, unless pictures come out small', () => {
    const [width, height] = [16, 8]
    const planes = plain(width, height, [128, 128, 128])
    const half = width / 2
    for (let row = 0; row < height / 2; row++) for (let x = 0; x < half; x++) planes.data[width * height + (half * height) / 2 + row * half + x] = 100 + 8 * x
    const red = (count: number, part: { x: number; y: number; width: number; height: number }) => {
      const out = new Uint32Array(count * 4)
      planesToPixels(planes, { matrix: 'bt709', full: true }, part, out, count, 4)
      return Array.from(out.subarray(0, count), (p) => p & 255)
    }
    const wanted = (x: number) => 128 + 1.5748 * (100 + 8 * Math.min(half - 1, x / 2) - 128)
    for (const [x, r] of red(width, all(planes)).entries()) expect(Math.abs(r - wanted(x))).toBeLessThanOrEqual(1)
    // A part begins where it begins.
    for (const [x, r] of red(6, { x: 4, y: 0, width: 6, height: 8 }).entries()) if (x < 4) expect(Math.abs(r - wanted(x + 4))).toBeLessThanOrEqual(1)
    // At a third of the size neighbours are further apart than colour is coarse.
    for (const [x, r] of red(5, all(planes)).entries()) expect(Math.abs(r - wanted(((x + 0.5) / 5) * 16 - 0.5))).toBeLessThanOrEqual(13)
  })

  test('odd sizes have half a colour more, and what does not fit is refused', () => {
    const planes = plain(5, 3, [63, 102, 240])
    const out = new Uint32Array(15)
    planesToPixels(planes, { matrix: 'bt709', full: false }, all(planes), out, 5, 3)
    expect(bytes(out[14])[0]).toBeGreaterThan(250)
    expect(() => planesToPixels({ ...planes, width: 7 }, { matrix: 'bt709', full: false }, all(planes), out, 5, 3)).toThrow('do not become')
    expect(() => planesToPixels(planes, { matrix: 'bt709', full: false }, all(planes), out, 16, 3)).toThrow('do not become')
  })
})
