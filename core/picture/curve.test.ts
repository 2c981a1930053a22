import fc from 'fast-check'
import { type CurvePoint, curveThrough, isStraight, STRAIGHT } from './curve.ts'
import { looked } from './look.ts'

const points = fc
  .uniqueArray(fc.integer({ min: 0, max: 100 }), { minLength: 2, maxLength: 8 })
  .chain((xs) =>
    fc.tuple(fc.constant([...xs].sort((a, b) => a - b)), fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: xs.length, maxLength: xs.length })),
  )
  .map(([xs, ys]): CurvePoint[] => xs.map((x, i) => [x / 100, ys[i]]))

test('a curve goes through its points, stays between neighbours, and is level beyond its ends', () => {
  fc.assert(
    fc.property(points, fc.double({ min: 0, max: 1, noNaN: true }), (list, x) => {
      const curve = curveThrough(list)
      for (const [px, py] of list) expect(curve(px)).toBeCloseTo(py, 9)
      const right = list.findIndex(([px]) => px > x)
      const [a, b] = right < 0 ? [list[list.length - 1], list[list.length - 1]] : right === 0 ? [list[0], list[0]] : [list[right - 1], list[right]]
      expect(curve(x)).toBeGreaterThanOrEqual(Math.min(a[1], b[1]) - 1e-9)
      expect(curve(x)).toBeLessThanOrEqual(Math.max(a[1], b[1]) + 1e-9)
    }),
  )
})

test('points on the diagonal leave all as it is; what does not go from left to right is none', () => {
  const straight = curveThrough([
    [0, 0],
    [0.3, 0.3],
    [1, 1],
  ])
  for (const x of [0, 0.1, 0.55, 1]) expect(straight(x)).toBeCloseTo(x, 9)
  expect([
    isStraight(STRAIGHT),
    isStraight(undefined),
    isStraight([
      [0.1, 0.1],
      [1, 1],
    ]),
  ]).toEqual([true, true, false])
  expect(() =>
    curveThrough([
      [0.5, 0],
      [0.5, 1],
    ]),
  ).toThrow(TypeError)
  expect(() => curveThrough([[0, 0]])).toThrow(TypeError)
})

test('a look has curves for all colours and for each, one behind the other', () => {
  const lifted = looked(
    {
      curves: {
        all: [
          [0, 0.1],
          [1, 1],
        ],
        blue: [
          [0, 0],
          [1, 0.5],
        ],
      },
    },
    [0, 0.5, 1],
  )
  expect(lifted[0]).toBeCloseTo(0.1, 6)
  expect(lifted[1]).toBeCloseTo(0.55, 6)
  expect(lifted[2]).toBeCloseTo(0.5, 6)
})
