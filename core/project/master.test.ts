import fc from 'fast-check'
import { type Flicks, flicks } from '../time/index.ts'
import { applyEdits, clockOf, type Edit, EditError, emptyProject, isMaster, markOf, type Placement, type ProjectDoc, pulseOf, stripOf } from './index.ts'

const T = 705_600_000
const at = (seconds: number) => flicks(Math.round(seconds * T))
const apply = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc
const place = (start: number, over: Partial<Placement> = {}): Placement => ({
  start: at(start),
  rate: 1,
  method: 'timecode',
  verdict: 'check',
  confidence: 0.7,
  why: [{ code: 'timecode-agrees' }],
  locked: false,
  ...over,
})

/** A show with everything that can stand on the master's time. */
function show(over: Partial<Placement> = {}): ProjectDoc {
  return apply(
    emptyProject('cut'),
    {
      type: 'addClips',
      angles: [{ id: 'x', name: 'X', hue: 0, framing: 'fit' }],
      clips: ['m', 'r', 'x1', 'x2'].map((id) => ({ id, fileId: `f${id}`, angleId: id.startsWith('x') ? 'x' : null, state: 'in' as const })),
    },
    { type: 'setMaster', clipId: 'm' },
    {
      type: 'place',
      by: 'search',
      placements: { r: place(12.5, over), x1: place(-3, { locked: true }), x2: place(40, { jumps: [{ at: at(5), by: at(0.5) }] }) },
      loose: {},
    },
    {
      type: 'setPulse',
      pulse: {
        tempoBpm: 120,
        metre: 4,
        confidence: 0.9,
        beats: Array.from({ length: 400 }, (_, i) => at(1 + i / 2)),
        downbeats: Array.from({ length: 100 }, (_, i) => 4 * i),
        hits: [at(1.01), at(77.7)],
        locked: [{ from: at(10), to: at(20) }],
        clarity: [0.1, 0.9, 0.4],
        clarityStep: 5,
      },
    },
    {
      type: 'addMarks',
      marks: [
        { id: 'on-master', time: at(33), end: at(36), kind: 'part', name: 'P', hue: 0 },
        { id: 'on-clip', time: at(2), kind: 'cue', name: 'C', hue: 0, clipId: 'x1' },
      ],
    },
    { type: 'found', kinds: [], marks: [], spans: [{ from: at(0), to: at(4), kind: 'speech' }] },
    { type: 'choose', cutId: 'cut', time: at(3), choice: { angleId: 'x' } },
    { type: 'choose', cutId: 'cut', time: at(9), choice: { angleId: 'x', clipId: 'x2', transition: { kind: 'dissolve', length: at(1) } } },
    { type: 'leaveOut', cutId: 'cut', from: at(20), to: at(30) },
    {
      type: 'layers',
      cutId: 'cut',
      layers: [{ id: 'l', kind: 'title', text: 'Hello', from: at(1), to: at(4), height: 1, place: { x: 0, y: 0, width: 1, height: 1 } }],
    },
    { type: 'mixRanges', ranges: [{ id: 'mr', clipId: 'x1', from: at(5), to: at(6), on: true }] },
    { type: 'envelope', clipId: 'x1', points: [{ time: at(7), gainDb: -6 }] },
    { type: 'exceptions', exceptions: [{ id: 'ex', angleId: 'x', from: at(8), to: at(9), look: { exposure: 1 } }] },
  )
}
const plain = (doc: ProjectDoc) => JSON.parse(JSON.stringify(doc)) as ProjectDoc

