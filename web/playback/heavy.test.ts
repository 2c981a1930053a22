import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { HeavyFinder } from './heavy.ts'
import type { HeavyRange } from './types.ts'

let told: HeavyRange[]
let finder: HeavyFinder
beforeEach(() => {
  told = []
  finder = new HeavyFinder((range) => told.push(range))
})
/** A second of 25 pictures that each take so long to draw. */
const second = (n: number, ms: number, cutId = 'v') => {
  for (let k = 0; k < 25; k++) finder.drawn(cutId, flicks(Math.round((n + k / 25) * FLICKS_PER_SECOND)), ms)
}
const found = () => told.map(({ cutId, from, to }) => [cutId, from / FLICKS_PER_SECOND, to / FLICKS_PER_SECOND])

test('seconds that take too long are told together when they are over', () => {
  second(3, 5)
  second(4, 20)
  second(5, 30)
  expect(told).toEqual([])
  // A light one in between belongs to them.
  second(6, 5)
  second(7, 30)
  for (let n = 8; n < 12; n++) second(n, 5)
  expect(told).toEqual([])
  second(12, 5)
  expect(found()).toEqual([['v', 4, 8]])
  finder.rest()
  finder.rest()
  expect(told).toHaveLength(1)
})

test('a stop, a jump and another version each end what was found', () => {
  second(4, 20)
  finder.rest()
  second(-10, 20)
  second(30, 20)
  second(31, 20, 'other')
  finder.rest()
  expect(found()).toEqual([
    ['v', 4, 5],
    ['v', -10, -9],
    ['v', 30, 31],
    ['other', 31, 32],
  ])
})

test('one slow picture is chance, one in each second is not', () => {
  finder.drawn('v', flicks(8 * FLICKS_PER_SECOND), 900)
  finder.rest()
  expect(told).toEqual([])
  for (const n of [20, 21, 22, 23]) finder.drawn('v', flicks(n * FLICKS_PER_SECOND), 900)
  finder.rest()
  // Nothing may come of a second in which the machine was called away.
  for (const n of [40, 42, 44]) finder.drawn('v', flicks(n * FLICKS_PER_SECOND), 900)
  finder.drawn('other', flicks(46 * FLICKS_PER_SECOND), 900)
  finder.rest()
  expect(found()).toEqual([
    ['v', 21, 24],
    ['v', 42, 45],
  ])
})
