import { type CardInk, drawCard } from './card.ts'

/** Letters half as wide as they are high; keeps what was written. */
function ink() {
  const written: { text: string; x: number; y: number; size: number }[] = []
  const of: CardInk & { written: typeof written; filled: unknown[] } = {
    font: '',
    fillStyle: '',
    textAlign: '',
    textBaseline: '',
    written,
    filled: [],
    fillRect: (...rect) => of.filled.push([of.fillStyle, ...rect]),
    measureText: (text) => ({ width: (text.length * sizeOf(of.font)) / 2 }),
    fillText: (text, x, y) => written.push({ text, x, y, size: sizeOf(of.font) }),
  }
  return of
}
const sizeOf = (font: string) => Number(/([\d.]+)px/.exec(font)?.[1])

describe('a card', () => {
  test('is black where it has no words', () => {
    for (const text of ['', '  \n ']) {
      const on = ink()
      drawCard(on, text, 640, 360)
      expect(on.filled).toEqual([['#000', 0, 0, 640, 360]])
      expect(on.written).toEqual([])
    }
  })

  test('has its lines in the middle, one below the other as they were typed', () => {
    const on = ink()
    drawCard(on, 'Depot Night\nFirst half', 1920, 1080)
    expect(on.written.map((w) => w.text)).toEqual(['Depot Night', 'First half'])
    for (const w of on.written) expect([w.x, w.size]).toEqual([960, 108])
    expect((on.written[0].y + on.written[1].y) / 2).toBeCloseTo(540, 6)
    expect(on.written[1].y - on.written[0].y).toBeGreaterThan(108)
  })

  test('divides what is too wide between words, and makes letters smaller where that does not help', () => {
    const on = ink()
    drawCard(on, 'the lamps of the old depot are lit again tonight', 640, 360)
    expect(on.written.length).toBeGreaterThan(1)
    expect(on.written.map((w) => w.text).join(' ')).toBe('the lamps of the old depot are lit again tonight')
    const long = ink()
    drawCard(long, 'o'.repeat(60), 640, 360)
    expect(long.written).toHaveLength(1)
    expect(long.written[0].size * 30).toBeLessThanOrEqual(0.84 * 640)
    const many = ink()
    drawCard(many, Array.from({ length: 30 }, (_, i) => `name ${i}`).join('\n'), 640, 360)
    expect(many.written).toHaveLength(30)
    for (const w of many.written) {
      expect(w.y).toBeGreaterThan(0)
      expect(w.y).toBeLessThan(360)
    }
  })

  test('looks the same at any size', () => {
    const [small, large] = [ink(), ink()]
    drawCard(small, 'one and two and three and four and five and six', 480, 270)
    drawCard(large, 'one and two and three and four and five and six', 1920, 1080)
    expect(large.written.map((w) => w.text)).toEqual(small.written.map((w) => w.text))
    for (const [i, w] of large.written.entries())
      expect([w.x / 4, w.y / 4, w.size / 4].map(Math.round)).toEqual([small.written[i].x, small.written[i].y, small.written[i].size].map(Math.round))
  })
})