describe('another master', () => {
  test('takes along all that stands on the master’s time, locked places too', () => {
    const doc = apply(show(), { type: 'setMaster', clipId: 'r' })
    expect(clockOf(doc)).toBe('r')
    expect(doc.placements.r).toMatchObject({ start: 0, rate: 1, method: 'master', locked: true })
    expect(doc.placements.m).toMatchObject({ start: at(-12.5), method: 'sound' })
    expect(doc.placements.x1).toMatchObject({ start: at(-15.5), locked: true, method: 'timecode' })
    expect(doc.cuts[0].points.map((p) => p.time)).toEqual([at(-9.5), at(-3.5)])
    expect(doc.cuts[0].pieces).toMatchObject([
      { from: null, to: at(7.5) },
      { from: at(17.5), to: null },
    ])
    expect(doc.cuts[0].layers.l).toMatchObject({ from: at(-11.5), to: at(-8.5) })
    expect(markOf(doc.marks, 'on-master')).toMatchObject({ time: at(20.5), end: at(23.5) })
    expect(markOf(doc.marks, 'on-clip')?.time).toBe(at(2))
    expect(doc.spans).toEqual([{ from: at(-12.5), to: at(-8.5), kind: 'speech' }])
    const pulse = pulseOf(doc)
    expect(pulse?.beats[0]).toBe(at(-11.5))
    expect(pulse?.beats).toHaveLength(400)
    expect(pulse?.hits).toEqual([at(-11.49), at(65.2)])
    expect(pulse?.locked).toEqual([{ from: at(-2.5), to: at(7.5) }])
    expect(pulse?.clarityFrom).toBe(at(-12.5))
    expect(doc.mixRanges.mr.from).toBe(at(-7.5))
    expect(doc.envelopes.x1).toEqual({ [String(at(-5.5))]: -6 })
    expect(doc.exceptions.ex.to).toBe(at(-3.5))
    expect([stripOf(doc, 'r').on, stripOf(doc, 'm').on]).toEqual([true, false])
  })

  test('there and back is the project of before, wherever the other lies', () => {
    fc.assert(
      fc.property(fc.integer({ min: -3_000_000, max: 3_000_000 }), fc.constantFrom('r', 'x1'), (offset, other) => {
        const before = apply(show({ start: flicks(offset * 1013), locked: true }))
        const there = apply(before, { type: 'setMaster', clipId: other })
        const back = plain(apply(there, { type: 'setMaster', clipId: 'm' }))
        // Until it has been left once, nobody had said where the clarity begins.
        if (back.pulse) delete back.pulse.clarityFrom
        expect(back).toEqual(plain(before))
      }),
    )
  })

  test('a clock that runs at another speed takes all along to the nearest flick', () => {
    const rate = 1.00004
    const before = show({ rate })
    const there = apply(before, { type: 'setMaster', clipId: 'r' })
    expect(there.placements.m.rate).toBeCloseTo(1 / rate, 12)
    const back = apply(there, { type: 'setMaster', clipId: 'm' })
    const near = (a: number, b: number) => expect(Math.abs(a - b)).toBeLessThanOrEqual(2)
    near(back.placements.x2.start, before.placements.x2.start)
    expect(back.placements.x2.rate).toBeCloseTo(1, 12)
    for (const [i, beat] of (pulseOf(before)?.beats ?? []).entries()) near(pulseOf(back)?.beats[i] as Flicks, beat)
    expect(pulseOf(there)?.tempoBpm).toBeCloseTo(120 * rate, 9)
  })

  test('one that was never placed changes no place; what was not locked is to be looked at', () => {
    const doc = apply(
      show(),
      { type: 'addClips', angles: [], clips: [{ id: 'n', fileId: 'fn', angleId: null, state: 'in' }] },
      { type: 'setMaster', clipId: 'n' },
    )
    expect(doc.placements.r).toMatchObject({ start: at(12.5), verdict: 'check' })
    expect(doc.placements.x1).toMatchObject({ start: at(-3), locked: true, why: [{ code: 'timecode-agrees' }] })
    expect(doc.placements.m).toMatchObject({ start: 0, verdict: 'check', locked: false })
    expect(doc.cuts[0].points.map((p) => p.time)).toEqual([at(3), at(9)])
  })

  test('before anything was placed, a former clock has no place on the new one', () => {
    const doc = apply(
      emptyProject('cut'),
      { type: 'addClips', angles: [], clips: ['m', 'n'].map((id) => ({ id, fileId: id, angleId: null, state: 'in' as const })) },
      { type: 'setMaster', clipId: 'm' },
      { type: 'setMaster', clipId: 'n' },
    )
    expect(Object.keys(doc.placements)).toEqual(['n'])
  })

  test('a recording that lost time cannot be the clock', () => {
    expect(() => apply(show(), { type: 'setMaster', clipId: 'x2' })).toThrow(/lost time/)
  })
})

describe('several masters', () => {
  test('the first is the clock, the others stay where they were placed, and all are heard', () => {
    const doc = apply(show(), { type: 'masters', clipIds: ['m', 'r'], join: 'order', fade: at(0.2) })
    expect(doc.master).toEqual({ clipIds: ['m', 'r'], join: 'order', fade: at(0.2) })
    expect(doc.placements.r).toMatchObject({ start: at(12.5), method: 'timecode' })
    expect(['m', 'r', 'x1'].map((id) => isMaster(doc, id))).toEqual([true, true, false])
    expect(['m', 'r', 'x1'].map((id) => stripOf(doc, id).on)).toEqual([true, true, false])
    expect(() => apply(doc, { type: 'setAside', clipIds: ['r'], aside: true })).toThrow(EditError)
    expect(() => apply(doc, { type: 'park', clipIds: ['r'], parked: true })).toThrow(EditError)
  })

  test('one without a place, or named twice, is refused', () => {
    const doc = apply(show(), { type: 'addClips', angles: [], clips: [{ id: 'n', fileId: 'fn', angleId: null, state: 'in' }] })
    expect(() => apply(doc, { type: 'masters', clipIds: ['m', 'n'] })).toThrow(/lined up/)
    expect(() => apply(doc, { type: 'masters', clipIds: ['m', 'm'] })).toThrow(/once/)
  })

  test('none is a free time: everything stays, and what was the master is a device', () => {
    const doc = apply(show(), { type: 'masters', clipIds: [] })
    expect(clockOf(doc)).toBeNull()
    expect(doc.placements.m).toMatchObject({ start: 0, rate: 1, locked: false })
    expect(doc.placements.x1.start).toBe(at(-3))
    expect(clockOf(apply(doc, { type: 'setMaster', clipId: 'x1' }))).toBe('x1')
  })
})
