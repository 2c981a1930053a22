import { applyEdits, type Edit, emptyProject, type FileFacts, type Placement } from '../project/index.ts'
import { secondsToFlicks } from '../time/index.ts'
import { projectDesk } from './index.ts'

const s = secondsToFlicks
const facts = (channels: number, durationSeconds = 60) =>
  ({ durationSeconds, audio: { codec: 'pcm', channels, layout: channels === 2 ? 'stereo' : '', sampleRate: 48000, startSeconds: 0, streams: 1 } }) as FileFacts
const FILES: Record<string, FileFacts> = { mix: facts(2), mics: facts(4), cam: facts(1), mute: { ...facts(1), audio: null } }
const place = (start: number): Placement => ({ start: s(start), rate: 1, method: 'sound', verdict: 'sure', confidence: 1, why: [], locked: false })

/** A desk mix as the master, a recorder of four microphones, a camera, and one that hears nothing. */
const project = (edits: Edit[] = []) =>
  applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [{ id: 'a', name: 'Angle', hue: 0, framing: 'fit' }],
      clips: ['mix', 'mics', 'cam', 'mute'].map((id) => ({ id, fileId: id, angleId: id === 'mix' ? null : 'a', state: 'in' as const })),
    },
    { type: 'setMaster', clipId: 'mix' },
    { type: 'place', by: 'search', placements: { mics: place(0), cam: place(4), mute: place(5) }, loose: {} },
    ...edits,
  ]).doc
const desk = (...edits: Edit[]) => projectDesk(project(edits), (id) => FILES[id])
const strip = (clipId: string, change: Extract<Edit, { type: 'strip' }>['change'], channel?: string): Edit => ({ type: 'strip', clipId, channel, change })
/** Strips by their keys: which input they take, where they go, and with what factors. */
const shape = ({ nodes }: ReturnType<typeof desk>) =>
  Object.fromEntries(nodes.map((n) => [n.key, { input: n.input, into: n.into === null ? null : nodes[n.into].key, sides: [n.left, n.right] }]))

