import fc from 'fast-check'
import { type Flicks, flicks } from '../time/index.ts'
import {
  applyEdits,
  applyEditsWithRests,
  applyKeptPatches,
  difference,
  EDIT_TYPES,
  type Edit,
  EditError,
  emptyProject,
  type Mark,
  markOf,
  marksInOrder,
  type ProjectDoc,
} from './index.ts'

const t = (n: number) => flicks(n * 1000)
const placement = (start: number) =>
  ({ start: t(start), rate: 1, method: 'sound', verdict: 'sure', confidence: 1, why: [], locked: false }) as ProjectDoc['placements'][string]
const mark = (id: string, n: number): Mark => ({ id, time: t(n), kind: 'cue', name: id, hue: 0 })

/** Three angles with a clip each, on a master; beats, marks and a few cuts. */
function show(): ProjectDoc {
  const ids = ['a', 'b', 'c']
  return applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: ids.map((id, hue) => ({ id, name: id, hue, framing: 'fit' })),
      clips: [
        { id: 'm', fileId: 'fm', angleId: null, state: 'in' },
        ...ids.map((id) => ({ id: `${id}1`, fileId: `f${id}`, angleId: id, state: 'in' as const })),
      ],
    },
    { type: 'setMaster', clipId: 'm' },
    { type: 'place', by: 'search', placements: { a1: placement(0), b1: placement(3) }, loose: { c1: [{ code: 'clip-without-sound' }] } },
    { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats: Array.from({ length: 16 }, (_, i) => t(i)), downbeats: [0, 4, 8, 12] } },
    { type: 'addMarks', marks: [mark('x', 5), mark('y', 2)] },
    { type: 'choose', cutId: 'cut', time: t(0), choice: { angleId: 'a' } },
    { type: 'choose', cutId: 'cut', time: t(6), choice: { angleId: 'b' } },
  ]).doc
}

const time = fc.integer({ min: -5, max: 40 }).map(t)
const angleId = fc.constantFrom('a', 'b', 'c')
const clip = fc.constantFrom('a1', 'b1', 'c1', 'm')
const clips = fc.uniqueArray(clip, { minLength: 1, maxLength: 3 })
const markId = fc.constantFrom('x', 'y', 'n1', 'n2', 'n3', 'n4')
const cutId = fc.constantFrom('cut', 'two')
const pieceId = fc.constantFrom('whole', 'p1', 'p2')
const entryId = fc.constantFrom('e1', 'e2', 'e3')
const choice = angleId.map((id) => ({ angleId: id }))
const some = <T extends object>(type: Edit['type'], fields: { [K in keyof T]: fc.Arbitrary<T[K]> }) =>
  fc.record(fields).map((rest) => ({ type, ...rest }) as unknown as Edit)

