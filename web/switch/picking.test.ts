import { applyEdits, emptyProject } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks, frameStart, nearestFrameStart } from '@pendolo/core/time'
import { bordersIn } from './borders.ts'
import { pickedBy } from './picking.ts'

const t = (n: number) => flicks(n * FLICKS_PER_SECOND)
const points = [0, 5, 9, 14].map((n, i) => ({ time: t(n), angleId: 'abcd'[i] }))

test('a pressed cut is chosen alone, too, or with all up to it', () => {
  expect(pickedBy(points, [], t(5), 'alone')).toEqual([t(5)])
  expect(pickedBy(points, [t(5)], t(14), 'alone')).toEqual([t(14)])
  expect(pickedBy(points, [t(9)], t(5), 'too')).toEqual([t(5), t(9)])
  expect(pickedBy(points, [t(5), t(9)], t(5), 'too')).toEqual([t(9)])
  expect(pickedBy(points, [t(5)], t(14), 'through')).toEqual([t(5), t(9), t(14)])
  expect(pickedBy(points, [t(9), t(14)], t(0), 'through')).toEqual([t(0), t(5), t(9), t(14)])
  expect(pickedBy(points, [t(5)], null, 'alone')).toEqual([])
})

describe('where angles take turns', () => {
  const beats = Array.from({ length: 40 }, (_, i) => flicks(Math.round((1 + i * 0.51) * FLICKS_PER_SECOND)))
  const { doc } = applyEdits(emptyProject('cut'), [
    { type: 'settings', change: { lead: 1 } },
    { type: 'setPulse', pulse: { tempoBpm: 117, metre: 4, confidence: 1, beats, downbeats: beats.flatMap((_, i) => (i % 4 === 2 ? [i] : [])) } },
  ])
  const rate = { num: 25, den: 1 }
  const led = (i: number) => nearestFrameStart(beats[i], rate) - frameStart(1, rate)

  test('every so many beats from that at which the range begins, with the lead', () => {
    const range = { from: flicks(led(4)), to: t(9) }
    const every = bordersIn(doc, range, 3, 'beat')
    expect(every.slice(0, 3)).toEqual([led(7), led(10), led(13)])
    expect(every.every((b) => b > range.from && b < range.to)).toBe(true)
    expect(bordersIn(doc, range, 1, 'bar')).toEqual([6, 10, 14].map(led))
  })

  test('begun between two beats, the first change comes with the next one', () => {
    expect(bordersIn(doc, { from: t(3.2), to: t(6) }, 2, 'beat')[0]).toBe(led(5))
  })

  test('in seconds where nothing counts', () => {
    expect(bordersIn(emptyProject('cut'), { from: t(2), to: t(4) }, 0.5, 's')).toEqual([2.5, 3, 3.5].map((s) => nearestFrameStart(t(s), rate)))
    expect(bordersIn(emptyProject('cut'), { from: t(2), to: t(4) }, 1, 'beat')).toEqual([])
  })
})
