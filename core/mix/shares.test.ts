import fc from 'fast-check'
import { flicks } from '../time/index.ts'
import { curveAt, masterShares, type Recorded } from './index.ts'

const rec = (id: string, start: number, end: number): Recorded => ({ id, start: flicks(start), end: flicks(end) })
const at = (shares: ReturnType<typeof masterShares>, time: number) => [...shares].map(([, curve]) => curveAt(curve, flicks(time)))

describe('several recordings as one master', () => {
  test('one alone is heard as it is', () => {
    expect([...masterShares([rec('a', 0, 100)], 'crossfade', flicks(10))]).toEqual([['a', { lines: 'factors', points: [{ time: 0, value: 1 }] }]])
  })

  test('crossfaded they change in the middle of their overlap', () => {
    const shares = masterShares([rec('a', 0, 100), rec('b', 60, 200)], 'crossfade', flicks(10))
    expect([10, 74, 80, 86, 150].map((t) => at(shares, t))).toEqual([
      [1, 0],
      [1, 0],
      [0.5, 0.5],
      [0, 1],
      [0, 1],
    ])
  })

  test('by order the better one is heard as long as it lasts', () => {
    const shares = masterShares([rec('a', 50, 100), rec('b', 0, 200)], 'order', flicks(10))
    expect([20, 50, 60, 75, 90, 100, 150].map((t) => at(shares, t))).toEqual([
      [0, 1],
      [0, 1],
      [1, 0],
      [1, 0],
      [1, 0],
      [0, 1],
      [0, 1],
    ])
  })

  test('without overlap one begins where the other ends, and a hole is a hole', () => {
    const shares = masterShares([rec('a', 0, 50), rec('b', 50, 100), rec('c', 120, 130)], 'crossfade', flicks(10))
    expect([49, 50, 125].map((t) => at(shares, t)[2] + at(shares, t)[1] + at(shares, t)[0])).toEqual([3, 3, 3])
    for (const [, { points }] of shares) expect(points).toHaveLength(1)
  })

  test('wherever one of them is there, the shares of those that are add up to 1', () => {
    const anyRec = fc.record({ start: fc.integer({ min: 0, max: 300 }), length: fc.integer({ min: 1, max: 200 }) })
    fc.assert(
      fc.property(
        fc.array(anyRec, { minLength: 1, maxLength: 5 }),
        fc.constantFrom('crossfade' as const, 'order' as const),
        fc.integer({ min: 0, max: 60 }),
        fc.integer({ min: 0, max: 500 }),
        (list, join, fade, time) => {
          const recordings = list.map((r, i) => rec(String(i), r.start, r.start + r.length))
          const shares = masterShares(recordings, join, flicks(fade))
          const there = recordings.filter((r) => time >= r.start && time < r.end)
          const sum = there.reduce((s, r) => s + curveAt(shares.get(r.id) as NonNullable<ReturnType<typeof shares.get>>, flicks(time)), 0)
          if (there.length > 0) expect(sum).toBeCloseTo(1, 6)
        },
      ),
      {
        numRuns: 1000,
        examples: [
          [
            [
              { start: 0, length: 4 },
              { start: 1, length: 4 },
              { start: 2, length: 4 },
              { start: 0, length: 1 },
            ],
            'crossfade',
            2,
            3,
          ],
        ],
      },
    )
  })
})
