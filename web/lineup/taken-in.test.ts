import type { ProjectState } from '@pendolo/api'
import { applyEdits, emptyProject } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { takeIn } from './taken-in.ts'

const seconds = (s: number) => flicks(Math.round(s * FLICKS_PER_SECOND))
const time = (s: number) => ({ OTIO_SCHEMA: 'RationalTime.1', value: s * 25, rate: 25 })
const range = (from: number, length: number) => ({ OTIO_SCHEMA: 'TimeRange.1', start_time: time(from), duration: time(length) })
const gap = (length: number) => ({ OTIO_SCHEMA: 'Gap.1', source_range: range(0, length) })
const clip = (name: string, from: number, length: number) => ({
  OTIO_SCHEMA: 'Clip.2',
  name,
  source_range: range(from, length),
  media_references: { DEFAULT_MEDIA: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `file:///elsewhere/${name}` } },
  active_media_reference_key: 'DEFAULT_MEDIA',
})
/** A timeline of another program: tracks of clips and gaps. */
const timeline = (...tracks: unknown[][]) =>
  JSON.stringify({
    OTIO_SCHEMA: 'Timeline.1',
    tracks: { OTIO_SCHEMA: 'Stack.1', children: tracks.map((children) => ({ OTIO_SCHEMA: 'Track.1', kind: 'Video', children })) },
  })

/** A desk mix that is the master, a camera on the gantry, one on the roof, and one that was set aside. */
function project(): ProjectState {
  const names = { mix: 'mix.wav', gantry: 'gantry.mov', roof: 'roof.mov', spare: 'spare.mov' }
  const { doc } = applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [{ id: 'g', name: 'Gantry', hue: 0, framing: 'fit' }],
      clips: Object.keys(names).map((id) => ({ id, fileId: `f-${id}`, angleId: id === 'mix' ? null : 'g', state: 'in' })),
    },
    { type: 'setMaster', clipId: 'mix' },
    { type: 'setAside', clipIds: ['spare'], aside: true },
  ])
  const files = Object.entries(names).map(
    ([id, name]) => ({ id: `f-${id}`, name, path: `/here/${id}/${name}`, facts: { durationSeconds: 60 } }) as ProjectState['files'][number],
  )
  return { doc, files } as ProjectState
}

test('clips come to lie as elsewhere, with the master where it lies here', () => {
  // There the master began ten seconds after the timeline, and the gantry was shown from its second 3 on at second 20.
  const text = timeline([gap(10), clip('mix.wav', 0, 60)], [gap(20), clip('gantry.mov', 3, 5)])
  const { edit, placed, locked, unknown } = takeIn(project(), text, 'evening.otio')
  expect({ placed, locked, unknown }).toEqual({ placed: 1, locked: 0, unknown: 0 })
  expect(edit).toMatchObject({
    type: 'place',
    by: 'hand',
    placements: { gantry: { start: seconds(7), rate: 1, method: 'exchange', verdict: 'sure', why: [{ code: 'exchange', file: 'evening.otio' }] } },
  })
  // The edit fits the project, and the master stays.
  const { doc } = applyEdits(project().doc, edit ? [edit] : [])
  expect(Object.keys(doc.placements).sort()).toEqual(['gantry', 'mix'])
  expect(doc.placements.mix.start).toBe(0)
})

test('without the master in it, times are taken as they are; what is aside, locked or unknown is left and counted', () => {
  const start = project()
  const { doc } = applyEdits(start.doc, [
    {
      type: 'place',
      by: 'hand',
      placements: { roof: { start: seconds(1), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false } },
      loose: {},
    },
    { type: 'lock', clipIds: ['roof'], locked: true },
  ])
  const text = timeline([gap(4), clip('gantry.mov', 0, 5), clip('spare.mov', 0, 2)], [clip('roof.mov', 0, 9), clip('foreign.mov', 0, 3)])
  const { edit, ...counts } = takeIn({ ...start, doc }, text, 'x.otio')
  expect(counts).toEqual({ placed: 1, locked: 1, aside: 1, doubtful: 0, unknown: 1 })
  expect(edit).toMatchObject({ placements: { gantry: { start: seconds(4) } } })
})

