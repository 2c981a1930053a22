import { ANGLE_KEYS, KEYMAP, type KeyId, keyText } from './keymap.ts'

const ids = Object.keys(KEYMAP) as KeyId[]

test('no key means two things in one place, and none of a place hides one of everywhere', () => {
  const taken = (where: string) => {
    const keys = ids.filter((id) => KEYMAP[id].where === where).flatMap((id) => KEYMAP[id].keys.flatMap((k) => k.split(',').map((one) => one.trim())))
    return where === 'Switch' ? [...keys, ...ANGLE_KEYS, ...ANGLE_KEYS.map((k) => `shift+${k}`)] : keys
  }
  const everywhere = taken('everywhere')
  for (const where of ['Gather', 'Line up', 'Pulse', 'Switch', 'Balance']) {
    const all = [...everywhere, ...taken(where)]
    expect(all.filter((key, i) => all.indexOf(key) !== i)).toEqual([])
  }
})

test('keys are told as they stand on a keyboard', () => {
  expect(keyText('cutToBeat')).toBe('Shift + [  ]')
  expect(keyText('outerEnds')).toBe('Shift + Home  End')
  expect(keyText('shuttle')).toBe('J  K  L')
  expect(keyText('shiftBeats', 1)).toBe('Alt + →')
  expect(keyText('redo')).toBe('Ctrl/⌘ + Shift + Z')
  expect(keyText('play')).toBe('Space')
  expect(keyText('zoom')).toBe('+  −')
  // Nothing is told by a name that only programmers know.
  for (const id of ids) expect(keyText(id)).not.toMatch(/bracket|comma|period|slash|equal|subtract|mod/i)
  // What is told in other words has keys nobody could print, or none of its own.
  for (const id of ids) expect(keyText(id)).not.toBe('')
})
