import { filmOf, preparedKey } from '@pendolo/core/film'
import type { Edit } from '@pendolo/core/project'
import { eventOf } from './model.ts'
import { readyRanges, widened } from './prepared-ranges.ts'
import { project, seconds } from './testing.ts'

const title = (from: number, to: number): Edit => ({
  type: 'layers',
  cutId: 'cut',
  layers: [{ id: 'title', kind: 'title', from: seconds(from), to: seconds(to), height: 0, place: { x: 0, y: 0, width: 1, height: 0.2 }, text: 'Depot Night' }],
})
const choose = (at: number, angleId: string): Edit => ({ type: 'choose', cutId: 'cut', time: seconds(at), choice: { angleId } })
const state = project([choose(5, 'g'), choose(25, 'r'), title(8, 30)])

test('what is made reaches to the cuts and ends of layers around what was found, but not far', () => {
  const wide = (from: number, to: number, cutId = 'cut') => {
    const { from: start, to: end } = widened(state, { cutId, from: seconds(from), to: seconds(to) }, eventOf(state))
    return [start / seconds(1), end / seconds(1)]
  }
  expect(wide(9, 10)).toEqual([8, 20])
  expect(wide(20, 21)).toEqual([10, 25])
  expect(wide(24, 26)).toEqual([14, 30])
  // The event begins and ends.
  expect(wide(1, 2)).toEqual([0, 5])
  expect(wide(58, 59)).toEqual([48, 60])
  expect(wide(9, 10, 'gone')).toEqual([9, 10])
})

test('what was made is played as long as the same is seen there', () => {
  const range = { cutId: 'cut', from: seconds(8), to: seconds(20) }
  const facts = new Map(state.files.map((f) => [f.id, f.facts]))
  const content = new Map(state.files.map((f) => [f.id, f.contentKey]))
  const key = preparedKey(
    state.doc,
    filmOf(state.doc, (id) => facts.get(id)),
    (id) => content.get(id),
    range,
  )
  const jobs = [
    { kind: 'prepare' as const, state: 'done' as const, result: { ...range, key } },
    { kind: 'prepare' as const, state: 'running' as const, result: null },
    { kind: 'prepare' as const, state: 'done' as const, result: { ...range, to: seconds(12), key: 'another' } },
  ]
  expect(readyRanges(state, jobs)).toEqual([{ ...range, url: `/api/media/${key}/prepared` }])
  expect(readyRanges(project([choose(5, 'g'), choose(25, 'r'), title(9, 30)]), jobs)).toEqual([])
  // A change elsewhere is none.
  expect(readyRanges(project([choose(5, 'g'), choose(26, 'r'), title(8, 30)]), jobs)).toHaveLength(1)
})
