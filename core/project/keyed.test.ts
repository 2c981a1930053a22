import { flicks } from '../time/index.ts'
import { applyEdits, applyKeptPatches, type Edit, emptyProject, type Mark, markOf, type ProjectDoc } from './index.ts'

const mark = (id: string, time: number): Mark => ({ id, time: flicks(time), kind: 'cue', name: id, hue: 0 })
const ids = ({ marks }: ProjectDoc) => marks.map((m) => m.id).join(' ')
const add = (...marks: Mark[]): Edit => ({ type: 'addMarks', marks })
const move = (markId: string, time: number): Edit => ({ type: 'changeMark', markId, change: { time: flicks(time) } })

test('marks stand in order of time, those of one time in order of their ids, wherever they come from and go to', () => {
  const { doc } = applyEdits(emptyProject('cut'), [add(mark('d', 5), mark('b', 5), mark('a', 9), mark('c', 1)), move('a', 5), move('c', 7)])
  expect(ids(doc)).toBe('a b d c')
})

test('a state knows its own marks, whatever became of them in newer ones', () => {
  const first = applyEdits(emptyProject('cut'), [add(mark('a', 1), mark('b', 2))]).doc
  const second = applyEdits(first, [move('a', 3), { type: 'removeMarks', markIds: ['b'] }, add(mark('c', 0))]).doc
  const third = applyEdits(first, [move('b', 0)]).doc
  expect([ids(first), ids(second), ids(third)]).toEqual(['a b', 'c a', 'b a'])
  expect([first, second, third].map(({ marks }) => ['a', 'b', 'c'].map((id) => markOf(marks, id)?.time))).toEqual([
    [1, 2, undefined],
    [3, undefined, 0],
    [1, 0, undefined],
  ])
})

test('a mark may have a name that lists have, and can be taken back by it', () => {
  const before = applyEdits(emptyProject('cut'), [add(mark('a', 1), mark('b', 2))]).doc
  const { doc, forward, backward } = applyEdits(before, [add(mark('length', 5)), add(mark('0', 4))])
  expect(ids(doc)).toBe('a b 0 length')
  expect(ids(applyKeptPatches(before, JSON.parse(JSON.stringify(forward))))).toBe('a b 0 length')
  expect(ids(applyKeptPatches(doc, JSON.parse(JSON.stringify(backward))))).toBe('a b')
})

test('two that change one list of cuts each keep what the other did', () => {
  const choose = (time: number, angleId: string): Edit => ({ type: 'choose', cutId: 'cut', time: flicks(time), choice: { angleId } })
  const angles = ['a', 'b', 'c'].map((id, hue) => ({ id, name: id, hue, framing: 'fit' as const }))
  const before = applyEdits(emptyProject('cut'), [{ type: 'addClips', angles, clips: [] }, choose(0, 'a'), choose(10, 'b')]).doc
  const [one, other] = [choose(5, 'c'), choose(20, 'c')].map((edit) => applyEdits(before, [edit]).forward)
  const there = applyKeptPatches(applyKeptPatches(before, one), other)
  expect(there).toEqual(applyKeptPatches(applyKeptPatches(before, other), one))
  expect(there.cuts[0].points.map((p) => [p.time, p.angleId])).toEqual([
    [0, 'a'],
    [5, 'c'],
    [10, 'b'],
    [20, 'c'],
  ])
})