/** Any edit of every type, most of which fit. */
const anyEdit: fc.Arbitrary<Edit> = fc.oneof(
  some('settings', { change: fc.oneof(fc.record({ lead: fc.integer({ min: -3, max: 3 }) }), fc.record({ width: fc.constantFrom(640, 1280) })) }),
  some('addClips', { angles: fc.constant([]), clips: fc.constantFrom('q1', 'q2').map((id) => [{ id, fileId: `f${id}`, angleId: 'a', state: 'in' }]) }),
  some('setMaster', { clipId: clip }),
  some('renameAngle', { angleId, name: fc.constantFrom('One', 'Two') }),
  some('orderAngles', { angleIds: fc.shuffledSubarray(['a', 'b', 'c'], { minLength: 3 }) }),
  some('moveClips', { clipIds: clips, angle: angleId.map((id) => ({ id })) }),
  some('setAside', { clipIds: clips, aside: fc.boolean() }),
  some('sideAngle', { angleId, side: fc.constantFrom('left', 'right', null) }),
  some('colourAngle', { angleId, hue: fc.integer({ min: 0, max: 11 }) }),
  some('frameAngle', { angleId, framing: fc.constantFrom('fit', 'fill') }),
  some('seeTwice', { angleId, id: fc.constantFrom('d', 'e'), name: fc.constant('Close') }),
  some('seeOnce', { angleId: fc.constantFrom('a', 'd', 'e') }),
  some('place', {
    by: fc.constantFrom('search', 'hand'),
    placements: fc.dictionary(clip, fc.integer({ min: -3, max: 9 }).map(placement)),
    loose: fc.dictionary(clip, fc.constant([{ code: 'not-found' as const }])),
  }),
  some('nudge', { clipIds: clips, by: time }),
  some('clipPoint', { clipId: clip, point: fc.constantFrom('mark', 'in', 'out'), time: fc.option(time) }),
  some('placeByPoint', { clipIds: clips, point: fc.constantFrom('mark', 'in') }),
  some('angleDistance', { angleId, metres: fc.constantFrom(0, 20, 60) }),
  some('lock', { clipIds: clips, locked: fc.boolean() }),
  some('accept', { clipIds: clips }),
  some('park', { clipIds: clips, parked: fc.boolean() }),
  some('setPulse', { pulse: fc.constantFrom(null, { tempoBpm: 90, metre: 3, confidence: 1, beats: [t(1), t(2)], downbeats: [0] }) }),
  some('correctPulse', {
    act: fc.oneof(
      fc.record({ do: fc.constant('shift'), by: time }),
      fc.record({ do: fc.constantFrom('double', 'halve') }),
      fc.record({ do: fc.constant('drag'), at: time, to: time }),
    ),
  }),
  some('addMarks', {
    marks: fc
      .uniqueArray(fc.tuple(markId, time), { selector: ([id]) => id, maxLength: 3 })
      .map((list) => list.map(([id, at]) => ({ ...mark(id, 0), time: at }))),
  }),
  some('changeMark', { markId, change: fc.oneof(fc.record({ time }), fc.record({ name: fc.constantFrom('p', 'q') }), fc.record({ end: fc.option(time) })) }),
  some('standMarks', { markIds: fc.uniqueArray(markId, { maxLength: 3 }), clipId: fc.option(clip) }),
  some('removeMarks', { markIds: fc.uniqueArray(markId, { maxLength: 3 }) }),
  some('found', { kinds: fc.constant(['cue']), marks: markId.map((id) => [{ ...mark(id, 7) }]) }),
  some('choose', { cutId, time, choice }),
  some('choose', { cutId, time, choice, since: time }),
  some('paint', { cutId, from: time, to: time, choice }),
  some('join', { cutId, times: fc.constant([t(0)]) }),
  some('split', { cutId, time }),
  some('reassign', { cutId, times: fc.constant([t(0)]), choice }),
  some('swap', { cutId, a: time, b: time }),
  some('slide', { cutId, time, by: time }),
  some('roll', { cutId, times: fc.constant([t(0)]), by: time }),
  some('alternate', { cutId, from: time, to: time, borders: fc.constant([t(2), t(3), t(5)]), choices: fc.array(choice, { maxLength: 3 }) }),
  some('replaceAngle', { cutId, from: time, to: time, angleId, choice }),
  some('copyPattern', { cutId, from: time, to: time, by: time }),
  some('copyPattern', { cutId, from: time, to: time, beats: fc.integer({ min: -2, max: 2 }) }),
  some('takeOver', { cutId, from: time, to: time, otherId: cutId }),
  some('giveWay', { cutId, from: time, to: time }),
  some('endPass', { cutId, from: time, to: time, back: fc.option(choice) }),
  some('noteCut', { cutId, note: fc.constantFrom('', 'the quick one') }),
  some('acceptWarning', { cutId, key: fc.constantFrom('short:3', 'dark:7'), accepted: fc.boolean() }),
  some('addCut', { cutId, name: fc.constant('Other'), from: fc.option(cutId) }),
  some('renameCut', { cutId, name: fc.constantFrom('A', 'B') }),
  some('removeCut', { cutId }),
  some('activeCut', { cutId }),
  some('endFades', { cutId, fadeIn: fc.constantFrom(t(0), t(1)), fadeOut: fc.constantFrom(t(0), t(2)) }),
  some('transition', {
    cutId,
    time,
    transition: fc.option(fc.record({ kind: fc.constantFrom('dissolve', 'dip', 'dip-white'), length: fc.constantFrom(t(1), t(2)) })),
  }),
  some('keep', { start: fc.option(time), end: fc.option(time) }),
  some('leaveOut', { cutId, from: time, to: time }),
  some('bringBack', { cutId, from: time, to: time }),
  some('wholeMaster', { cutId }),
  some('addPiece', {
    cutId,
    piece: fc.oneof(
      fc.record({ id: pieceId, kind: fc.constant('range'), from: fc.option(time), to: fc.option(time) }),
      fc.record({ id: pieceId, kind: fc.constant('version'), cutId, from: fc.constant(null), to: fc.constant(null) }),
      fc.record({ id: pieceId, kind: fc.constant('card'), length: fc.constant(t(2)) }),
    ),
    before: fc.option(pieceId),
  }),
  some('changePiece', {
    cutId,
    pieceId,
    change: fc.oneof(fc.record({ from: fc.option(time) }), fc.record({ length: fc.constant(t(3)), text: fc.constant('x') })),
  }),
  some('movePiece', { cutId, pieceId, before: fc.option(pieceId) }),
  some('removePiece', { cutId, pieceId }),
  some('strip', {
    clipId: clip,
    channel: fc.constantFrom(undefined, '0.1'),
    change: fc.record({ on: fc.boolean(), pan: fc.constantFrom(null, -1, 0.5), highPassHz: fc.constantFrom(null, 80) }),
  }),
  some('strip', { clipId: clip, change: fc.record({ group: fc.option(fc.constantFrom('voices', 'room')) }) }),
  some('group', {
    groupId: fc.constantFrom('voices', 'room'),
    name: fc.constantFrom('Voices', 'All'),
    change: fc.record({ gainDb: fc.integer({ min: -9, max: 0 }) }),
  }),
  some('removeGroup', { groupId: fc.constantFrom('voices', 'room') }),
  some('groupEnvelope', {
    groupId: fc.constantFrom('voices', 'room'),
    points: fc.array(fc.record({ time, gainDb: fc.option(fc.constant(-3)) }), { maxLength: 2 }),
  }),
  some('masters', { clipIds: fc.uniqueArray(clip, { maxLength: 3 }), join: fc.constantFrom('order', 'crossfade') }),
  some('workedFile', { clipId: clip, fileId: fc.option(fc.constantFrom('w1', 'w2')) }),
  some('takes', { names: fc.dictionary(clip, fc.option(fc.constantFrom('Take 1', 'Night'))) }),
  some('clipRate', { clipId: clip, rate: fc.option(fc.constant('24/1')) }),
  some('channel', {
    clipId: clip,
    channel: fc.constantFrom('0.0', '0.1'),
    change: fc.record({ on: fc.boolean(), turned: fc.boolean(), delay: fc.option(time) }),
  }),
  some('mixRanges', { ranges: entryId.map((id) => [{ id, clipId: 'a1', from: t(1), to: t(2), on: true }]) }),
  some('removeMixRanges', { rangeIds: fc.uniqueArray(entryId, { maxLength: 2 }) }),
  some('envelope', { clipId: clip, points: fc.array(fc.record({ time, gainDb: fc.option(fc.integer({ min: -20, max: 6 })) }), { maxLength: 3 }) }),
  some('seeAngle', { angleId, look: fc.option(fc.record({ exposure: fc.integer({ min: -2, max: 2 }) })) }),
  some('exceptions', { exceptions: entryId.map((id) => [{ id, angleId: 'b', from: t(1), to: t(4), look: { contrast: 2 } }]) }),
  some('removeExceptions', { exceptionIds: fc.uniqueArray(entryId, { maxLength: 2 }) }),
  some('layers', {
    cutId,
    layers: entryId.map((id) => [{ id, kind: 'title', text: id, from: t(1), to: t(5), height: 0, place: { x: 0, y: 0, width: 1, height: 1 } }]),
  }),
  some('removeLayers', { cutId, layerIds: fc.uniqueArray(entryId, { maxLength: 2 }) }),
)

