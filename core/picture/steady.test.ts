import fc from 'fast-check'
import { corners } from './cutout.ts'
import type { Motion } from './motion.ts'
import { steadying } from './steady.ts'

const [WIDTH, HEIGHT] = [320, 180]
const still: Motion = { x: 0, y: 0, turn: 0, grow: 0 }
/** Motions from picture to picture along a way. */
const along = (way: readonly Motion[]): Motion[] =>
  way.map((w, i) => {
    const before = way[i - 1] ?? w
    return { x: w.x - before.x, y: w.y - before.y, turn: w.turn - before.turn, grow: w.grow - before.grow }
  })
/** Where the middle of each picture lies once it is moved, along the camera's way. */
const middles = (way: readonly Motion[], reach: number) => {
  const { maps, zoom } = steadying(along(way), reach, WIDTH, HEIGHT)
  return maps.map(([a, b, c, d, e, f], i) => ({
    x: (a * (WIDTH / 2) + c * (HEIGHT / 2) + e - WIDTH / 2) / zoom + way[i].x,
    y: (b * (WIDTH / 2) + d * (HEIGHT / 2) + f - HEIGHT / 2) / zoom + way[i].y,
  }))
}

test('a camera that stands is left as it is, and so is an even pan, to its ends', () => {
  expect(steadying(along(Array(50).fill(still)), 12, WIDTH, HEIGHT)).toEqual({ zoom: 1, maps: Array(50).fill([1, 0, -0, 1, 0, 0]) })
  const pan = Array.from({ length: 60 }, (_, i) => ({ ...still, x: 2.5 * i, y: -0.5 * i }))
  const { maps, zoom } = steadying(along(pan), 12, WIDTH, HEIGHT)
  expect(zoom).toBeCloseTo(1, 6)
  for (const map of maps) for (const [k, value] of [1, 0, 0, 1, 0, 0].entries()) expect(map[k]).toBeCloseTo(value, 6)
})

test('what shakes goes, what is meant stays', () => {
  const shake = (i: number) => 6 * Math.sin(i * 1.1) + 3 * Math.sin(i * 2.7)
  const way = Array.from({ length: 200 }, (_, i) => ({ ...still, x: 40 * Math.sin(i / 60) + shake(i), y: shake(i + 7) }))
  const after = middles(way, 25)
  const rough = (of: (i: number) => number) =>
    Math.sqrt(way.slice(2).reduce((sum, _, i) => sum + (of(i + 2) - 2 * of(i + 1) + of(i)) ** 2, 0) / (way.length - 2))
  expect(rough((i) => after[i].x)).toBeLessThan(0.05 * rough((i) => way[i].x))
  expect(rough((i) => after[i].y)).toBeLessThan(0.05 * rough((i) => way[i].y))
  for (let i = 30; i < 170; i++) expect(Math.abs(after[i].x - 40 * Math.sin(i / 60))).toBeLessThan(3)
})

test('no picture shows its edges, however it was shaken', () => {
  const number = (most: number) => fc.double({ min: -most, max: most, noNaN: true })
  const motion = fc.record({ x: number(40), y: number(40), turn: number(0.1), grow: number(0.05) })
  fc.assert(
    fc.property(fc.array(motion, { minLength: 2, maxLength: 60 }), fc.integer({ min: 1, max: 30 }), (motions, reach) => {
      const { maps, zoom } = steadying(motions, reach, WIDTH, HEIGHT)
      expect(zoom).toBeGreaterThanOrEqual(1)
      expect(zoom).toBeLessThanOrEqual(1.5 + 1e-9)
      for (const map of maps) expect(covers(map)).toBe(true)
    }),
  )
})

/** Whether a picture behind a map covers all of the frame: each corner of the frame lies within all four of its sides. */
function covers(map: Parameters<typeof corners>[1]): boolean {
  const around = corners({ x: 0, y: 0, width: WIDTH, height: HEIGHT }, map)
  return corners({ x: 0, y: 0, width: WIDTH, height: HEIGHT }, [1, 0, 0, 1, 0, 0]).every((p) =>
    around.every((a, k) => {
      const b = around[(k + 1) % 4]
      return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x) >= -1e-3
    }),
  )
}

test('a way is evened out over at least one picture', () => {
  expect(() => steadying([still, still], 0, WIDTH, HEIGHT)).toThrow(TypeError)
})
