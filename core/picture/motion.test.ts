import { type Motion, MotionFinder, STANDING } from './motion.ts'

const [WIDTH, HEIGHT] = [320, 180]

function seeded(seed: number): () => number {
  let a = seed
  return () => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}

/** A scene without end: waves of many lengths and directions, brightness 0 to 255 between any two points. */
function scene(seed: number): (x: number, y: number) => number {
  const r = seeded(seed)
  const waves = Array.from({ length: 40 }, () => {
    const [length, way] = [5 + 60 * r() ** 2, 2 * Math.PI * r()]
    return { u: (2 * Math.PI * Math.cos(way)) / length, v: (2 * Math.PI * Math.sin(way)) / length, phase: 2 * Math.PI * r(), height: 7 + 12 * r() }
  })
  return (x, y) => 128 + waves.reduce((sum, { u, v, phase, height }) => sum + height * Math.sin(u * x + v * y + phase), 0) / 1.6
}

interface Taken {
  /** Adds up to what lies between the scene's middle and the camera's. */
  readonly moved: Motion
  readonly noise?: number
  /** Brighter by so many times. */
  readonly light?: number
  /** Share of the width that somebody takes who moves by himself, and how far he has gone. */
  readonly person?: { readonly share: number; readonly gone: number }
}

/** A picture of a scene by a camera that has moved. */
function taken(of: (x: number, y: number) => number, { moved, noise = 0, light = 1, person }: Taken, seed = 5): Uint8Array {
  const r = seeded(seed)
  const other = scene(999)
  const size = Math.exp(-moved.grow)
  const [a, b] = [size * Math.cos(-moved.turn), size * Math.sin(-moved.turn)]
  return Uint8Array.from({ length: WIDTH * HEIGHT }, (_, i) => {
    const [x, y] = [(i % WIDTH) + 0.5, Math.floor(i / WIDTH) + 0.5]
    const own = person && x < person.share * WIDTH
    const [u, v] = [x - WIDTH / 2 - moved.x, y - HEIGHT / 2 - moved.y]
    const value = own ? other(x - person.gone, y) : of(a * u - b * v, b * u + a * v)
    return Math.max(0, Math.min(255, Math.round(light * value + noise * (r() + r() + r() - 1.5) * 2)))
  })
}

const between = (one: Taken, other: Taken, seed = 3): Motion => {
  const finder = new MotionFinder(WIDTH, HEIGHT)
  expect(finder.next(taken(scene(seed), one, 1))).toEqual(STANDING)
  return finder.next(taken(scene(seed), other, 2))
}
const at = (x: number, y: number, turn = 0, grow = 0): Motion => ({ x, y, turn, grow })

test.each([
  ['nothing', at(0, 0)],
  ['parts of a pixel', at(0.37, -0.61)],
  ['a hand', at(7.3, -5.8, 0.004, 0.002)],
  ['a stumble', at(-48.6, 22.4, -0.012, -0.006)],
  ['a turn', at(2.2, 1.4, 0.035)],
  ['a zoom', at(-1.5, 3.1, 0, 0.03)],
])('%s is found to a tenth of a pixel', (_, moved) => {
  const found = between({ moved: at(0, 0) }, { moved })
  expect(Math.hypot(found.x - moved.x, found.y - moved.y)).toBeLessThan(0.1)
  // At the corner of the picture.
  expect(Math.abs(found.turn - moved.turn) * (WIDTH / 2)).toBeLessThan(0.1)
  expect(Math.abs(found.grow - moved.grow) * (WIDTH / 2)).toBeLessThan(0.1)
})

test('in the dark, with light that flickers and somebody who walks through a third of the picture, it stays within a fifth of a pixel', () => {
  const moved = at(6.4, -3.7, 0.006)
  const found = between({ moved: at(0, 0), noise: 6, person: { share: 0.35, gone: 0 } }, { moved, noise: 6, light: 0.85, person: { share: 0.35, gone: -9 } })
  expect(Math.hypot(found.x - moved.x, found.y - moved.y)).toBeLessThan(0.2)
  expect(Math.abs(found.turn - moved.turn) * (WIDTH / 2)).toBeLessThan(0.3)
})

test('what has nothing in it, and what is another scene, has not moved', () => {
  const finder = new MotionFinder(WIDTH, HEIGHT)
  const grey = new Uint8Array(WIDTH * HEIGHT).fill(90)
  finder.next(grey)
  expect(finder.next(grey)).toEqual(STANDING)
  finder.next(taken(scene(1), { moved: STANDING }))
  expect(finder.next(taken(scene(2), { moved: STANDING }))).toEqual(STANDING)
})

test('a picture with nothing in it but edges that run one way and one that crosses them moves as a whole', () => {
  const bars = (dx: number, dy: number) =>
    Uint8Array.from({ length: WIDTH * HEIGHT }, (_, i) => {
      const [x, y] = [(i % WIDTH) - dx, Math.floor(i / WIDTH) - dy]
      return y > 120 ? 30 : 60 + 50 * (Math.floor((x + 400) / 90) % 3)
    })
  const finder = new MotionFinder(WIDTH, HEIGHT)
  finder.next(bars(0, 0))
  const { x, y, turn, grow } = finder.next(bars(9, -6))
  expect(Math.hypot(x - 9, y + 6)).toBeLessThan(0.2)
  expect([turn, grow]).toEqual([0, 0])
})

test('what it was given may be used again', () => {
  const finder = new MotionFinder(WIDTH, HEIGHT)
  const same = Buffer.from(taken(scene(3), { moved: STANDING }))
  finder.next(same)
  same.set(taken(scene(3), { moved: at(5, 4) }))
  expect(Math.round(finder.next(same).x)).toBe(5)
})

test('sizes that do not fit are refused', () => {
  expect(() => new MotionFinder(20, 200)).toThrow(TypeError)
  expect(() => new MotionFinder(64, 64).next(new Uint8Array(10))).toThrow(/10 bytes/)
})