/** As documents are kept: what is undefined is not there. */
const plain = (doc: ProjectDoc) => JSON.parse(JSON.stringify(doc)) as ProjectDoc

/** Applies edits one by one; those that do not fit are left out. */
function run(doc: ProjectDoc, edits: readonly Edit[]) {
  const steps: ReturnType<typeof applyEdits>[] = []
  let at = doc
  for (const edit of edits) {
    try {
      const step = applyEdits(at, [edit])
      steps.push(step)
      at = step.doc
    } catch (error) {
      if ((error as { code?: string }).code !== 'edit' && (error as { code?: string }).code !== 'cut') throw error
    }
  }
  return steps
}

describe('changes and their ways back', () => {
  test('random edits of every type, all undone, give the document of before; all done again, that of after', () => {
    const seen = new Set<string>()
    fc.assert(
      fc.property(fc.array(anyEdit, { maxLength: 25 }), (edits) => {
        const before = show()
        const text = JSON.stringify(before)
        const steps = run(before, edits)
        for (const edit of edits) seen.add(edit.type)
        expect(JSON.stringify(before)).toBe(text)
        let at = steps.at(-1)?.doc ?? before
        for (const step of [...steps].reverse()) at = applyKeptPatches(at, JSON.parse(JSON.stringify(step.backward)))
        expect(plain(at)).toEqual(plain(before))
        for (const step of steps) {
          at = applyKeptPatches(at, JSON.parse(JSON.stringify(step.forward)))
          expect(plain(at)).toEqual(plain(step.doc))
        }
      }),
      { numRuns: 400 },
    )
    expect([...seen].sort()).toEqual([...EDIT_TYPES].sort())
  })

  test('a list of edits as one step is the same as one after the other, and leads back as a whole', () => {
    fc.assert(
      fc.property(fc.array(anyEdit, { maxLength: 12 }), (edits) => {
        const before = show()
        let whole: ReturnType<typeof applyEdits>
        try {
          whole = applyEdits(before, edits)
        } catch {
          return
        }
        expect(plain(run(before, edits).at(-1)?.doc ?? before)).toEqual(plain(whole.doc))
        expect(plain(applyKeptPatches(whole.doc, whole.backward))).toEqual(plain(before))
        expect(plain(applyKeptPatches(before, whole.forward))).toEqual(plain(whole.doc))
      }),
      { numRuns: 300 },
    )
  })

  test('applied with rests, a long list of edits gives the same as without', async () => {
    const edits = Array.from(
      { length: 200 },
      (_, i): Edit =>
        i % 3 ? { type: 'choose', cutId: 'cut', time: t(i), choice: { angleId: 'abc'[i % 3] } } : { type: 'addMarks', marks: [mark(`z${i}`, i)] },
    )
    let rests = 0
    const slow = await applyEditsWithRests(show(), edits, async () => rests++)
    const quick = applyEdits(show(), edits)
    expect(rests).toBe(7)
    expect(plain(slow.doc)).toEqual(plain(quick.doc))
    expect(slow.forward).toEqual(quick.forward)
    await expect(applyEditsWithRests(show(), [...edits, { type: 'removeCut', cutId: 'gone' }], async () => undefined)).rejects.toThrow(EditError)
  })

  test('points and marks are in their order, once each, and marks are found by their ids, in every state', () => {
    fc.assert(
      fc.property(fc.array(anyEdit, { maxLength: 15 }), (edits) => {
        const before = show()
        for (const { doc } of [...run(before, edits), { doc: before }]) {
          for (const cut of doc.cuts) {
            for (const [i, { time }] of cut.points.entries()) if (i > 0) expect(time).toBeGreaterThan(cut.points[i - 1].time)
          }
          expect(marksInOrder(doc.marks)).toEqual(doc.marks)
          for (const one of doc.marks) expect(markOf(doc.marks, one.id)).toBe(one)
          expect(markOf(doc.marks, 'never')).toBeUndefined()
        }
      }),
      { numRuns: 150 },
    )
  })

  test('one cut among thousands writes one entry, not the list', () => {
    const many = Array.from({ length: 3000 }, (_, i): Edit => ({ type: 'choose', cutId: 'cut', time: t(10 + i), choice: { angleId: i % 2 ? 'a' : 'c' } }))
    const { doc } = applyEdits(show(), many)
    const { forward, backward } = applyEdits(doc, [{ type: 'choose', cutId: 'cut', time: flicks(1_500_500), choice: { angleId: 'b' } }])
    expect(JSON.stringify([forward, backward]).length).toBeLessThan(300)
  })

  test('the difference of two documents leads from one to the other and back', () => {
    fc.assert(
      fc.property(fc.array(anyEdit, { maxLength: 10 }), (edits) => {
        const before = plain(show())
        const after = plain(run(show(), edits).at(-1)?.doc ?? show())
        expect(plain(applyKeptPatches(before, difference(before, after)))).toEqual(after)
        expect(plain(applyKeptPatches(after, difference(after, before)))).toEqual(before)
      }),
      { numRuns: 200 },
    )
  })

  test('an edit that does not fit changes nothing, though others of its list did', () => {
    const before = show()
    const text = JSON.stringify(before)
    const time = t(9) as Flicks
    expect(() =>
      applyEdits(before, [
        { type: 'choose', cutId: 'cut', time, choice: { angleId: 'c' } },
        { type: 'removeCut', cutId: 'gone' },
      ]),
    ).toThrow(EditError)
    expect(JSON.stringify(before)).toBe(text)
    expect(before.cuts[0].points).toHaveLength(2)
  })
})
