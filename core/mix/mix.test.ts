import { decibelsToGain } from './index.ts'

test('decibels as factors', () => {
  expect(decibelsToGain(0)).toBe(1)
  expect(decibelsToGain(-20)).toBeCloseTo(0.1)
  expect(decibelsToGain(-Infinity)).toBe(0)
})
