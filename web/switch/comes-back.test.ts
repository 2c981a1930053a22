import type { SwitchPoint } from '@pendolo/core/cut'
import { flicks } from '@pendolo/core/time'
import { comesBack } from './comes-back.ts'

const at = (time: number, angleId: string, split?: true): SwitchPoint => ({ time: flicks(time), angleId, ...(split && { split }) })

test('what gave way behind the stop comes back, as far as it gave way and is not there; what was removed further on stays removed', () => {
  const before = [at(0, 'a'), at(10, 'b'), at(20, 'a'), at(30, 'b'), at(40, 'b', true), at(50, 'a'), at(60, 'b')]
  const now = [at(0, 'a'), at(12, 'c'), at(30, 'b')]
  expect(comesBack({ cutId: 'cut', before, gave: flicks(50) }, now, 2)).toEqual([
    { type: 'choose', cutId: 'cut', time: 20, choice: { angleId: 'a' } },
    { type: 'choose', cutId: 'cut', time: 40, choice: { angleId: 'b' } },
    { type: 'split', cutId: 'cut', time: 40 },
    { type: 'choose', cutId: 'cut', time: 50, choice: { angleId: 'a' } },
  ])
  expect(comesBack({ cutId: 'cut', before, gave: flicks(15) }, now, 2)).toEqual([])
})
