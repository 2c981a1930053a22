import fc from 'fast-check'
import { flicks } from '../time/index.ts'
import { pacedAt } from './pace.ts'

const t = (n: number) => flicks(n)
const [FROM, TO] = [t(1_000_000), t(5_000_000)]

test('half as fast, twice as fast and standing still', () => {
  expect(pacedAt({ start: 0.5, end: 0.5 }, FROM, TO, t(3_000_000))).toBe(2_000_000)
  expect(pacedAt({ start: 2, end: 2 }, FROM, TO, t(2_000_000))).toBe(3_000_000)
  expect(pacedAt({ start: 0, end: 0 }, FROM, TO, t(4_999_999))).toBe(FROM)
  expect(pacedAt({ start: 1, end: 1 }, FROM, TO, t(2_345_678))).toBe(2_345_678)
})

test('it begins at one speed, ends at the other, is half way between in the middle, and never runs back', () => {
  const speed = fc.double({ min: 0, max: 8, noNaN: true })
  fc.assert(
    fc.property(speed, speed, (start, end) => {
      const at = (n: number) => pacedAt({ start, end }, FROM, TO, t(n))
      const slope = (n: number) => (at(n + 2000) - at(n)) / 2000
      expect(slope(FROM)).toBeCloseTo(start, 1)
      expect(slope(3_000_000 - 1000)).toBeCloseTo((start + end) / 2, 1)
      expect(slope(TO - 2000)).toBeCloseTo(end, 1)
      expect(at(TO) - FROM).toBeCloseTo(((start + end) / 2) * (TO - FROM), -1)
      for (let n: number = FROM; n < TO; n += 100_000) expect(at(n + 100_000)).toBeGreaterThanOrEqual(at(n))
    }),
    { numRuns: 50 },
  )
})
