import { lookBetween, lookSteps } from './drift.ts'
import { looked } from './look.ts'

test('between two looks lies one, in all their numbers', () => {
  expect(lookBetween({ exposure: 1 }, { warmth: 0.4, saturation: 2 }, 0.5)).toEqual({ exposure: 0.5, warmth: 0.2, saturation: 1.5 })
  expect(lookBetween({ exposure: 1 }, { exposure: -1 }, 0)).toEqual({ exposure: 1 })
})

test('one becomes the other in steps that are not seen', () => {
  const [one, other] = [{}, { exposure: 0.4, warmth: -0.2 }]
  const steps = lookSteps(one, other)
  expect(steps).toBeGreaterThan(10)
  for (let k = 0; k < steps; k++) {
    const [a, b] = [k, k + 1].map((n) => looked(lookBetween(one, other, n / steps), [0.5, 0.4, 0.7]))
    for (const c of [0, 1, 2]) expect(Math.abs(a[c] - b[c])).toBeLessThan(1.5 / 255)
  }
  expect(lookSteps({ exposure: 1 }, { exposure: 1 })).toBe(1)
  expect(lookSteps({ exposure: -5 }, { exposure: 5 })).toBe(64)
})
