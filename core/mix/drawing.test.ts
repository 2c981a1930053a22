import fc from 'fast-check'
import { type Flicks, flicks, secondsToFlicks } from '../time/index.ts'
import { curveAt, type Drawn, drawnAt, following, onCurve, type PointChange, raised, undrawn, withoutRanges } from './index.ts'

const s = secondsToFlicks
const applied = (drawn: Drawn, changes: readonly PointChange[]): Drawn => {
  const out: Record<string, number> = { ...drawn }
  for (const { time, gainDb } of changes) {
    if (gainDb === null) delete out[String(time)]
    else out[String(time)] = gainDb
  }
  return out
}
const FADE = s(0.1)

describe('a level that is raised over a stretch', () => {
  const stretch = { from: s(10), to: s(20) }

  test('is higher within, as it was outside, and changes at the edges', () => {
    const drawn = applied({}, raised({}, stretch, 6, FADE))
    expect([5, 9.9, 10, 10.1, 15, 20, 20.1, 30].map((t) => drawnAt(drawn, s(t)))).toEqual([0, 0, 3, 6, 6, 3, 0, 0])
  })

  test('keeps the shape of what is drawn within', () => {
    const before = { [s(5)]: -6, [s(12)]: 0, [s(15)]: -3, [s(25)]: -6 }
    const after = applied(before, raised(before, stretch, -2, FADE))
    for (const t of [10.2, 12, 13, 15, 18, 19.8]) expect(drawnAt(after, s(t))).toBeCloseTo(drawnAt(before, s(t)) - 2, 1)
    for (const t of [2, 5, 9.9, 20.1, 25]) expect(drawnAt(after, s(t))).toBeCloseTo(drawnAt(before, s(t)), 1)
  })

  test('raised again and lowered back by as much sounds as before, at every instant', () => {
    const levels = fc.dictionary(
      fc.integer({ min: 0, max: 300 }).map((t) => String(s(t / 10))),
      fc.integer({ min: -20, max: 0 }),
      { maxKeys: 6 },
    )
    fc.assert(
      fc.property(levels, fc.integer({ min: 0, max: 200 }), fc.integer({ min: 2, max: 80 }), fc.integer({ min: 1, max: 10 }), (drawn, begin, length, by) => {
        const range = { from: s(begin / 10), to: s((begin + length) / 10) }
        const up = applied(drawn, raised(drawn, range, by, FADE))
        const middle = (range.from + range.to) / 2
        expect(drawnAt(up, middle)).toBeCloseTo(drawnAt(drawn, middle) + by, 0)
        const twice = applied(up, raised(up, range, by, FADE))
        expect(Object.keys(twice)).toHaveLength(Object.keys(up).length)
        const back = applied(up, raised(up, range, -by, FADE))
        for (let t = 0; t < 300; t += 7) {
          // Beside the edges corners of what was drawn have been rounded off.
          if ([range.from, range.to].some((edge) => Math.abs(edge - s(t / 10)) <= FADE)) continue
          expect(drawnAt(back, s(t / 10))).toBeCloseTo(drawnAt(drawn, s(t / 10)), 0)
        }
      }),
      { numRuns: 200 },
    )
  })

  test('what was drawn in a stretch is taken away with its edges', () => {
    const drawn = applied({ [s(40)]: -3 }, raised({ [s(40)]: -3 }, stretch, 6, FADE))
    expect(applied(drawn, undrawn(drawn, stretch, FADE))).toEqual({ [s(40)]: -3 })
  })
})

test('a stretch is left free of ranges: they are cut off, divided or taken away, and sound the same elsewhere', () => {
  const ranges = [
    { id: 'a', from: s(0), to: s(5), on: true },
    { id: 'b', from: s(6), to: s(7), on: false },
    { id: 'c', from: s(8), to: s(20), on: false },
  ]
  expect(withoutRanges(ranges, { from: s(4), to: s(9) }, () => 'new')).toEqual({
    set: [
      { id: 'a', from: s(0), to: s(4), on: true },
      { id: 'c', from: s(9), to: s(20), on: false },
    ],
    remove: ['b'],
  })
  const split = withoutRanges([ranges[2]], { from: s(10), to: s(11) }, (r) => `${r.id}2`)
  expect(split.set.map((r) => [r.id, r.from, r.to])).toEqual([
    ['c', s(8), s(10)],
    ['c2', s(11), s(20)],
  ])
  const curve = onCurve(true, split.set)
  expect([9, 10.5, 12, 21].map((t) => curveAt(curve, s(t)))).toEqual([0, 1, 0, 1])
})

describe('a level that follows stretches', () => {
  const rules = { openDb: 0, downDb: -15, lead: 0.1, tail: 0.3, bridge: 1 }
  const whole = { from: s(0), to: s(60) }
  const drawn = (stretches: [number, number][], over = whole) =>
    applied(
      {},
      following(
        stretches.map(([from, to]) => ({ from: s(from), to: s(to) })),
        over,
        rules,
        FADE,
      ),
    )

  test('is open before the first word and until after the last, down elsewhere, and stays open over short gaps', () => {
    const level = drawn([
      [10, 12],
      [12.8, 14],
      [30, 31],
    ])
    expect([0, 9.8, 9.95, 11, 12.4, 14, 14.2, 14.4, 25, 30.5, 40].map((t) => drawnAt(level, s(t)))).toEqual([-15, -15, 0, 0, 0, 0, 0, -15, -15, 0, -15])
  })

  test('begins open where a word does, and is down throughout where there is none', () => {
    expect(drawnAt(drawn([[0, 2]]), s(0))).toBe(0)
    expect(Object.values(drawn([]))).toEqual([-15])
  })

  test('whatever the stretches, it is open in all of them and its points are in order', () => {
    const any = fc.array(fc.record({ at: fc.integer({ min: 0, max: 590 }), length: fc.integer({ min: 1, max: 60 }) }), { maxLength: 12 })
    fc.assert(
      fc.property(any, (list) => {
        const stretches = list.map(({ at, length }) => ({ from: s(at / 10), to: flicks(Math.min(whole.to, s((at + length) / 10))) as Flicks }))
        const points = following(stretches, whole, rules, FADE)
        for (const [i, p] of points.entries()) if (i > 0) expect(p.time).toBeGreaterThan(points[i - 1].time)
        const level = applied({}, points)
        for (const { from, to } of stretches) expect(drawnAt(level, (from + to) / 2)).toBe(0)
      }),
      { numRuns: 300 },
    )
  })
})
