import { applyEdits, type Edit, emptyProject, type FileFacts, type Placement, type ProjectDoc } from '../project/index.ts'
import { flicks, secondsToFlicks } from '../time/index.ts'
import { preparedKey, wholeFrames } from './prepared.ts'
import { filmOf } from './resolver.ts'

const s = secondsToFlicks
const facts: FileFacts = {
  durationSeconds: 60,
  container: 'mov',
  video: { codec: 'h264', width: 640, height: 360, rate: { num: 25, den: 1 }, variableRate: false, startSeconds: 0, frames: 1500, pixelAspect: '1:1' },
  audio: null,
  timecode: null,
  recordedAt: null,
  camera: null,
}
const place = (start: number): Placement => ({ start: s(start), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false })
const made = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc
const choose = (time: number, angleId: string): Edit => ({ type: 'choose', cutId: 'cut', time: s(time), choice: { angleId } })

/** Three cameras of a minute; from 10 s on the second, from 30 s on the third; between 12 and 14 s the third is seen small. */
const DOC = made(
  emptyProject('cut'),
  {
    type: 'addClips',
    angles: ['a', 'b', 'c'].map((id, hue) => ({ id, name: id, hue, framing: 'fit' as const })),
    clips: ['a', 'b', 'c'].map((id) => ({ id: `${id}1`, fileId: `f${id}`, angleId: id, state: 'in' as const })),
  },
  { type: 'place', by: 'hand', placements: { a1: place(0), b1: place(0), c1: place(0) }, loose: {} },
  choose(0, 'a'),
  choose(10, 'b'),
  choose(30, 'c'),
  { type: 'transition', cutId: 'cut', time: s(10), transition: { kind: 'dissolve', length: s(2) } },
  {
    type: 'layers',
    cutId: 'cut',
    layers: [{ id: 'i', kind: 'inset', height: 1, from: s(12), to: s(14), place: { x: 0, y: 0, width: 0.3, height: 0.3 }, angleId: 'c' }],
  },
)
const keyOf = (doc: ProjectDoc, from = 8, to = 16, content: (id: string) => string = (id) => id) =>
  preparedKey(
    doc,
    filmOf(doc, () => facts),
    content,
    { cutId: 'cut', from: s(from), to: s(to) },
  )

test('what changes a picture of the range changes its name', () => {
  const first = keyOf(DOC)
  expect(first).toMatch(/^[0-9a-f]{32}$/)
  const others = [
    keyOf(DOC, 8, 17),
    keyOf(made(DOC, choose(12, 'a'))),
    keyOf(made(DOC, { type: 'seeAngle', angleId: 'b', look: { exposure: 1 } })),
    // One that comes by a dissolve, and one that is seen small.
    keyOf(made(DOC, { type: 'seeAngle', angleId: 'a', look: { exposure: 1 } })),
    keyOf(made(DOC, { type: 'seeAngle', angleId: 'c', look: { exposure: 1 } })),
    keyOf(made(DOC, { type: 'exceptions', exceptions: [{ id: 'e', angleId: 'b', from: s(13), to: s(15), pace: { start: 0.5, end: 0.5 } }] })),
    keyOf(made(DOC, { type: 'transition', cutId: 'cut', time: s(10), transition: { kind: 'dissolve', length: s(1) } })),
    keyOf(made(DOC, { type: 'removeLayers', cutId: 'cut', layerIds: ['i'] })),
    keyOf(made(DOC, { type: 'place', by: 'hand', placements: { b1: place(0.04) }, loose: {} })),
    keyOf(made(DOC, { type: 'settings', change: { height: 1920, width: 1080 } })),
    keyOf(DOC, 8, 16, (id) => (id === 'fb' ? 'other' : id)),
  ]
  expect(new Set([first, ...others]).size).toBe(others.length + 1)
})

test('what changes nothing of it leaves the name', () => {
  const first = keyOf(DOC)
  expect(keyOf(made(DOC, choose(40, 'a')))).toBe(first)
  expect(keyOf(made(DOC, { type: 'exceptions', exceptions: [{ id: 'e', angleId: 'b', from: s(20), to: s(25), look: { exposure: 1 } }] }))).toBe(first)
  expect(keyOf(made(DOC, { type: 'endFades', cutId: 'cut', fadeIn: s(2), fadeOut: s(2) }))).toBe(first)
  expect(keyOf(made(DOC, { type: 'addMarks', marks: [{ id: 'm', kind: 'cue', name: 'x', hue: 0, time: s(12) }] }))).toBe(first)
  const alone = keyOf(DOC, 20, 25)
  expect(keyOf(made(DOC, { type: 'seeAngle', angleId: 'a', look: { exposure: 1 } }), 20, 25)).toBe(alone)
})

test('a range becomes as long as the frames it touches', () => {
  const [from, to] = [flicks(s(1.01)), flicks(s(1.09))]
  expect(wholeFrames(DOC, { cutId: 'cut', from, to })).toEqual({ cutId: 'cut', from: s(1), to: s(1.12) })
  expect(wholeFrames(DOC, { cutId: 'cut', from: s(1), to: s(2) })).toEqual({ cutId: 'cut', from: s(1), to: s(2) })
})
