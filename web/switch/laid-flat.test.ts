import { filmOf } from '@pendolo/core/film'
import { applyEdits, type Edit, emptyProject, type FileFacts } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { laidFlat } from './laid-flat.ts'

const t = (n: number) => flicks(n * FLICKS_PER_SECOND)
const facts = (seconds: number, picture: boolean): FileFacts => ({
  durationSeconds: seconds,
  container: 'mov',
  video: picture
    ? { codec: 'h264', width: 640, height: 360, rate: { num: 25, den: 1 }, variableRate: false, startSeconds: 0, frames: seconds * 25, pixelAspect: '1:1' }
    : null,
  audio: { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
})
const files: Record<string, FileFacts> = { m: facts(60, false), a: facts(60, true), b: facts(60, true) }
const place = { start: t(0), rate: 1, method: 'sound' as const, verdict: 'sure' as const, confidence: 1, why: [], locked: false }
const choose = (cutId: string, at: number, angleId: string): Edit => ({ type: 'choose', cutId, time: t(at), choice: { angleId } })

test('a version with others set in shows the same film when it is laid flat, and holds none of them', () => {
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: ['a', 'b'].map((id, hue) => ({ id, name: id, hue, framing: 'fit' as const })),
      clips: [
        { id: 'm', fileId: 'm', angleId: null, state: 'in' },
        { id: 'ca', fileId: 'a', angleId: 'a', state: 'in' },
        { id: 'cb', fileId: 'b', angleId: 'b', state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'm' },
    { type: 'place', by: 'search', placements: { ca: place, cb: place }, loose: {} },
    choose('cut', 0, 'a'),
    choose('cut', 8, 'b'),
    { type: 'addCut', cutId: 'inner', name: 'Inner', from: null },
    choose('inner', 0, 'b'),
    choose('inner', 32, 'a'),
    choose('inner', 35, 'b'),
    { type: 'keep', start: t(30), end: t(40) },
    { type: 'activeCut', cutId: 'cut' },
    { type: 'keep', start: t(0), end: t(20) },
    { type: 'addPiece', cutId: 'cut', piece: { id: 'p', kind: 'version', cutId: 'inner', from: null, to: null }, before: null },
    { type: 'addPiece', cutId: 'cut', piece: { id: 'q', kind: 'card', length: t(2) }, before: null },
  ])
  const film = (d: typeof doc) => filmOf(d, (id) => files[id])
  const seen = (d: typeof doc) =>
    film(d)
      .plan()
      .map((s) => `${s.at / FLICKS_PER_SECOND} ${s.angleId} ${s.from === null ? '-' : s.from / FLICKS_PER_SECOND}`)
  const flat = applyEdits(doc, laidFlat(doc.cuts[0], film(doc).runs)).doc
  expect(seen(doc).length).toBeGreaterThan(5)
  expect(seen(flat)).toEqual(seen(doc))
  expect(flat.cuts[0].pieces.map((p) => p.kind)).toEqual(['range', 'range', 'card'])
  // What it does not show there stays as it was cut.
  expect(flat.cuts[0].points.find((p) => p.time === t(8))).toEqual({ time: t(8), angleId: 'b' })
})
