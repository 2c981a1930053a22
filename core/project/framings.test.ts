import { FLICKS_PER_SECOND, flicks } from '../time/index.ts'
import { applyEdits, applyKeptPatches, type Edit, emptyProject, type FileFacts, type ProjectDoc, pictureSpans } from './index.ts'

const seconds = (s: number) => flicks(s * FLICKS_PER_SECOND)
const apply = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc
const facts = { durationSeconds: 10, video: { rate: { num: 25, den: 1 }, startSeconds: 0, frames: 250 } } as unknown as FileFacts
const CLOSE = { x: 0.1, y: 0, scale: 2, turn: 0 }

function project(): ProjectDoc {
  const angle = (id: string) => ({ id, name: id.toUpperCase(), hue: 0, framing: 'fit' as const })
  return apply(
    emptyProject('cut'),
    { type: 'addClips', angles: [angle('a'), angle('b')], clips: ['a', 'b'].map((id) => ({ id: `${id}1`, fileId: 'f', angleId: id, state: 'in' })) },
    {
      type: 'place',
      by: 'hand',
      placements: Object.fromEntries(
        ['a1', 'b1'].map((id) => [id, { start: seconds(2), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }]),
      ),
      loose: {},
    },
    { type: 'seeAngle', angleId: 'a', look: { exposure: 1 } },
    { type: 'seeTwice', angleId: 'a', id: 'close', name: 'Close' },
  )
}
const spansOf = (doc: ProjectDoc, angleId: string) => pictureSpans(doc, () => facts).filter((s) => s.angleId === angleId)

describe('the clips of an angle seen a second time', () => {
  test('are an angle of its own that has pictures where that has, and begins as that is seen', () => {
    const doc = apply(project(), { type: 'seeAngle', angleId: 'close', cutout: CLOSE })
    expect(doc.angles.map((a) => [a.id, a.of, a.cutout, a.look])).toEqual([
      ['a', undefined, undefined, { exposure: 1 }],
      ['b', undefined, undefined, undefined],
      ['close', 'a', CLOSE, { exposure: 1 }],
    ])
    expect(spansOf(doc, 'close')).toEqual([{ ...spansOf(doc, 'a')[0], angleId: 'close' }])
    // A second framing of a second framing shows the same clips.
    expect(apply(doc, { type: 'seeTwice', angleId: 'close', id: 'closer', name: 'Closer' }).angles[3]).toMatchObject({ of: 'a', cutout: CLOSE })
  })

  test('take no clips, and go on showing them where these are moved to', () => {
    expect(() => apply(project(), { type: 'moveClips', clipIds: ['b1'], angle: { id: 'close' } })).toThrow('none of its own')
    expect(() => apply(project(), { type: 'addClips', angles: [], clips: [{ id: 'n', fileId: 'f', angleId: 'close', state: 'in' }] })).toThrow(
      'clips of its own',
    )
    const moved = apply(project(), { type: 'moveClips', clipIds: ['a1'], angle: { id: 'b' } })
    expect(moved.angles.map((a) => [a.id, a.of])).toEqual([
      ['b', undefined],
      ['close', 'b'],
    ])
    expect(spansOf(moved, 'close').map((s) => s.clipId)).toEqual(['a1', 'b1'])
  })

  test('end: cuts, layers and the angle that stands in show the first framing, whose own stay as they are', () => {
    const used = apply(
      project(),
      { type: 'choose', cutId: 'cut', time: seconds(3), choice: { angleId: 'close' } },
      { type: 'choose', cutId: 'cut', time: seconds(5), choice: { angleId: 'b' } },
      { type: 'exceptions', exceptions: [{ id: 'e', angleId: 'close', from: seconds(3), to: seconds(4), cutout: CLOSE }] },
      {
        type: 'layers',
        cutId: 'cut',
        layers: [{ id: 'l', kind: 'inset', from: seconds(3), to: seconds(4), height: 1, place: { x: 0, y: 0, width: 0.3, height: 0.3 }, angleId: 'close' }],
      },
    )
    const once = apply(used, { type: 'seeOnce', angleId: 'close' })
    expect(once.angles.map((a) => a.id)).toEqual(['a', 'b'])
    expect(once.cuts[0].points.map((p) => p.angleId)).toEqual(['a', 'b'])
    expect(once.cuts[0].layers.l.angleId).toBe('a')
    expect(once.exceptions).toEqual({})
    expect(() => apply(once, { type: 'seeOnce', angleId: 'b' })).toThrow('clips of its own')
  })
})

describe('a clip that is seen in a way of its own', () => {
  const seen = () =>
    apply(project(), { type: 'exceptions', exceptions: [{ id: 'take', angleId: 'a', clipId: 'a1', from: seconds(2), to: seconds(12), look: { exposure: 2 } }] })

  test('keeps it wherever it is placed, and has it back with undo', () => {
    const { doc, backward } = applyEdits(seen(), [{ type: 'nudge', clipIds: ['a1', 'b1'], by: seconds(1) }])
    expect(doc.exceptions.take).toMatchObject({ from: seconds(3), to: seconds(13) })
    expect(applyKeptPatches(doc, backward).exceptions.take).toMatchObject({ from: seconds(2), to: seconds(12) })
    const there = { start: seconds(-4), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } as const
    const placed = apply(seen(), { type: 'place', by: 'hand', placements: { a1: there }, loose: {} })
    expect(placed.exceptions.take).toMatchObject({ from: seconds(-4), to: seconds(6) })
    // A stretch of the angle stays where it is.
    const stretch = apply(seen(), { type: 'exceptions', exceptions: [{ id: 's', angleId: 'a', from: seconds(2), to: seconds(3), look: {} }] })
    expect(apply(stretch, { type: 'nudge', clipIds: ['a1'], by: seconds(1) }).exceptions.s.from).toBe(seconds(2))
  })

  test('must be in the project', () => {
    const gone = { id: 'x', angleId: 'a', clipId: 'gone', from: seconds(0), to: seconds(1), look: {} }
    expect(() => apply(project(), { type: 'exceptions', exceptions: [gone] })).toThrow()
  })
})
