import type { SwitchPoint } from '@pendolo/core/cut'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { commonTransition, givingEdits, lengthAt } from './giving.ts'

const FRAME = flicks(FLICKS_PER_SECOND / 25)
const s = (seconds: number) => flicks(Math.round(seconds * FLICKS_PER_SECOND))
const beats: Flicks[] = [0, 0.5, 1, 1.6, 2.2].map(s)
const points: SwitchPoint[] = [
  { time: s(0), angleId: 'a' },
  { time: s(1), angleId: 'b', transition: { kind: 'dissolve', length: flicks(10 * FRAME) } },
  { time: s(2), angleId: 'a' },
]

test('beats last as long as they do where the cut lies, in whole frames', () => {
  expect(lengthAt({ count: 1, unit: 'beats' }, s(0.1), beats, FRAME)).toBe(13 * FRAME)
  expect(lengthAt({ count: 1, unit: 'beats' }, s(1.6), beats, FRAME)).toBe(15 * FRAME)
  expect(lengthAt({ count: 0.01, unit: 'beats' }, s(1), beats, FRAME)).toBe(FRAME)
  expect(lengthAt({ count: 2, unit: 'beats' }, s(1), [], FRAME)).toBe(25 * FRAME)
  expect(lengthAt({ count: 7.4, unit: 'frames' }, s(1), beats, FRAME)).toBe(7 * FRAME)
})

test('all chosen cuts give way alike, but for the first, before which there is nothing', () => {
  const dip = { kind: 'dip' as const, lasting: { count: 5, unit: 'frames' as const } }
  const edits = givingEdits('cut', points, [s(0), s(1), s(2), s(3)], dip, beats, FRAME)
  expect(edits).toEqual([s(1), s(2)].map((time) => ({ type: 'transition', cutId: 'cut', time, transition: { kind: 'dip', length: 5 * FRAME } })))
  expect(givingEdits('cut', points, [s(1)], null, beats, FRAME)).toMatchObject([{ transition: null }])
})

test('what several cuts have in common is told', () => {
  expect(commonTransition(points, [s(1)])).toEqual({ kind: 'dissolve', length: 10 * FRAME })
  expect(commonTransition(points, [s(2)])).toBeNull()
  expect(commonTransition(points, [s(1), s(2)])).toBeUndefined()
  // Before the first nothing can give way; it has no say.
  expect(commonTransition(points, [s(0), s(1)])).toMatchObject({ kind: 'dissolve' })
})
