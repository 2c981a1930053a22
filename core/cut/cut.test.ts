import fc from 'fast-check'
import { type Flicks, flicks, frameStart } from '../time/index.ts'
import { CutError, choose, join, nearestIndex, nextPull, paint, pointAt, press, pulled, reassign, roll, type SwitchPoint } from './index.ts'

const t = (n: number) => flicks(n * 1000)
const point = (n: number, angleId: string): SwitchPoint => ({ time: t(n), angleId })
const times = (points: readonly SwitchPoint[]) => points.map((p) => `${p.time / 1000}${p.angleId}`).join(' ')
const rate = { num: 25, den: 1 }

/** Any list of points as the operations keep it: ascending, no two at one time, neighbours differ. */
const anyPoints = fc
  .array(fc.tuple(fc.integer({ min: 0, max: 60 }), fc.constantFrom('a', 'b', 'c')))
  .map((list) => list.reduce<SwitchPoint[]>((points, [n, angleId]) => choose(points, t(n), { angleId }), []))
const anyTime = fc.integer({ min: 0, max: 60 }).map(t)
const anyAngle = fc.constantFrom('a', 'b', 'c')

function expectTidy(points: readonly SwitchPoint[]): void {
  for (let i = 1; i < points.length; i++) {
    expect(points[i].time).toBeGreaterThan(points[i - 1].time)
    expect(points[i].angleId).not.toBe(points[i - 1].angleId)
  }
}
const seen = (points: readonly SwitchPoint[], time: Flicks) => points[pointAt(points, time)]?.angleId ?? null

describe('switch points', () => {
  test('choosing holds from there to the next point', () => {
    expect(times(choose([point(0, 'a'), point(10, 'b')], t(4), { angleId: 'c' }))).toBe('0a 4c 10b')
  })

  test('choosing what is shown already makes no cut', () => {
    expect(times(choose([point(0, 'a')], t(4), { angleId: 'a' }))).toBe('0a')
  })

  test('cutting again over a passage replaces what was there, and nothing outside it', () => {
    const before = [point(0, 'a'), point(5, 'b'), point(7, 'c'), point(9, 'a'), point(20, 'b')]
    expect(times(press(before, t(10), { angleId: 'c' }, t(4)))).toBe('0a 10c 20b')
    expect(times(choose(before, t(10), { angleId: 'c' }))).toBe('0a 5b 7c 9a 10c 20b')
  })

  test('every operation keeps the list tidy and changes only its own stretch', () => {
    fc.assert(
      fc.property(anyPoints, anyTime, anyTime, anyAngle, anyTime, (points, a, b, angleId, probe) => {
        const chosen = choose(points, a, { angleId })
        expectTidy(chosen)
        expect(seen(chosen, a)).toBe(angleId)
        const next = points.find((p) => p.time > a)
        if (probe < a || (next && probe >= next.time)) expect(seen(chosen, probe)).toBe(seen(points, probe))
        if (a === b) return
        const [from, to] = a < b ? [a, b] : [b, a]
        const painted = paint(points, from, to, { angleId })
        expectTidy(painted)
        if (probe >= from && probe < to) expect(seen(painted, probe)).toBe(angleId)
        else if (probe < from || seen(points, to) !== null) expect(seen(painted, probe)).toBe(seen(points, probe))
      }),
    )
  })

  test('a rolled point never passes its neighbours', () => {
    fc.assert(
      fc.property(anyPoints, fc.nat(), anyTime, (points, which, to) => {
        if (points.length === 0) return
        const { time } = points[which % points.length]
        const rolled = roll(points, [time], to - time, t(1))
        expect(rolled.map((p) => p.angleId)).toEqual(points.map((p) => p.angleId))
        for (let i = 1; i < rolled.length; i++)
          expect(rolled[i].time - rolled[i - 1].time).toBeGreaterThanOrEqual(Math.min(1000, points[i].time - points[i - 1].time))
      }),
    )
  })

  test('joining lets the stretch before go on, and joins equal neighbours too', () => {
    expect(times(join([point(0, 'a'), point(5, 'b'), point(9, 'a')], [t(5)]))).toBe('0a')
  })

  test('giving another angle to a stretch adds no cut', () => {
    expect(times(reassign([point(0, 'a'), point(5, 'b'), point(9, 'a')], [t(5)], { angleId: 'c' }))).toBe('0a 5c 9a')
  })

  test('what does not fit is refused with words', () => {
    expect(() => reassign([point(5, 'a')], [t(2)], { angleId: 'b' })).toThrow(CutError)
    expect(() => join([point(5, 'a')], [t(2)])).toThrow(/no cut/)
    expect(() => roll([], [t(2)], 1000, t(1))).toThrow(CutError)
    expect(() => paint([], t(3), t(3), { angleId: 'a' })).toThrow(CutError)
  })
})

describe('the magnet', () => {
  const beats = [1, 2, 3].map((n) => frameStart(25 * n, rate))
  const at = (frame: number) => frameStart(frame, rate)

  test('pulls to the nearest mark, before it by the lead', () => {
    expect(pulled(at(29), beats, rate)).toBe(at(25))
    expect(pulled(at(40), beats, rate, 2)).toBe(at(48))
    expect(pulled(at(40), beats, rate, -1)).toBe(at(51))
  })

  test('far from every mark it only finds the frame border', () => {
    expect(pulled(flicks(at(400) + 5), beats, rate)).toBe(at(400))
    expect(pulled(flicks(at(7) + 5), [], rate)).toBe(at(7))
  })

  test('a hit pulls from near by only; a mark from as far as a beat', () => {
    expect(pulled(at(33), beats, rate, 0, 'hit')).toBe(at(25))
    expect(pulled(at(35), beats, rate, 0, 'hit')).toBe(at(35))
    expect(pulled(at(35), beats, rate, 0, 'mark')).toBe(at(25))
  })

  test('nearest of an ascending list', () => {
    expect(nearestIndex([], 5)).toBe(-1)
    expect(nearestIndex([1, 4, 9], -3)).toBe(0)
    expect(nearestIndex([1, 4, 9], 6)).toBe(1)
    expect(nearestIndex([1, 4, 9], 100)).toBe(2)
  })
})

test('a cut that waits falls on the next of what pulls, never before the press', () => {
  const rate = { num: 25, den: 1 }
  const at = (frame: number) => frameStart(frame, rate)
  const marks = [10, 20, 30].map(at)
  expect(nextPull(at(11), marks, rate)).toBe(at(20))
  expect(nextPull(at(20), marks, rate)).toBe(at(20))
  expect(nextPull(at(19), marks, rate, 2)).toBe(at(28))
  expect(nextPull(at(17), marks, rate, 2)).toBe(at(18))
  expect(nextPull(at(31), marks, rate)).toBeNull()
  expect(nextPull(at(31), [], rate)).toBeNull()
})