describe('what of a project is heard', () => {
  test('at first the master alone, in two channels as it is', () => {
    expect(shape(desk())).toEqual({ mix: { input: 0, into: null, sides: [1, 1] } })
    expect(desk().sources).toEqual([{ clipId: 'mix', channel: null, number: 0 }])
  })

  test('a recorder is taken apart once something is said of a channel, and its strip works on the sum', () => {
    const on = strip('mics', { on: true, gainDb: -6 })
    expect(shape(desk(on)).mics).toMatchObject({ input: 1, into: null })
    const apart = desk(on, strip('mics', { pan: 1 }, '0.2'), { type: 'channel', clipId: 'mics', channel: '0.1', change: { on: false } })
    expect(apart.sources.map((x) => x.channel)).toEqual([null, '0.0', '0.2', '0.3'])
    expect(shape(apart)).toMatchObject({
      'mics 0.0': { into: 'mics', sides: [0.5, 0.5] },
      'mics 0.2': { into: 'mics', sides: [0, 0.5] },
      mics: { input: null, into: null, sides: [expect.closeTo(0.501, 3), expect.closeTo(0.501, 3)] },
    })
  })

  test('what goes to a group goes through it, behind the level of its clip; when the group is taken away, where it went before', () => {
    const edits: Edit[] = [
      strip('mics', { on: true, gainDb: -6 }),
      { type: 'group', groupId: 'voices', name: 'Voices', change: { gainDb: -20 } },
      strip('mics', { group: 'voices', gainDb: -20 }, '0.0'),
      strip('cam', { on: true, group: 'voices' }),
    ]
    expect(shape(desk(...edits))).toMatchObject({
      'mics 0.0': { into: 'voices', sides: [expect.closeTo(0.5 * 0.1 * 0.501, 4), expect.anything()] },
      'mics 0.1': { into: 'mics' },
      cam: { into: 'voices' },
      voices: { input: null, into: null, sides: [expect.closeTo(0.1, 6), expect.closeTo(0.1, 6)] },
    })
    const without = shape(desk(...edits, { type: 'removeGroup', groupId: 'voices' }))
    expect(without).toMatchObject({ 'mics 0.0': { into: 'mics' }, cam: { into: null } })
    expect(without.voices).toBeUndefined()
  })

  test('every strip stands before the one that it goes to', () => {
    const { nodes } = desk(
      { type: 'group', groupId: 'a group', name: 'All' },
      strip('mics', { on: true, group: 'a group' }),
      strip('mics', { gainDb: -3 }, '0.3'),
      strip('cam', { on: true, group: 'a group' }),
    )
    for (const [i, n] of nodes.entries()) if (n.into !== null) expect(n.into).toBeGreaterThan(i)
    expect(nodes.at(-1)?.key).toBe('a group')
  })

  test('mute silences what it is set on; solo silences all else, whether of a channel, a clip or a group', () => {
    const all: Edit[] = [strip('mics', { on: true }), strip('cam', { on: true })]
    const heard = (...edits: Edit[]) => desk(...all, ...edits).sources.map((x) => (x.channel === null ? x.clipId : `${x.clipId} ${x.channel}`))
    expect(heard()).toEqual(['mix', 'mics', 'cam'])
    expect(heard(strip('cam', { mute: true }))).toEqual(['mix', 'mics'])
    expect(heard(strip('mics', { solo: true }))).toEqual(['mics'])
    expect(heard(strip('mics', { solo: true }, '0.1'))).toEqual(['mics 0.1'])
    expect(heard(strip('mics', { mute: true }, '0.1'))).toEqual(['mix', 'mics 0.0', 'mics 0.2', 'mics 0.3', 'cam'])
    expect(heard({ type: 'group', groupId: 'g', name: 'G', change: { solo: true } }, strip('cam', { group: 'g' }))).toEqual(['cam'])
    // What is muted as well is no solo that others give way to.
    expect(heard(strip('mics', { solo: true, mute: true }))).toEqual(['mix', 'cam'])
  })

  test('a clip or a channel that is off is there when a range lets it be heard, silent where none does', () => {
    const range = { id: 'r', from: s(10), to: s(20), on: true }
    expect(desk().sources.map((x) => x.clipId)).not.toContain('cam')
    const ranged = desk({ type: 'mixRanges', ranges: [{ ...range, clipId: 'cam' }] })
    expect(ranged.nodes.find((n) => n.key === 'cam')?.levels[0].points.map((p) => p.value)).toEqual([0, 1, 1, 0])
    const off: Edit = { type: 'channel', clipId: 'mics', channel: '0.3', change: { on: false } }
    const channels = desk(strip('mics', { on: true }), off, { type: 'mixRanges', ranges: [{ ...range, clipId: 'mics', channel: '0.3' }] })
    expect(channels.nodes.find((n) => n.key === 'mics 0.3')?.levels[0].points[0].value).toBe(0)
  })

  test('a drawn level, a delay and what a strip does come along; a drawn silence throughout is not even read', () => {
    const bands = [{ kind: 'bell' as const, hz: 300, gainDb: -4, q: 1 }]
    const { nodes } = desk(
      strip('cam', { on: true, bands, highPassHz: 120 }),
      { type: 'envelope', clipId: 'cam', points: [{ time: s(5), gainDb: -3 }] },
      strip('mics', { on: true }),
      { type: 'channel', clipId: 'mics', channel: '0.0', change: { delay: s(0.02) } },
    )
    expect(nodes.find((n) => n.key === 'cam')).toMatchObject({
      processing: { bands, highPassHz: 120 },
      levels: [{ lines: 'decibels', points: [{ time: s(5), value: -3 }] }],
    })
    expect(nodes.find((n) => n.key === 'mics 0.0')?.delay).toBeCloseTo(0.02, 9)
    const silent = desk(strip('cam', { on: true }), { type: 'envelope', clipId: 'cam', points: [{ time: s(0), gainDb: -60 }] })
    expect(silent.sources.map((x) => x.clipId)).toEqual(['mix'])
  })

  test('two recorders that are the master together give way to each other', () => {
    const doc = project([
      { type: 'place', by: 'search', placements: { mics: place(50) }, loose: {} },
      { type: 'masters', clipIds: ['mix', 'mics'], join: 'crossfade', fade: s(2) },
    ])
    const { nodes } = projectDesk(doc, (id) => FILES[id])
    expect(nodes.map((n) => [n.key, n.levels[0].points.map((p) => p.value)])).toEqual([
      ['mix', [1, 0]],
      ['mics', [0, 1]],
    ])
  })

  test('channels that cannot be told apart yet are heard together, and what cannot be heard not at all', () => {
    const doc = project([strip('mics', { on: true }), strip('mics', { mute: true }, '0.0')])
    const keys = (wishes: Parameters<typeof projectDesk>[2]) => projectDesk(doc, (id) => FILES[id], wishes).nodes.map((n) => n.key)
    expect(keys({ canBeApart: () => false })).toEqual(['mix', 'mics'])
    expect(keys({ canBeHeard: (c) => c.id !== 'mix' })).toEqual(['mics 0.1', 'mics 0.2', 'mics 0.3', 'mics'])
  })
})
