import type { Mark } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { beatRows, matches } from './rows.ts'

describe('rows of the list', () => {
  const pulse = {
    tempoBpm: 120,
    metre: 4,
    confidence: 1,
    beats: Array.from({ length: 10 }, (_, i) => secondsToFlicks(1 + i / 2)),
    downbeats: [2, 6],
  }

  test('beats are counted in their bar; those before the first bar say so', () => {
    expect(beatRows(pulse, false).map((r) => r.name)).toEqual(['before bar 1', 'before bar 1', '1.1', '1.2', '1.3', '1.4', '2.1', '2.2', '2.3', '2.4'])
  })

  test('bars stand where they begin', () => {
    expect(beatRows(pulse, true).map((r) => [r.name, r.time])).toEqual([
      ['bar 1', pulse.beats[2]],
      ['bar 2', pulse.beats[6]],
    ])
    expect(beatRows(null, true)).toEqual([])
  })

  test('a mark is found by its name and by its note, in any case', () => {
    const mark = { name: 'Ring', text: 'Left hand first' } as Mark
    expect(['ring', 'LEFT', 'hand f', ''].map((t) => matches(mark, t))).toEqual([true, true, true, true])
    expect(matches(mark, 'right')).toBe(false)
  })
})
