import fc from 'fast-check'
import { framedRect, type Seat, seat } from './index.ts'

describe('framing', () => {
  test('fit shows the whole picture with bars, fill covers the frame', () => {
    expect(framedRect(640, 480, 1600, 900, 'fit')).toEqual({ x: 200, y: 0, width: 1200, height: 900 })
    expect(framedRect(640, 480, 1600, 900, 'fill')).toEqual({ x: 0, y: -150, width: 1600, height: 1200 })
    expect(framedRect(1920, 1080, 1600, 900, 'fit')).toEqual(framedRect(1920, 1080, 1600, 900, 'fill'))
  })

  test('a picture without size is refused', () => expect(() => framedRect(0, 10, 10, 10, 'fit')).toThrow(TypeError))
})

describe('seating', () => {
  /** Rooms of the stage on a small and a large screen: with the divider at its usual place, and in a window of its own. */
  const USUAL = [
    [1180, 344],
    [1820, 470],
    [1280, 800],
    [1920, 1080],
  ] as const
  /** With the divider near its ends: four pictures of 16:9 cannot fill a ribbon. */
  const RIBBONS = [
    [1180, 230],
    [1180, 560],
    [1820, 300],
    [1820, 780],
  ] as const
  const overlap = (a: Seat, b: Seat) => a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height

  test('everybody sits inside the room, nobody over another, the programme is the largest', () => {
    const wishes = fc.record({
      large: fc.constantFrom(0 as const, 1 as const, 2 as const),
      share: fc.option(fc.double({ min: 0.15, max: 0.8, noNaN: true }), { nil: undefined }),
    })
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 40 }),
        fc.integer({ min: 300, max: 2500 }),
        fc.integer({ min: 150, max: 1400 }),
        wishes,
        (count, width, height, wish) => {
          const { large, tiles, waste } = seat(count, width, height, 6, wish)
          expect(tiles).toHaveLength(count)
          expect(large).toHaveLength(wish.large)
          const all = [...large, ...tiles]
          const outside = all.filter((s) => s.x < 0 || s.y < 0 || s.x + s.width > width + 1 || s.y + s.height > height + 1)
          expect(outside).toEqual([])
          expect(all.some((a, i) => all.slice(i + 1).some((b) => overlap(a, b)))).toBe(false)
          if (wish.share === undefined && waste < 0.5) for (const a of large) for (const b of tiles) expect(a.width).toBeGreaterThanOrEqual(b.width)
          expect(seat(count, width, height, 6, wish)).toEqual({ large, tiles, waste })
        },
      ),
      { numRuns: 300 },
    )
  })

  test.each([...USUAL.map(([w, h]) => [w, h, 0.15] as const), ...RIBBONS.map(([w, h]) => [w, h, 0.35] as const)])(
    'of a stage of %i × %i little stays empty at 4, 9, 16 and 24 angles',
    (width, height, most) => {
      const told = [4, 9, 16, 24].map((count) => {
        const { waste, tiles, large } = seat(count, width, height, 6)
        expect(waste).toBeLessThan(most)
        return `${count}: ${(100 * waste).toFixed(1)} % (tiles ${tiles[0].width}, programme ${large[0].width})`
      })
      console.log(`stage of ${width} × ${height}: ${told.join(', ')}`)
    },
  )

  test('a wished share of the width is given as nearly as the room lets it', () => {
    for (const share of [0.25, 0.4, 0.5]) {
      const [programme] = seat(9, 1180, 344, 6, { share }).large
      expect(Math.abs(programme.width / 1180 - share)).toBeLessThan(0.06)
    }
  })

  test('the wall alone, the programme alone', () => {
    expect(seat(9, 1180, 344, 6, { large: 0 }).large).toEqual([])
    const [programme] = seat(0, 1180, 344, 6).large
    expect(programme.height).toBe(344)
  })
})
