import type { GatheredFile, ProjectState } from '@pendolo/api'
import type { Edit, FileFacts, Placement } from '@pendolo/core/project'
import { flamSounds } from '../lineup/flam.ts'
import { channelAlone, masterEnd, playModel, soundOnly } from './model.ts'
import { file, placement, project, seconds } from './testing.ts'

describe('what the engine plays of a project', () => {
  test('placed clips on the master’s time, its length, the framing of the angles and the cut', () => {
    const state = project([
      { type: 'choose', cutId: 'cut', time: seconds(5), choice: { angleId: 'g' } },
      { type: 'seeAngle', angleId: 'g', look: { exposure: 0.5 } },
      { type: 'exceptions', exceptions: [{ id: 'close', angleId: 'r', from: seconds(1), to: seconds(2), look: { contrast: 1.5 } }] },
    ])
    const model = playModel(state)
    expect(model).toMatchObject({ event: { start: 0, end: seconds(60) }, film: { start: 0, end: seconds(60) } })
    expect(masterEnd(state)).toBe(seconds(60))
    expect(model.angles).toMatchObject([
      { id: 'g', framing: 'fit', look: { exposure: 0.5 } },
      { id: 'r', framing: 'fill' },
    ])
    expect(model.exceptions).toEqual(state.doc.exceptions)
    expect(model.clips.find((c) => c.clipId === 'gantry-1')).toMatchObject({
      angleId: 'g',
      start: seconds(4),
      end: seconds(34),
      tileUrl: '/api/media/key-gantry/tile',
    })
    expect(model.points.cut.map((p) => p.angleId)).toEqual(['g'])
  })

  test('cameras that ran before the master and after it widen the event, not the film', () => {
    const state = project([{ type: 'place', by: 'search', placements: { 'gantry-1': placement(-12), 'roof-1': placement(55, { rate: 1.5 }) }, loose: {} }])
    expect(playModel(state)).toMatchObject({ event: { start: seconds(-12), end: seconds(85) }, film: { start: 0, end: seconds(60) } })
    const kept = project([
      { type: 'place', by: 'search', placements: { 'gantry-1': placement(-12) }, loose: {} },
      { type: 'keep', start: seconds(-8), end: seconds(30) },
    ])
    expect(playModel(kept).film).toEqual({ start: seconds(-8), end: seconds(30) })
  })

  test('a clip without a place can be looked at from its own beginning, but no angle shows it', () => {
    const roof = playModel(project()).clips.find((c) => c.clipId === 'roof-1')
    expect(roof).toMatchObject({ angleId: '', start: 0, end: seconds(20), map: { start: 0, rate: 1 } })
    const aside = playModel(project([{ type: 'setAside', clipIds: ['roof-1'], aside: true }]))
    expect(aside.clips.map((c) => c.clipId)).toEqual(['gantry-1'])
  })

  test('a recording that lost time has pictures in pieces, with the gap between them', () => {
    const jumps = [{ at: seconds(10), by: seconds(0.4) }]
    const state = project([{ type: 'place', by: 'hand', placements: { 'gantry-1': placement(4, { jumps } as Partial<Placement>) }, loose: {} }])
    const pieces = playModel(state).clips.filter((c) => c.clipId === 'gantry-1')
    expect(pieces).toHaveLength(2)
    expect(pieces[0].start).toBe(seconds(4))
    expect(pieces[0].end).toBeLessThanOrEqual(pieces[1].start)
    expect(pieces[1].end).toBe(seconds(34.4))
  })

  test('light copies that are not made yet are no address, and nothing without pictures has a tile', () => {
    const model = playModel(project([], [file('mix', 60, { video: null }), file('gantry', 30, { ready: { tile: false, sharp: false } }), file('roof', 20)]))
    expect(model.clips.find((c) => c.clipId === 'gantry-1')).toMatchObject({ tileUrl: null, sharpUrl: null })
    expect(model.clips.some((c) => c.clipId === 'master')).toBe(false)
  })

  test('at first the master alone is heard; a camera’s sound is heard when it is switched on, and alone in solo', () => {
    const gains = (...edits: Edit[]) => Object.fromEntries(playModel(project(edits)).sounds.nodes.map((n) => [n.key, n.left]))
    expect(gains()).toEqual({ master: 1 })
    const on = gains({ type: 'strip', clipId: 'gantry-1', change: { on: true, gainDb: -6 } })
    expect(on).toEqual({ master: 1, 'gantry-1': expect.closeTo(0.501, 3) })
    expect(gains({ type: 'strip', clipId: 'gantry-1', change: { on: true, solo: true } })).toEqual({ 'gantry-1': 1 })
    expect(gains({ type: 'strip', clipId: 'master', change: { on: false } })).toEqual({})
  })

  test('what has no place, is set aside, or is not prepared yet is not heard', () => {
    const camera: Edit = { type: 'strip', clipId: 'gantry-1', change: { on: true } }
    const heard = (state: ProjectState) => playModel(state).sounds.inputs.map((s) => s.clipId)
    expect(heard(project([camera]))).toEqual(['master', 'gantry-1'])
    expect(heard(project([camera, { type: 'setAside', clipIds: ['gantry-1'], aside: true }]))).toEqual(['master'])
    expect(heard(project([camera], [file('mix', 60, { video: null, ready: { sound: false } }), file('gantry', 30)]))).toEqual(['gantry-1'])
  })
})

