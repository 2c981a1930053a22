import type { GatheredFile, ProjectState } from '@pendolo/api'
import { drawnAt, SHORT_FADE } from '@pendolo/core/mix'
import { applyEdits, type Edit, emptyProject, type FileFacts } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { clearEdits, hearEdits, RAISE_FADE, raiseEdits } from './act.ts'
import { followCutEdits, leadEdits, USUAL_LEADING, voicesOf } from './leader.ts'
import { decibelsAt, heightOf } from './level-scale.ts'
import { moved, partAt } from './range-shape.ts'
import { levelEdit, onEdit, rowsFound, type SoundRow, soundRows, stripEdit } from './rows.ts'

const s = secondsToFlicks
const file = (id: string, channels: number): GatheredFile =>
  ({
    id,
    name: `${id}.wav`,
    facts: {
      durationSeconds: 60,
      audio: { codec: 'pcm', channels, layout: channels === 2 ? 'stereo' : '', sampleRate: 48000, startSeconds: 0, streams: 1 },
    } as FileFacts,
  }) as GatheredFile
const FILES = [file('mix', 2), file('mics', 4), file('cam', 1)]

function project(...edits: Edit[]): ProjectState {
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [
        { id: 'a', name: 'Gantry', hue: 0, framing: 'fit' },
        { id: 'v', name: 'Vestry', hue: 1, framing: 'fit' },
      ],
      clips: [
        { id: 'cam', fileId: 'cam', angleId: 'a', state: 'in' },
        { id: 'mics', fileId: 'mics', angleId: 'v', state: 'in' },
        { id: 'mix', fileId: 'mix', angleId: null, state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'mix' },
    {
      type: 'place',
      by: 'search',
      placements: Object.fromEntries(
        ['cam', 'mics'].map((id) => [id, { start: s(0), rate: 1, method: 'sound' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }]),
      ),
      loose: {},
    },
    ...edits,
  ])
  return { doc, files: FILES } as unknown as ProjectState
}
const told = (rows: readonly SoundRow[]) => rows.map((r) => `${'  '.repeat(r.depth)}${r.name}`)
const ALL = new Set(['mics', 'mix', 'cam', 'voices'])
const rowOf = (state: ProjectState, key: string) => soundRows(state, ALL).find((r) => r.key === key) as SoundRow

describe('the rows of Balance', () => {
  test('what is found stands below its recording', () => {
    const rows = soundRows(project({ type: 'channel', clipId: 'mics', channel: '0.2', change: { name: 'Lectern' } }), ALL)
    expect(told(rowsFound(rows, 'lect', false))).toEqual(['Vestry', '  Lectern'])
    expect(told(rowsFound(rows, 'gantry', false))).toEqual(['Gantry'])
    expect(told(rowsFound(rows, '', true))).toEqual(['Master'])
  })

  test('the master comes first, then angle by angle; channels stand below their clip when it is unfolded', () => {
    expect(told(soundRows(project(), new Set()))).toEqual(['Master', 'Gantry', 'Vestry'])
    expect(told(soundRows(project(), new Set(['mics'])))).toEqual(['Master', 'Gantry', 'Vestry', '  channel 1', '  channel 2', '  channel 3', '  channel 4'])
    // One channel is the clip itself.
    expect(told(soundRows(project(), new Set(['cam'])))).toEqual(['Master', 'Gantry', 'Vestry'])
  })

  test('what goes to a group stands below it, channels without their clip', () => {
    const state = project(
      { type: 'group', groupId: 'voices', name: 'Voices' },
      { type: 'strip', clipId: 'mics', channel: '0.1', change: { group: 'voices' } },
      { type: 'channel', clipId: 'mics', channel: '0.1', change: { name: 'Lectern' } },
      { type: 'strip', clipId: 'cam', change: { group: 'voices' } },
    )
    expect(told(soundRows(state, ALL))).toEqual([
      'Voices',
      '  Gantry',
      '  Lectern',
      'Master',
      '  left',
      '  right',
      'Vestry',
      '  channel 1',
      '  channel 3',
      '  channel 4',
    ])
    expect(told(soundRows(state, new Set()))).toEqual(['Voices', 'Master', 'Vestry'])
  })

  test('a row knows whether it is on and whether it is heard at all', () => {
    const off = rowOf(project(), 'mics')
    expect([off.on, off.heard]).toEqual([false, false])
    const ranged = project({ type: 'mixRanges', ranges: [{ id: 'r', clipId: 'mics', from: s(1), to: s(2), on: true }] })
    expect([rowOf(ranged, 'mics').on, rowOf(ranged, 'mics').heard]).toEqual([false, true])
  })

  test('its edits reach its own strip, channel and level', () => {
    const state = project({ type: 'group', groupId: 'voices', name: 'Voices' })
    const [voices, clip, channel] = ['voices', 'mics', 'mics 0.2'].map((key) => rowOf(state, key))
    const { doc } = applyEdits(state.doc, [
      stripEdit(voices, { gainDb: -1 }),
      stripEdit(clip, { gainDb: -2 }),
      stripEdit(channel, { gainDb: -3 }),
      onEdit(channel, false),
      onEdit(clip, true),
      levelEdit(voices, [{ time: s(1), gainDb: -4 }]),
      levelEdit(channel, [{ time: s(1), gainDb: -5 }]),
    ])
    expect(['voices', 'mics', 'mics 0.2'].map((key) => doc.strips[key].gainDb)).toEqual([-1, -2, -3])
    expect(doc.clips.mics.channels?.['0.2'].on).toBe(false)
    expect(doc.strips.mics.on).toBe(true)
    expect([doc.envelopes.voices, doc.envelopes['mics 0.2']]).toEqual([{ [s(1)]: -4 }, { [s(1)]: -5 }])
  })
})