test('a file that names nothing of the project changes nothing; one that is no timeline is refused in words', () => {
  expect(takeIn(project(), timeline([clip('foreign.mov', 0, 3)]), 'x.otio')).toEqual({ edit: null, placed: 0, locked: 0, aside: 0, doubtful: 0, unknown: 1 })
  expect(() => takeIn(project(), '{', 'x.otio')).toThrow(/no OpenTimelineIO/)
  expect(() => takeIn(project(), '{"OTIO_SCHEMA":"Clip.1"}', 'x.otio')).toThrow(/not Timeline/)
})

describe('clips of one name', () => {
  /** A camera's clip at an address, as long as its file there. */
  const at = (address: string, lasts: number, from: number, length: number) => ({
    ...clip('C0001.mp4', from, length),
    media_references: { DEFAULT_MEDIA: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `file://${address}`, available_range: range(0, lasts) } },
  })
  /** Two cameras that count alike. */
  function twins(paths: readonly [string, string], lengths: readonly [number, number]): ProjectState {
    const { doc } = applyEdits(emptyProject('cut'), [
      {
        type: 'addClips',
        angles: [{ id: 'g', name: 'Gantry', hue: 0, framing: 'fit' }],
        clips: ['mix', 'one', 'two'].map((id) => ({ id, fileId: `f-${id}`, angleId: id === 'mix' ? null : 'g', state: 'in' })),
      },
      { type: 'setMaster', clipId: 'mix' },
    ])
    const file = (id: string, name: string, path: string, durationSeconds: number) =>
      ({ id, name, path, facts: { durationSeconds } }) as ProjectState['files'][number]
    return {
      doc,
      files: [file('f-mix', 'mix.wav', '/x/mix.wav', 60), file('f-one', 'C0001.mp4', paths[0], lengths[0]), file('f-two', 'C0001.mp4', paths[1], lengths[1])],
    } as ProjectState
  }
  const starts = ({ edit }: ReturnType<typeof takeIn>) =>
    edit?.type === 'place' ? Object.fromEntries(Object.entries(edit.placements).map(([id, p]) => [id, [p.start / FLICKS_PER_SECOND, p.verdict]])) : null

  test('are told apart by their folders', () => {
    const text = timeline([gap(5), at('/card/left/C0001.mp4', 60, 0, 10)], [gap(9), at('/card/right/C0001.mp4', 60, 0, 10)])
    expect(starts(takeIn(twins(['/disk/right/C0001.mp4', '/disk/left/C0001.mp4'], [60, 60]), text, 'x.otio'))).toEqual({ one: [9, 'sure'], two: [5, 'sure'] })
  })

  test('are told apart by their lengths', () => {
    const text = timeline([gap(5), at('/a/C0001.mp4', 30, 0, 10)], [gap(9), at('/b/C0001.mp4', 90, 0, 10)])
    expect(starts(takeIn(twins(['/p/C0001.mp4', '/q/C0001.mp4'], [90, 30]), text, 'x.otio'))).toEqual({ one: [9, 'sure'], two: [5, 'sure'] })
  })

  test('never become sure of one place: where nothing tells them apart they are to be checked, one source for one clip', () => {
    const alike = takeIn(twins(['/p/C0001.mp4', '/q/C0001.mp4'], [60, 60]), timeline([gap(5), at('/a/C0001.mp4', 60, 0, 10)]), 'x.otio')
    expect(alike).toMatchObject({ placed: 1, doubtful: 1 })
    expect(Object.values(starts(alike) ?? {})).toEqual([[5, 'check']])
  })

  test('what is longer than the only file of its name is another recording', () => {
    const text = timeline([gap(5), at('/a/C0001.mp4', 300, 200, 10)])
    expect(takeIn(twins(['/p/C0001.mp4', '/q/other.mp4'], [60, 60]), text, 'x.otio')).toMatchObject({ placed: 0, unknown: 1 })
  })
})
