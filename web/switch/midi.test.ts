import { angleOfPress, pressOf, withLearnt } from './midi.ts'

test('pads and buttons that are pressed are told apart from what is let go and from clocks', () => {
  expect(pressOf({ data: [0x90, 36, 100] })).toBe('note 36 on 1')
  expect(pressOf({ data: [0x95, 40, 1] })).toBe('note 40 on 6')
  expect(pressOf({ data: [0xb0, 20, 127] })).toBe('control 20 on 1')
  for (const data of [[0x90, 36, 0], [0x80, 36, 64], [0xb0, 20, 0], [0xf8], [0xe0, 0, 64]]) expect(pressOf({ data })).toBeNull()
})

test('without anything learnt notes from the lowest drum on are the angles in order; then only what was learnt', () => {
  expect(angleOfPress('note 38 on 1', {})).toBe(2)
  expect(angleOfPress('note 20 on 1', {})).toBeNull()
  expect(angleOfPress('control 38 on 1', {})).toBeNull()
  const learnt = withLearnt(withLearnt({}, 'control 7 on 2', 0), 'note 60 on 1', 1)
  expect(angleOfPress('control 7 on 2', learnt)).toBe(0)
  expect(angleOfPress('note 60 on 1', learnt)).toBe(1)
  expect(angleOfPress('note 36 on 1', learnt)).toBeNull()
  // Learnt anew, neither the press nor the angle has two meanings.
  expect(withLearnt(learnt, 'note 60 on 1', 0)).toEqual({ 'note 60 on 1': 0 })
})