describe('what is done in a range', () => {
  const stretch = { from: s(10), to: s(20) }
  const after = (state: ProjectState, edits: Edit[]) => ({ ...state, doc: applyEdits(state.doc, edits).doc })

  test('the last word counts: a range within another divides it, and as it was takes all away', () => {
    const first = project()
    const silent = after(first, hearEdits([rowOf(first, 'mix')], stretch, false))
    const inner = after(silent, hearEdits([rowOf(silent, 'mix')], { from: s(12), to: s(13) }, true, s(0.5)))
    const ranges = Object.values(inner.doc.mixRanges).sort((a, b) => a.from - b.from)
    expect(ranges.map((r) => [r.from / s(1), r.to / s(1), r.on, r.fadeIn ?? SHORT_FADE])).toEqual([
      [10, 12, false, SHORT_FADE],
      [12, 13, true, s(0.5)],
      [13, 20, false, SHORT_FADE],
    ])
    const cleared = after(inner, clearEdits(inner.doc, [rowOf(inner, 'mix')], stretch))
    expect(cleared.doc.mixRanges).toEqual({})
  })

  test('raising draws the level in a range, and moves the strip without one; taken back nothing is left', () => {
    const first = project()
    const rows = (state: ProjectState) => [rowOf(state, 'mix'), rowOf(state, 'mics 0.0')]
    const up = after(first, raiseEdits(first.doc, rows(first), stretch, 3))
    expect(up.doc.envelopes.mix[s(10) + RAISE_FADE / 2]).toBe(3)
    expect(up.doc.envelopes['mics 0.0'][s(20) - RAISE_FADE / 2]).toBe(3)
    const cleared = after(up, clearEdits(up.doc, rows(up), stretch))
    expect(cleared.doc.envelopes).toEqual({})
    const all = after(first, raiseEdits(first.doc, rows(first), null, -2))
    expect(all.doc.strips.mix.gainDb).toBe(-2)
    expect(after(all, raiseEdits(all.doc, [rowOf(all, 'mix')], null, 99)).doc.strips.mix.gainDb).toBe(12)
  })

  test('groups have no ranges of their own', () => {
    const state = project({ type: 'group', groupId: 'voices', name: 'Voices' })
    expect(hearEdits([rowOf(state, 'voices')], stretch, false)).toEqual([])
  })
})

