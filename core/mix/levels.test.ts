import fc from 'fast-check'
import { FLICKS_PER_SECOND, flicks, secondsToFlicks } from '../time/index.ts'
import { curveAt, drawnCurve, isSilent, type LevelCurve, onCurve, SHORT_FADE, timesCurve } from './index.ts'

const s = secondsToFlicks
const at = (curve: LevelCurve, seconds: number) => curveAt(curve, s(seconds))

describe('when something is heard', () => {
  test('without ranges always or never', () => {
    expect(onCurve(true, []).points).toEqual([])
    expect(isSilent(onCurve(false, []))).toBe(true)
  })

  test('a range lets it be heard, or not, with a short change in the middle of each edge', () => {
    const curve = onCurve(false, [{ from: s(2), to: s(3), on: true }])
    expect([1, 2, 2.5, 3, 4].map((t) => at(curve, t))).toEqual([0, expect.closeTo(0.5, 6), 1, expect.closeTo(0.5, 6), 0])
    const half = SHORT_FADE / 2 / FLICKS_PER_SECOND
    expect(at(curve, 2 - half)).toBe(0)
    expect(at(curve, 2 + half)).toBe(1)
  })

  test('later ranges lie over earlier ones; where the state stays nothing dips', () => {
    const curve = onCurve(true, [
      { from: s(1), to: s(5), on: false },
      { from: s(2), to: s(3), on: true },
      { from: s(5), to: s(6), on: false },
    ])
    expect([0.5, 1.5, 2.5, 4, 5, 5.5, 7].map((t) => at(curve, t))).toEqual([1, 0, 1, 0, 0, 0, 1])
  })

  test('changes take as long as is said, but no longer than there is room', () => {
    const long = onCurve(false, [{ from: s(10), to: s(20), on: true, fadeIn: s(2), fadeOut: s(4) }])
    expect([9, 10, 11, 18, 20, 22].map((t) => at(long, t))).toEqual([0, 0.5, 1, 1, 0.5, 0])
    const tight = onCurve(false, [{ from: s(10), to: s(11), on: true, fadeIn: s(8), fadeOut: s(8) }])
    expect(at(tight, 10.5)).toBe(1)
    for (const [i, p] of tight.points.entries()) if (i > 0) expect(p.time).toBeGreaterThanOrEqual(tight.points[i - 1].time)
  })
})

test('a drawn level goes straight in decibels, and is silence at the bottom', () => {
  const curve = drawnCurve({ [s(4)]: -12, [s(2)]: 0, [s(6)]: -60 })
  expect(at(curve, 0)).toBe(1)
  expect(20 * Math.log10(at(curve, 3))).toBeCloseTo(-6, 6)
  expect(20 * Math.log10(at(curve, 5))).toBeCloseTo(-36, 6)
  expect(at(curve, 6)).toBe(0)
  expect(isSilent(drawnCurve({}))).toBe(false)
})

test('frames get just what the curve says at their instants, wherever a block begins', () => {
  const curves = fc.record({
    lines: fc.constantFrom('factors' as const, 'decibels' as const),
    points: fc.array(fc.record({ at: fc.integer({ min: -50, max: 300 }), value: fc.double({ min: 0, max: 1, noNaN: true }) }), { minLength: 1, maxLength: 6 }),
  })
  fc.assert(
    fc.property(
      curves,
      fc.integer({ min: 0, max: 20 }),
      fc.integer({ min: -80, max: 280 }),
      fc.double({ min: 0.2, max: 3, noNaN: true }),
      (drawn, from, begins, step) => {
        const points = drawn.points
          .map((p) => ({ time: flicks(p.at * 1000), value: drawn.lines === 'factors' ? p.value : -60 * p.value }))
          .sort((a, b) => a.time - b.time)
        const curve = { lines: drawn.lines, points }
        const out = new Float32Array(150).fill(0.5)
        timesCurve(curve, out, from, 150, begins * 1000, step * 1000)
        for (let n = 0; n < 150; n++) {
          const time = begins * 1000 + (n - from) * step * 1000
          // At a point where it jumps either side is right.
          if (n >= from && points.some((p) => Math.abs(p.time - time) < 1e-3)) continue
          expect(out[n]).toBeCloseTo(n < from ? 0.5 : 0.5 * curveAt(curve, time), 5)
        }
      },
    ),
    { numRuns: 300 },
  )
})
