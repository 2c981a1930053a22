import { framedRect, seat } from './index.ts'

describe('framing', () => {
  test('fit shows the whole picture with bars, fill covers the frame', () => {
    expect(framedRect(640, 480, 1600, 900, 'fit')).toEqual({ x: 200, y: 0, width: 1200, height: 900 })
    expect(framedRect(640, 480, 1600, 900, 'fill')).toEqual({ x: 0, y: -150, width: 1600, height: 1200 })
    expect(framedRect(1920, 1080, 1600, 900, 'fit')).toEqual(framedRect(1920, 1080, 1600, 900, 'fill'))
  })

  test('a picture without size is refused', () => expect(() => framedRect(0, 10, 10, 10, 'fit')).toThrow(TypeError))
})

describe('seating', () => {
  test.each([1, 2, 5, 8, 9, 16, 24, 40])('%i angles all have a seat beside a larger programme, inside the room', (count) => {
    const [width, height] = [1196, 340]
    const s = seat(count, width, height, 6)
    expect(2 * s.columnsPerSide * s.rows).toBeGreaterThanOrEqual(count)
    expect(s.programmeWidth).toBeGreaterThanOrEqual(s.tileWidth)
    expect(2 * s.columnsPerSide * (s.tileWidth + 6) + s.programmeWidth).toBeLessThanOrEqual(width + 6)
    expect(s.rows * s.tileHeight + (s.rows - 1) * 6).toBeLessThanOrEqual(height)
    expect(s.programmeHeight).toBeLessThanOrEqual(height)
  })

  test('more room makes larger tiles', () => {
    expect(seat(8, 1800, 700, 6).tileWidth).toBeGreaterThan(seat(8, 1196, 340, 6).tileWidth)
  })
})