describe('ranges under the pointer', () => {
  const range = { id: 'r', clipId: 'mix', from: s(10), to: s(20), on: false }
  const x = (time: number) => (time / s(1)) * 10
  test('handles of fades lie at the top, edges below', () => {
    expect(partAt([range], x, 101, 5)).toEqual({ range, part: 'fadeIn' })
    expect(partAt([range], x, 101, 30)).toEqual({ range, part: 'from' })
    expect(partAt([range], x, 198, 30)).toEqual({ range, part: 'to' })
    expect(partAt([{ ...range, fadeOut: s(4) }], x, 180, 5)?.part).toBe('fadeOut')
    expect(partAt([range], x, 150, 30)).toBeNull()
  })

  test('a fade is as long as it is drawn, no longer than its range, and gone at the edge', () => {
    expect(moved(range, 'fadeIn', s(11)).fadeIn).toBe(s(2))
    expect(moved(range, 'fadeOut', s(19.5)).fadeOut).toBe(s(1))
    expect(moved(range, 'fadeIn', s(40)).fadeIn).toBe(s(10))
    expect(moved({ ...range, fadeIn: s(2) }, 'fadeIn', s(9))).toEqual(range)
  })

  test('an edge never passes the other', () => {
    expect(moved(range, 'from', s(12)).from).toBe(s(12))
    expect(moved(range, 'from', s(30)).from).toBe(s(20) - SHORT_FADE)
    expect(moved(range, 'to', s(2)).to).toBe(s(10) + SHORT_FADE)
  })
})

test('where a level lies in a row, and back', () => {
  for (const decibels of [12, 6, 1, -1, -6, -20, -45, -60]) expect(Math.abs(decibelsAt(heightOf(decibels)) - decibels)).toBeLessThan(0.2)
  expect(decibelsAt(heightOf(0) + 0.002)).toBe(0)
  expect([decibelsAt(-1), decibelsAt(2)]).toEqual([12, -60])
})

describe('levels that draw themselves', () => {
  const whole = { from: s(0), to: s(60) }
  const phrase = (id: string, from: number, to: number, name: string): Edit => ({
    type: 'addMarks',
    marks: [{ id, time: s(from), end: s(to), kind: 'phrase', name, hue: 0 }],
  })
  const level = (state: ProjectState, key: string, seconds: number) => drawnAt(state.doc.envelopes[key], s(seconds))

  test('by who speaks: each microphone is up for its own phrases, music gives way to all, and what was drawn before is gone', () => {
    const state = project(
      { type: 'channel', clipId: 'mics', channel: '0.0', change: { name: 'Lectern' } },
      phrase('p1', 5, 10, 'Lectern'),
      phrase('p2', 20, 25, 'Vestry 2'),
      { type: 'envelope', clipId: 'mics', channel: '0.0', points: [{ time: s(33), gainDb: 5 }] },
    )
    const voices = voicesOf(state.doc, soundRows(state, ALL))
    expect(voices.map((v) => v.row.key)).toEqual(['mics 0.0', 'mics 0.1'])
    const rules = { ...USUAL_LEADING, downBy: 20, duckBy: 10 }
    const { doc } = applyEdits(state.doc, leadEdits(state.doc, voices, [rowOf(state, 'mix')], rules, whole))
    const led = { ...state, doc }
    expect([2, 7, 15, 22, 33, 50].map((t) => level(led, 'mics 0.0', t))).toEqual([-20, 0, -20, -20, -20, -20])
    expect([7, 22].map((t) => level(led, 'mics 0.1', t))).toEqual([-20, 0])
    expect([2, 7, 15, 22, 50].map((t) => level(led, 'mix', t))).toEqual([0, -10, 0, -10, 0])
  })

  test('by what is seen: an angle’s sound is up while the angle is seen, and switched on for it', () => {
    const state = project()
    const seen = [
      { from: s(0), to: s(10), angleId: 'a' },
      { from: s(10), to: s(30), angleId: 'v' },
      { from: s(30), to: s(60), angleId: 'a' },
    ]
    const { doc } = applyEdits(state.doc, followCutEdits(state.doc, [rowOf(state, 'cam')], seen, 60, whole))
    const cut = { ...state, doc }
    expect(doc.strips.cam.on).toBe(true)
    expect([5, 20, 40].map((t) => level(cut, 'cam', t))).toEqual([0, -60, 0])
  })
})
