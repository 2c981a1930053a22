import fc from 'fast-check'
import { firstFrom, lastUpTo } from './index.ts'

const ascending = fc.array(fc.integer({ min: -50, max: 50 }), { maxLength: 60 }).map((values) => values.sort((a, b) => a - b))

test('what is found is what going through all of them would find', () => {
  fc.assert(
    fc.property(ascending, fc.integer({ min: -60, max: 60 }), (values, limit) => {
      const first = values.findIndex((v) => v >= limit)
      expect(firstFrom(values.length, (i) => values[i], limit)).toBe(first < 0 ? values.length : first)
      expect(lastUpTo(values.length, (i) => values[i], limit)).toBe(values.findLastIndex((v) => v <= limit))
    }),
  )
})

test('of equal values the first and the last are meant; in an empty list there is none', () => {
  const values = [1, 2, 2, 2, 3]
  expect(firstFrom(5, (i) => values[i], 2)).toBe(1)
  expect(lastUpTo(5, (i) => values[i], 2)).toBe(3)
  expect(firstFrom(0, () => 0, 2)).toBe(0)
  expect(lastUpTo(0, () => 0, 2)).toBe(-1)
})

test('a hundred thousand values are asked for a few times only', () => {
  let asked = 0
  firstFrom(
    100_000,
    (i) => {
      asked++
      return i
    },
    70_000,
  )
  expect(asked).toBeLessThanOrEqual(17)
})
