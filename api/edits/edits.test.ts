import { checkEdits } from '../index.ts'

const at = (body: unknown, rest: () => Promise<void> = async () => undefined) => checkEdits(body, rest)
const check = (...edits: unknown[]) =>
  at({ edits }).then(
    () => true,
    () => false,
  )
const choose = { type: 'choose', cutId: 'cut', time: 705_600_000, choice: { angleId: 'a' } }
const placement = { start: 0, rate: 1, method: 'sound', verdict: 'sure', confidence: 0.9, why: '', locked: false }

describe('edits as they come over the wire', () => {
  test.each([
    [choose],
    [{ ...choose, since: 0 }],
    [{ ...choose, choice: { angleId: 'a', clipId: 'take-2' } }],
    [{ type: 'settings', change: { rate: '30000/1001', dropFrame: true } }],
    [{ type: 'settings', change: { loudness: null, lossless: true } }],
    [{ type: 'strip', clipId: 'a', change: { repair: { hum: { on: true, hz: 50, harmonics: 8 }, wind: { on: false, hz: 120 } } } }],
    [{ type: 'orderAngles', angleIds: ['b', 'a'] }],
    [{ type: 'moveClips', clipIds: ['c'], angle: { id: 'a' } }],
    [{ type: 'moveClips', clipIds: ['c'], angle: { id: 'n', name: 'New', hue: 3, framing: 'fill' } }],
    [{ type: 'place', by: 'hand', placements: { c: placement }, loose: {} }],
    [{ type: 'place', by: 'search', placements: {}, loose: { c: 'no sound' } }],
    [{ type: 'keep', start: null }],
    [{ type: 'strip', clipId: 'c', change: { gainDb: -12, solo: true } }],
    [{ type: 'setPulse', pulse: null }],
    [{ type: 'addCut', cutId: 'n', name: 'Cut B', from: null }],
  ])('accepts %j', async (edit) => expect(await check(edit)).toBe(true))

  test.each([
    ['no type', {}],
    ['an unknown type', { type: 'erase' }],
    ['a name of Object', { type: 'constructor' }],
    ['a field too many', { ...choose, extra: 1 }],
    ['a field too few', { type: 'choose', cutId: 'cut', time: 0 }],
    ['half a flick', { ...choose, time: 0.5 }],
    ['a time as text', { ...choose, time: '0' }],
    ['a rate nobody has', { type: 'settings', change: { rate: '26/1' } }],
    ['a loudness nobody could hear', { type: 'settings', change: { loudness: -90 } }],
    ['noise learnt of too few bands', { type: 'strip', clipId: 'a', change: { repair: { noise: { on: true, reductionDb: 9, bandsDb: [-60] } } } }],
    ['hum of no mains', { type: 'strip', clipId: 'a', change: { repair: { hum: { on: true, hz: 400, harmonics: 3 } } } }],
    ['a repair without its switch', { type: 'strip', clipId: 'a', change: { repair: { clicks: { sensitivity: 50 } } } }],
    ['a picture of no size', { type: 'settings', change: { width: 0 } }],
    ['an empty name', { type: 'renameAngle', angleId: 'a', name: '  ' }],
    ['a placement without a verdict', { type: 'place', by: 'hand', placements: { c: { ...placement, verdict: 'perhaps' } }, loose: {} }],
    ['a clip that runs backwards', { type: 'place', by: 'hand', placements: { c: { ...placement, rate: -1 } }, loose: {} }],
    ['a level to burst ears', { type: 'strip', clipId: 'c', change: { gainDb: 90 } }],
    ['an unknown framing', { type: 'frameAngle', angleId: 'a', framing: 'stretch' }],
  ])('refuses %s', async (_, edit) => expect(await check(edit)).toBe(false))

  test('one bad edit spoils the list, and an empty list is none', async () => {
    expect(await check(choose, { type: 'erase' })).toBe(false)
    expect(await check()).toBe(false)
    await expect(at({ edits: [choose, { ...choose, time: 0.5 }] })).rejects.toThrow(/^edit 2: times are whole flicks/)
    for (const body of [null, undefined, [], 'edits', { edits: {} }, { edits: [choose], more: 1 }, { edits: Array(1001).fill(choose) }])
      await expect(at(body)).rejects.toThrow()
  })

  test('long lists are checked to their last entry, with its place, and others get their turn meanwhile', async () => {
    const marks = (n: number) => Array.from({ length: n }, (_, i) => ({ id: `m${i}`, time: i, kind: 'cue', name: '', hue: 0 }))
    let turns = 0
    const rest = async () => void turns++
    await expect(at({ edits: [{ type: 'addMarks', marks: marks(4000) }] }, rest)).resolves.toHaveLength(1)
    expect(turns).toBeGreaterThan(20)
    const bad = marks(4000)
    bad[3777] = { ...bad[3777], hue: 99 }
    await expect(at({ edits: [{ type: 'addMarks', marks: bad }] })).rejects.toThrow(/marks\[3777\]\.hue/)
    await expect(at({ edits: [{ type: 'addMarks', marks: marks(10_001) }] })).rejects.toThrow(/marks has more than 10000 entries/)
    const pulse = { tempoBpm: 120, metre: 4, confidence: 1, beats: Array.from({ length: 9000 }, (_, i) => i), downbeats: [0] }
    await expect(at({ edits: [{ type: 'setPulse', pulse }] })).resolves.toHaveLength(1)
    await expect(at({ edits: [{ type: 'setPulse', pulse: { ...pulse, beats: [...pulse.beats, 0.5] } }] })).rejects.toThrow(/whole flicks/)
    await expect(at({ edits: [{ type: 'setPulse', pulse: { ...pulse, beats: Array(200_001).fill(1) } }] })).rejects.toThrow(
      /pulse\.beats has more than 200000 entries/,
    )
    await expect(at({ edits: [{ type: 'removeMarks', markIds: Array(500).fill('__proto__') }] })).rejects.toThrow(/id/)
    await expect(at({ edits: [{ type: 'lock', clipIds: ['c'], locked: true, unknown: Array(500).fill(1) }] })).rejects.toThrow()
  })

  test('reasons come as facts, or as words, which are kept as a fact; what is neither is refused', async () => {
    const place = (why: unknown, loose: unknown = why) => ({ type: 'place', by: 'hand', placements: { c: { ...placement, why } }, loose: { d: loose } })
    const facts = [{ code: 'windows', agreeing: 3, windows: 4, ratio: 0.5 }]
    expect(await at({ edits: [place(facts)] })).toMatchObject([{ placements: { c: { why: facts } }, loose: { d: facts } }])
    expect(await at({ edits: [place('by my script')] })).toMatchObject([
      { placements: { c: { why: [{ code: 'words', text: 'by my script' }] } }, loose: { d: [{ code: 'words', text: 'by my script' }] } },
    ])
    expect(await at({ edits: [place('')] })).toMatchObject([{ placements: { c: { why: [] } }, loose: { d: [] } }])
    for (const bad of [5, {}, [{ code: 'nobody' }], ['words'], 'x'.repeat(501), null]) {
      expect(await check(place(bad, []))).toBe(false)
      expect(await check(place([], bad))).toBe(false)
    }
  })
})
