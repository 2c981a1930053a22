import fc from 'fast-check'
import { type Affine, between, boundsThrough, CUTOUT_BOUNDS, type Cutout, followed, inverse, isWhole, keptRect, placing, WHOLE } from './cutout.ts'
import { framedRect } from './framing.ts'

const number = ([min, max]: readonly [number, number]) => fc.double({ min, max, noNaN: true })
const part = fc.double({ min: 0, max: 0.45, noNaN: true })
const cutouts: fc.Arbitrary<Cutout> = fc.record(
  {
    x: number(CUTOUT_BOUNDS.x),
    y: number(CUTOUT_BOUNDS.y),
    scale: number(CUTOUT_BOUNDS.scale),
    turn: number(CUTOUT_BOUNDS.turn),
    mirrored: fc.constant(true as const),
    crop: fc.record({ left: part, top: part, right: part, bottom: part }),
  },
  { requiredKeys: ['x', 'y', 'scale', 'turn'] },
)
const at = ([a, b, c, d, e, f]: Affine, x: number, y: number): [number, number] => [a * x + c * y + e, b * x + d * y + f]
const near = (found: readonly number[], wanted: readonly number[]) => found.forEach((x, i) => void expect(x).toBeCloseTo(wanted[i], 6))

describe('where a picture lands', () => {
  test('as it is fitted, unless something is asked for', () => {
    for (const framing of ['fit', 'fill'] as const) {
      const { x, y, width, height } = framedRect(1440, 1080, 1920, 1080, framing)
      const map = placing(1440, 1080, 1920, 1080, framing, WHOLE)
      near(at(map, 0, 0), [x, y])
      near(at(map, 1440, 1080), [x + width, y + height])
    }
    expect([isWhole(WHOLE), isWhole({ ...WHOLE, crop: { left: 0, top: 0, right: 0, bottom: 0 } }), isWhole({ ...WHOLE, mirrored: true })]).toEqual([
      true,
      true,
      false,
    ])
  })

  test('its middle is shifted by parts of the frame; about it the picture is sized, turned and mirrored', () => {
    fc.assert(
      fc.property(cutouts, fc.constantFrom('fit' as const, 'fill' as const), (cutout, framing) => {
        const map = placing(640, 480, 1920, 1080, framing, cutout)
        near(at(map, 320, 240), [1920 * (0.5 + cutout.x), 1080 * (0.5 + cutout.y)])
        const scale = (framing === 'fit' ? 1080 / 480 : 1920 / 640) * cutout.scale
        const [middle, beside] = [at(map, 320, 240), at(map, 321, 240)]
        expect(Math.hypot(beside[0] - middle[0], beside[1] - middle[1])).toBeCloseTo(scale, 6)
        expect(Math.sign(map[0] * map[3] - map[1] * map[2])).toBe(cutout.mirrored ? -1 : 1)
      }),
    )
    // A quarter clockwise: what was right of the middle lies below it.
    const quarter = placing(100, 100, 100, 100, 'fit', { ...WHOLE, turn: 90 })
    expect(at(quarter, 100, 50)).toEqual([50, 100])
    expect(at(placing(100, 100, 100, 100, 'fit', { ...WHOLE, mirrored: true }), 100, 50)).toEqual([0, 50])
  })

  test('maps follow each other, and there is a way back', () => {
    fc.assert(
      fc.property(cutouts, cutouts, number([0, 640]), number([0, 480]), (one, other, x, y) => {
        const [first, by] = [placing(640, 480, 640, 480, 'fit', one), placing(640, 480, 640, 480, 'fit', other)]
        near(at(followed(first, by), x, y), at(by, ...at(first, x, y)))
        near(at(inverse(first), ...at(first, x, y)), [x, y])
      }),
    )
    expect(() => inverse([1, 1, 1, 1, 0, 0])).toThrow(TypeError)
  })

  test('what is cut off is not kept; what is kept lies within its bounds', () => {
    expect(keptRect(200, 100, { ...WHOLE, crop: { left: 0.25, top: 0.1, right: 0.25, bottom: 0 } })).toEqual({ x: 50, y: 10, width: 100, height: 90 })
    fc.assert(
      fc.property(cutouts, number([0, 1]), number([0, 1]), (cutout, along, down) => {
        const [kept, map] = [keptRect(640, 480, cutout), placing(640, 480, 1920, 1080, 'fit', cutout)]
        const bounds = boundsThrough(kept, map)
        const [x, y] = at(map, kept.x + along * kept.width, kept.y + down * kept.height)
        expect(x).toBeGreaterThanOrEqual(bounds.x - 1e-6)
        expect(x).toBeLessThanOrEqual(bounds.x + bounds.width + 1e-6)
        expect(y).toBeGreaterThanOrEqual(bounds.y - 1e-6)
        expect(y).toBeLessThanOrEqual(bounds.y + bounds.height + 1e-6)
      }),
    )
  })

  test('a move begins and ends where it should, gently', () => {
    fc.assert(
      fc.property(cutouts, cutouts, (from, to) => {
        const [begun, ended] = [between(from, to, 0), between(from, to, 1)]
        near([begun.x, begun.y, begun.scale, begun.turn], [from.x, from.y, from.scale, from.turn])
        near([ended.x, ended.y, ended.scale, ended.turn], [to.x, to.y, to.scale, to.turn])
        expect(isWhole(between(WHOLE, WHOLE, 0.4))).toBe(true)
      }),
    )
    const to = { ...WHOLE, scale: 4, x: 1 }
    expect(between(WHOLE, to, 0.5)).toMatchObject({ scale: 2, x: 0.5 })
    // At its ends it hardly moves.
    expect(between(WHOLE, to, 0.01).x).toBeLessThan(0.001)
    expect(between(WHOLE, to, 0.99).x).toBeGreaterThan(0.999)
  })
})