test('a recorder has sound only; a camera has not, nor one whose other file has pictures, nor an angle without files', () => {
  const files = [file('mix', 60, { video: null }), file('gantry', 30, { video: null }), file('roof', 20)]
  const only = (edits: Edit[] = []) => ['g', 'r', 'nothing'].filter((id) => soundOnly(project(edits, files), id))
  expect(only()).toEqual(['g'])
  expect(only([{ type: 'moveClips', clipIds: ['roof-1'], angle: { id: 'g' } }])).toEqual([])
})

describe('the flam check', () => {
  test('the master sounds left of the middle, the clip right of it; both where they lie', () => {
    const sounds = flamSounds(project(), 'gantry-1')
    expect(sounds.nodes.map((n) => n.key)).toEqual(['master', 'gantry-1'])
    expect(sounds.nodes[0].left).toBeGreaterThan(sounds.nodes[0].right)
    expect(sounds.nodes[1].left).toBeLessThan(sounds.nodes[1].right)
    expect(sounds.inputs[1].map.start).toBe(seconds(4))
  })

  test('a clip without a place has no flam: the master is heard by itself', () => {
    expect(flamSounds(project(), 'roof-1').inputs.map((s) => s.clipId)).toEqual(['master'])
  })
})

describe('channels of a recording', () => {
  const recorder = (ready: Partial<GatheredFile['ready']> = {}) => {
    const mix = file('mix', 60, { video: null, ready })
    return [
      { ...mix, facts: { ...mix.facts, audio: { ...(mix.facts.audio as NonNullable<FileFacts['audio']>), channels: 4, layout: '' } } },
      file('gantry', 30),
      file('roof', 20),
    ]
  }
  const channel = (clipId: string, key: string, change: Extract<Edit, { type: 'channel' }>['change']): Edit => ({
    type: 'channel',
    clipId,
    channel: key,
    change,
  })
  const soundsOf = (p: ProjectState, clipId = 'master') => {
    const { inputs, nodes } = playModel(p).sounds
    return inputs.flatMap((s, i) =>
      s.clipId === clipId ? [{ url: s.url, from: s.from, sides: nodes.filter((n) => n.input === i).map((n) => [n.left, n.right]) }] : [],
    )
  }
  const whole = [{ url: '/api/media/key-mix/sound', from: null, sides: [[1, 1]] }]

  test('are played from the copy of the whole until one is changed, then each from its own place in its copy', () => {
    expect(soundsOf(project([], recorder()))).toEqual(whole)
    expect(soundsOf(project([channel('master', '0.1', { on: false }), channel('master', '0.3', { layout: 'left' })], recorder()))).toEqual(
      [
        [0, 0.5, 0.5],
        [2, 0.5, 0.5],
        [3, 0.5, 0],
      ].map(([channel, left, right]) => ({ url: '/api/media/key-mix/channels', from: { track: 0, channel }, sides: [[left, right]] })),
    )
  })

  test('of a stereo sound are apart in its copy already', () => {
    const on: Edit = { type: 'strip', clipId: 'gantry-1', change: { on: true } }
    expect(soundsOf(project([on, channel('gantry-1', '0.0', { on: false })]), 'gantry-1')).toEqual([
      { url: '/api/media/key-gantry/sound', from: { track: 0, channel: 1 }, sides: [[0, 1]] },
    ])
  })

  test('while their copy is being made, the whole is heard', () => {
    expect(soundsOf(project([channel('master', '0.1', { on: false })], recorder({ channels: false })))).toEqual(whole)
  })

  test('one by itself is in the middle at its own level, off or not', () => {
    const off = project([channel('master', '0.2', { on: false })], recorder())
    expect(channelAlone(off, 'master', '0.2')).toMatchObject({
      inputs: [{ url: '/api/media/key-mix/channels', from: { track: 0, channel: 2 } }],
      nodes: [{ input: 0, into: null, left: 1, right: 1 }],
    })
    expect(channelAlone(off, 'master', '0.7')).toBeNull()
    expect(channelAlone(project([], recorder({ channels: false })), 'master', '0.2')).toBeNull()
  })
})
