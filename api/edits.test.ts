import { editsBody } from './index.ts'

const check = (...edits: unknown[]) => editsBody.isValidSync({ edits })
const choose = { type: 'choose', cutId: 'cut', time: 705_600_000, choice: { angleId: 'a' } }
const placement = { start: 0, rate: 1, method: 'sound', verdict: 'sure', confidence: 0.9, why: '', locked: false }

describe('edits as they come over the wire', () => {
  test.each([
    [choose],
    [{ ...choose, since: 0 }],
    [{ ...choose, choice: { angleId: 'a', clipId: 'take-2' } }],
    [{ type: 'settings', change: { rate: '30000/1001', dropFrame: true } }],
    [{ type: 'orderAngles', angleIds: ['b', 'a'] }],
    [{ type: 'moveClips', clipIds: ['c'], angle: { id: 'a' } }],
    [{ type: 'moveClips', clipIds: ['c'], angle: { id: 'n', name: 'New', hue: 3, framing: 'fill' } }],
    [{ type: 'place', by: 'hand', placements: { c: placement }, loose: {} }],
    [{ type: 'place', by: 'search', placements: {}, loose: { c: 'no sound' } }],
    [{ type: 'keep', start: null }],
    [{ type: 'strip', clipId: 'c', change: { gainDb: -12, solo: true } }],
    [{ type: 'setPulse', pulse: null }],
    [{ type: 'addCut', cutId: 'n', name: 'Cut B', from: null }],
  ])('accepts %j', (edit) => expect(check(edit)).toBe(true))

  test.each([
    ['no type', {}],
    ['an unknown type', { type: 'erase' }],
    ['a name of Object', { type: 'constructor' }],
    ['a field too many', { ...choose, extra: 1 }],
    ['a field too few', { type: 'choose', cutId: 'cut', time: 0 }],
    ['half a flick', { ...choose, time: 0.5 }],
    ['a time as text', { ...choose, time: '0' }],
    ['a rate nobody has', { type: 'settings', change: { rate: '26/1' } }],
    ['a picture of no size', { type: 'settings', change: { width: 0 } }],
    ['an empty name', { type: 'renameAngle', angleId: 'a', name: '  ' }],
    ['a placement without a verdict', { type: 'place', by: 'hand', placements: { c: { ...placement, verdict: 'perhaps' } }, loose: {} }],
    ['a clip that runs backwards', { type: 'place', by: 'hand', placements: { c: { ...placement, rate: -1 } }, loose: {} }],
    ['a level to burst ears', { type: 'strip', clipId: 'c', change: { gainDb: 90 } }],
    ['an unknown framing', { type: 'frameAngle', angleId: 'a', framing: 'stretch' }],
  ])('refuses %s', (_, edit) => expect(check(edit)).toBe(false))

  test('one bad edit spoils the list, and an empty list is none', () => {
    expect(check(choose, { type: 'erase' })).toBe(false)
    expect(check()).toBe(false)
  })
})
