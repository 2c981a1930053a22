import { placeByClock, settleRivals, USUAL_WAYS, WAYS } from './ways.ts'

describe('clocks of cameras', () => {
  test('the middle of the placed ones tells how the clocks run', () => {
    const references = [
      { recordedAt: 1000, startSeconds: 0 },
      { recordedAt: 1060.4, startSeconds: 60 },
      { recordedAt: 8000, startSeconds: 90 }, // a clock that was never set
    ]
    const estimate = placeByClock(1120, references)
    expect(estimate?.startSeconds).toBeCloseTo(119.6, 6)
    expect(estimate?.tolerance).toBeCloseTo(2 + 3 * 0.4, 6)
  })

  test('no clock, no reference, or clocks at odds give nothing', () => {
    expect(placeByClock(5, [])).toBeNull()
    expect(placeByClock(Number.NaN, [{ recordedAt: 1, startSeconds: 0 }])).toBeNull()
    const odds = [0, 100, 250].map((recordedAt) => ({ recordedAt, startSeconds: 0 }))
    expect(placeByClock(5, odds)).toBeNull()
  })

  test('an estimate settles rivals only where it can mean one of them', () => {
    expect(settleRivals([10, 18, 26], { startSeconds: 17.2, tolerance: 3 })).toBe(1)
    expect(settleRivals([10, 12, 14], { startSeconds: 12.1, tolerance: 3 })).toBe(-1)
    expect(settleRivals([10, 18], { startSeconds: 100, tolerance: 3 })).toBe(-1)
  })

  test('what proves nothing is not among the usual ways', () => {
    expect(USUAL_WAYS).not.toContain('first-frame')
    for (const way of USUAL_WAYS) expect(WAYS).toContain(way)
  })
})
