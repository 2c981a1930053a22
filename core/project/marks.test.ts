import { FLICKS_PER_SECOND, flicks, secondsToFlicks } from '../time/index.ts'
import { applyEdits, applyKeptPatches, type Edit, EditError, emptyProject, type Mark, type MarkKind, marksOnMaster, type ProjectDoc } from './index.ts'

const at = (seconds: number) => secondsToFlicks(seconds)
const mark = (id: string, seconds: number, over: Partial<Mark> = {}): Mark => ({ id, time: at(seconds), kind: 'cue', name: id, hue: 0, ...over })
const apply = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc
const names = (doc: ProjectDoc) => doc.marks.map((m) => m.id)

function project(): ProjectDoc {
  const placement = { method: 'sound' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }
  return apply(
    emptyProject('cut'),
    {
      type: 'addClips',
      angles: [{ id: 'a', name: 'A', hue: 0, framing: 'fit' }],
      clips: ['c1', 'c2', 'c3'].map((id) => ({ id, fileId: id, angleId: 'a', state: 'in' as const })),
    },
    {
      type: 'place',
      by: 'search',
      placements: {
        c1: { ...placement, start: at(10), rate: 1 },
        c2: { ...placement, start: at(4), rate: 1.5, jumps: [{ at: at(6), by: at(0.5) }] },
      },
      loose: {},
    },
  )
}

describe('what a search proposes', () => {
  const found = (ids: string[], kinds: MarkKind[]): Edit => ({
    type: 'found',
    kinds,
    marks: ids.map((id, i) => mark(id, 5 + i, { kind: kinds[0] })),
  })

  test('takes the place of what it proposed before, and of nothing else', () => {
    let doc = apply(project(), { type: 'addMarks', marks: [mark('mine', 1, { kind: 'phrase' })] }, found(['p1', 'p2'], ['phrase']), found(['s1'], ['part']))
    doc = apply(doc, found(['p3'], ['phrase']))
    expect(names(doc).sort()).toEqual(['mine', 'p3', 's1'])
  })

  test.each<[string, Edit]>([
    ['named', { type: 'changeMark', markId: 'p1', change: { name: 'Anna' } }],
    ['moved', { type: 'changeMark', markId: 'p1', change: { time: at(9) } }],
    ['coloured', { type: 'changeMark', markId: 'p1', change: { hue: 3 } }],
    ['put on a clip', { type: 'standMarks', markIds: ['p1'], clipId: 'c1' }],
  ])('leaves what was %s since', (_, touch) => {
    const doc = apply(project(), found(['p1', 'p2'], ['phrase']), touch, found(['p3'], ['phrase']))
    expect(names(doc).sort()).toEqual(['p1', 'p3'])
  })

  test('stays in order of time and keeps the kinds of sound', () => {
    const spans = [{ from: at(0), to: at(3), kind: 'speech' as const }]
    const doc = apply(project(), { type: 'found', kinds: ['phrase'], marks: [mark('late', 8), mark('early', 2)], spans })
    expect(names(doc)).toEqual(['early', 'late'])
    expect(doc.spans).toEqual(spans)
    expect(apply(doc, found([], ['phrase'])).spans).toEqual(spans)
  })

  test('is taken back by undo, with all that it took away', () => {
    const before = apply(project(), found(['p1', 'p2'], ['phrase']))
    const { doc, backward } = applyEdits(before, [{ type: 'found', kinds: ['phrase'], marks: [mark('p3', 1)], spans: [] }])
    expect(applyKeptPatches(doc, backward)).toEqual(before)
  })
})

describe('marks on clips', () => {
  const standing = (seconds: number, clipId: string, over: Partial<Mark> = {}) =>
    apply(project(), { type: 'addMarks', marks: [mark('m', seconds, over)] }, { type: 'standMarks', markIds: ['m'], clipId })
  const onMaster = (doc: ProjectDoc) => marksOnMaster(doc).map((m) => [m.time / FLICKS_PER_SECOND, m.end === undefined ? null : m.end / FLICKS_PER_SECOND])

  test('a mark put on a clip points at the same instant, in the clip’s own time', () => {
    const doc = standing(12.5, 'c1', { end: at(14) })
    expect(doc.marks[0]).toMatchObject({ clipId: 'c1', time: at(2.5), end: at(4) })
    expect(onMaster(doc)).toEqual([[12.5, 14]])
  })

  test('it moves with the clip, and stays where it then is when it is put on the master again', () => {
    const nudged = apply(standing(12.5, 'c1'), { type: 'nudge', clipIds: ['c1'], by: at(3) })
    expect(onMaster(nudged)).toEqual([[15.5, null]])
    const back = apply(nudged, { type: 'standMarks', markIds: ['m'], clipId: null })
    expect(back.marks[0].clipId).toBeUndefined()
    expect(back.marks[0].time).toBe(at(15.5))
  })

  test.each([5, 12.99, 13.6, 19])('speed and jumps of the clip are followed at %f s', (seconds) => {
    expect(Math.abs((onMaster(standing(seconds, 'c2'))[0][0] as number) - seconds)).toBeLessThan(1e-8)
  })

  test('from clip to clip it keeps its instant', () => {
    const doc = apply(standing(16, 'c1'), { type: 'standMarks', markIds: ['m'], clipId: 'c2' })
    expect(doc.marks[0].clipId).toBe('c2')
    expect(onMaster(doc)[0][0]).toBeCloseTo(16, 8)
  })

  test('a clip that has no place cannot carry one; one that loses its place hides it until it is back', () => {
    expect(() => standing(5, 'c3')).toThrow(EditError)
    const parked = apply(standing(12.5, 'c1'), { type: 'park', clipIds: ['c1'], parked: true })
    expect(marksOnMaster(parked)).toEqual([])
    expect(parked.marks).toHaveLength(1)
  })

  test('all marks come in order of the master’s time', () => {
    const doc = apply(standing(12.5, 'c1'), { type: 'addMarks', marks: [mark('x', 1), mark('y', 13)] })
    expect(marksOnMaster(doc).map((m) => m.id)).toEqual(['x', 'm', 'y'])
    expect(flicks(doc.marks.find((m) => m.id === 'm')?.time ?? 0)).toBe(at(2.5))
  })
})
