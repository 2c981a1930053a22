import { secondsToFlicks } from '@pendolo/core/time'
import { barLines, laneHeightFor, ticks } from './ruler.ts'

const pulse = {
  tempoBpm: 120,
  metre: 4,
  confidence: 1,
  beats: Array.from({ length: 400 }, (_, i) => secondsToFlicks(i / 2)),
  downbeats: Array.from({ length: 100 }, (_, i) => i * 4),
}

describe('the ruler', () => {
  test('ticks are round, in view and far enough apart to read', () => {
    for (const span of [0.5, 3, 24, 200, 7200]) {
      const shown = ticks(10, span, 1000)
      expect(shown.length).toBeGreaterThan(1)
      expect(Math.min(...shown)).toBeGreaterThanOrEqual(10)
      expect(Math.max(...shown)).toBeLessThanOrEqual(10 + span + 1e-6)
      expect(((shown[1] - shown[0]) / span) * 1000).toBeGreaterThanOrEqual(89)
    }
  })

  test('bars are numbered from one; beats show when there is room', () => {
    const close = barLines(pulse, 0, 8, 1000)
    expect(close.filter((l) => l.bar !== null).map((l) => l.bar)).toEqual([1, 2, 3, 4, 5])
    expect(close.filter((l) => l.bar === null).length).toBe(12)
  })

  test('from afar only some bars are drawn, never crowded', () => {
    const far = barLines(pulse, 0, 200, 1000)
    expect(far.every((l) => l.bar !== null)).toBe(true)
    for (let i = 1; i < far.length; i++) expect(((far[i].seconds - far[i - 1].seconds) / 200) * 1000).toBeGreaterThan(30)
  })

  test('all lanes stand in a small room together, up to two dozen; few are not stretched without end', () => {
    for (let lanes = 1; lanes <= 24; lanes++) expect(laneHeightFor(240, lanes) * lanes).toBeLessThanOrEqual(240)
    expect(laneHeightFor(240, 2)).toBe(76)
    expect(laneHeightFor(240, 60)).toBe(4)
    expect(laneHeightFor(-5, 0)).toBe(4)
  })

  test('without a pulse there are no bars', () => expect(barLines(null, 0, 10, 1000)).toEqual([]))
})
