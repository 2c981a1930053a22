import { applyEdits, emptyProject, type FileFacts, STILL_PLACE } from '../project/index.ts'
import { FLICKS_PER_SECOND, flicks, secondsToFlicks } from '../time/index.ts'
import { ExchangeError, type ExchangeFile, layOut, readOtioPlacements, writeEdl, writeOtio } from './index.ts'

const sound = { codec: 'pcm', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 }
const facts = (seconds: number, video: FileFacts['video'], timecode: string | null = null): FileFacts => ({
  durationSeconds: seconds,
  container: 'mov',
  video,
  audio: sound,
  timecode,
  recordedAt: null,
  camera: null,
})
const picture = (num: number, den: number, frames: number): FileFacts['video'] => ({
  codec: 'h264',
  width: 1920,
  height: 1080,
  rate: { num, den },
  variableRate: false,
  startSeconds: 0,
  frames,
  pixelAspect: '1:1',
})
const file = (id: string, name: string, f: FileFacts): ExchangeFile => ({ id, name, path: `/show/${name}`, facts: f })

const files = new Map(
  [
    file('f0', 'desk mix.wav', facts(20, null)),
    file('f1', 'a.mov', facts(20, picture(25, 1, 500), '10:00:00:00')),
    file('f2', 'b-camera.mp4', facts(12, picture(50, 1, 600))),
    file('f3', 'b-camera.mov', facts(8, picture(25, 1, 200))),
  ].map((f) => [f.id, f]),
)
const at = (seconds: number) => secondsToFlicks(seconds)

function show() {
  const place = (start: number, rate = 1) => ({
    start: at(start),
    rate,
    method: 'sound' as const,
    verdict: 'sure' as const,
    confidence: 1,
    why: [],
    locked: false,
  })
  return applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: ['a', 'b', 'c'].map((id, hue) => ({ id, name: `Angle ${id}`, hue, framing: 'fit' as const })),
      clips: [
        { id: 'm', fileId: 'f0', angleId: null, state: 'in' },
        { id: 'a1', fileId: 'f1', angleId: 'a', state: 'in' },
        { id: 'b1', fileId: 'f2', angleId: 'b', state: 'in' },
        { id: 'c1', fileId: 'f3', angleId: 'c', state: 'in' },
      ],
    },
    { type: 'settings', change: { startFrame: 90000 } },
    { type: 'setMaster', clipId: 'm' },
    { type: 'place', by: 'search', placements: { a1: place(-2.5), b1: place(1.01), c1: place(4, 1.5) }, loose: {} },
    { type: 'choose', cutId: 'cut', time: flicks(0), choice: { angleId: 'a' } },
    { type: 'choose', cutId: 'cut', time: at(3), choice: { angleId: 'b' } },
    { type: 'choose', cutId: 'cut', time: at(5), choice: { angleId: 'c' } },
    { type: 'addMarks', marks: [{ id: 'x', time: at(4), kind: 'cue', name: 'Ring', hue: 0 }] },
  ]).doc
}

describe('the project on its frame grid', () => {
  test('each stretch names the source frame that is shown at its start', () => {
    const { cut } = layOut('Show', show(), files)
    expect(cut.map((s) => [s.fromFrame, s.frames, s.source?.file.name, s.source?.firstFrame, s.standIn])).toEqual([
      [0, 75, 'a.mov', 62, false],
      [75, 50, 'b-camera.mp4', 99, false],
      // c runs at 1.5 × and ends at 4 + 8 × 1.5 = 16 s; then a stands in until its end at 17.5 s.
      [125, 275, 'b-camera.mov', 16, false],
      [400, 38, 'a.mov', 462, true],
      [438, 62, undefined, undefined, true],
    ])
  })

  test('a picture that is held is the last one of its clip, in the film and in what is exchanged', () => {
    const exchange = layOut('Show', applyEdits(show(), [{ type: 'settings', change: { standIn: 'hold' } }]).doc, files)
    const held = exchange.cut.at(-1)
    // c's last picture, of 200, stands from 16 s on.
    expect(held).toMatchObject({ fromFrame: 400, frames: 100, standIn: true, stillAt: at(16) - at(50e-6), source: { clipId: 'c1' } })
    const last = (files.get('f3')?.facts.video?.frames ?? 0) - 1
    expect(held?.source?.firstFrame).toBe(last)
    const edl = writeEdl(exchange).split('\r\n')
    const event = edl.findIndex((l) => l.startsWith('004'))
    expect(edl[event + 1]).toMatch(/^M2 +\S+ +000\.0 /)
    const otio = writeOtio(exchange)
    expect(otio).toContain('FreezeFrame.1')
    const c = readOtioPlacements(otio).find((p) => p.fileName === held?.source?.file.name && p.startSeconds > 3)
    expect(c?.startSeconds).toBeCloseTo(4, 1)
  })

  test('an angle’s track begins with the first project frame the clip covers', () => {
    const { angles } = layOut('Show', show(), files)
    const b = angles.find((a) => a.id === 'b')?.segments[0]
    expect(b).toMatchObject({ fromFrame: 26, frames: 300, source: { firstFrame: 1 } })
  })

  test('head and tail trims give the film’s range', () => {
    const doc = applyEdits(show(), [{ type: 'keep', start: at(2), end: at(6) }]).doc
    const { cut, fromFrame, toFrame } = layOut('Show', doc, files)
    expect([fromFrame, toFrame]).toEqual([50, 150])
    expect(cut.reduce((n, s) => n + s.frames, 0)).toBe(100)
  })

  test('without a master there is nothing to lay out', () => {
    expect(() => layOut('Show', emptyProject('cut'), files)).toThrow(ExchangeError)
  })
})

describe('a programme of several pieces', () => {
  const pieces = () =>
    applyEdits(show(), [
      { type: 'leaveOut', cutId: 'cut', from: at(4), to: at(7) },
      { type: 'keep', start: at(2), end: at(10) },
      { type: 'addPiece', cutId: 'cut', before: null, piece: { id: 'end', kind: 'card', length: at(1), text: 'Thanks' } },
    ]).doc

  test('is laid on the tracks one after the other; every frame has its picture of the master’s time', () => {
    const { cut, fromFrame, toFrame, runs, angles, master } = layOut('Show', pieces(), files)
    expect([fromFrame, toFrame]).toEqual([50, 200])
    expect(runs.map((r) => [r.fromFrame, r.frames, r.masterFrame])).toEqual([
      [50, 50, 50],
      [100, 75, 175],
      [175, 25, null],
    ])
    expect(cut.map((s) => [s.fromFrame, s.frames, s.masterFrame, s.source?.file.name, s.source?.firstFrame, s.text])).toEqual([
      [50, 25, 50, 'a.mov', 112, undefined],
      [75, 25, 75, 'b-camera.mp4', 99, undefined],
      [100, 75, 175, 'b-camera.mov', 50, undefined],
      [175, 25, null, undefined, undefined, 'Thanks'],
    ])
    // Angles and master have what lies before the first piece; behind a card nothing is reached out for.
    expect(angles.find((a) => a.id === 'a')?.segments.map((s) => [s.fromFrame, s.frames, s.source?.firstFrame])).toEqual([
      [0, 100, 62],
      [100, 75, 237],
    ])
    expect(master.map((m) => [m.fromFrame, m.frames, m.firstFrame])).toEqual([
      [0, 100, 0],
      [100, 75, 175],
    ])
  })

  test('as exchange files: record times follow each other, and marks stand where they are seen', () => {
    const doc = applyEdits(pieces(), [
      {
        type: 'addMarks',
        marks: [
          { id: 'gone', time: at(5), kind: 'cue', name: 'Left out', hue: 0 },
          { id: 'late', time: at(8), kind: 'cue', name: 'Late', hue: 0 },
        ],
      },
    ]).doc
    const exchange = layOut('Show', doc, files)
    const edl = writeEdl(exchange)
    const records = [...edl.matchAll(/^\d{3} .* (\S+ \S+)\r$/gm)].map((m) => m[1])
    for (let i = 1; i < records.length; i++) expect(records[i].split(' ')[0]).toBe(records[i - 1].split(' ')[1])
    const { tracks } = JSON.parse(writeOtio(exchange)) as { tracks: { markers: { name: string; marked_range: { start_time: { value: number } } }[] } }
    expect(tracks.markers.map((m) => [m.name, m.marked_range.start_time.value])).toEqual([['Late', 125]])
  })

  test('limited to a part is what the programme keeps of it', () => {
    const { cut, fromFrame, toFrame } = layOut('Show', pieces(), files, { part: { from: at(3), to: at(8) } })
    expect([fromFrame, toFrame]).toEqual([75, 125])
    expect(cut.map((s) => s.masterFrame)).toEqual([75, 175])
    expect(() => layOut('Show', pieces(), files, { part: { from: at(5), to: at(6) } })).toThrow(ExchangeError)
  })
})

describe('a clip in pieces', () => {
  const broken = () => {
    const doc = show()
    const b1 = { ...doc.placements.b1, jumps: [{ at: at(6), by: at(0.4) }] }
    return applyEdits(doc, [{ type: 'place', by: 'asked', placements: { b1 }, loose: {} }]).doc
  }

  test('has each piece on its angle’s track, with its own source frames and the hole between', () => {
    const segments = layOut('Show', broken(), files).angles.find((a) => a.id === 'b')?.segments ?? []
    // It begins at 1.01 s; six seconds later 0.4 s are missing, so frame 300 of 50 a second comes at 7.41 s.
    expect(segments.map((s) => [s.fromFrame, s.frames, s.source?.firstFrame])).toEqual([
      [26, 150, 1],
      [186, 150, 301],
    ])
  })

  test('is cut from the right frames on both sides, with a stand-in for what was lost', () => {
    const doc = applyEdits(broken(), [
      { type: 'choose', cutId: 'cut', time: at(5), choice: { angleId: 'b' } },
      { type: 'choose', cutId: 'cut', time: at(9), choice: { angleId: 'a' } },
    ]).doc
    const { cut } = layOut('Show', doc, files)
    const shown = cut
      .filter((s) => s.fromFrame >= 75 && s.fromFrame < 225)
      .map((s) => [s.fromFrame, s.frames, s.source?.file.name, s.source?.firstFrame, s.standIn])
    expect(shown).toEqual([
      [75, 101, 'b-camera.mp4', 99, false],
      [176, 10, expect.any(String), expect.any(Number), true],
      [186, 39, 'b-camera.mp4', 301, false],
    ])
  })

  test('tells its jumps to other programs', () => {
    expect(writeOtio(layOut('Show', broken(), files))).toContain('"jumps"')
    expect(writeOtio(layOut('Show', show(), files))).not.toContain('"jumps"')
  })
})

test('a still is as long as it is wanted, and a clip whose rate was set is counted at that rate', () => {
  const still = file('s', 'hall.png', { ...facts(0, { ...picture(1, 1, 1), still: true } as FileFacts['video']), audio: null })
  const doc = applyEdits(show(), [
    { type: 'addClips', angles: [{ id: 's', name: 'Stills', hue: 3, framing: 'fit' }], clips: [{ id: 's1', fileId: 's', angleId: 's', state: 'in' }] },
    { type: 'place', by: 'search', placements: { s1: { ...STILL_PLACE } }, loose: {} },
    { type: 'choose', cutId: 'cut', time: at(5), choice: { angleId: 's' } },
    { type: 'clipRate', clipId: 'b1', rate: '25/1' },
  ]).doc
  const exchange = layOut('Show', doc, new Map([...files, ['s', still]]))
  const [, b, s] = exchange.cut
  // 99 pictures of 50 a second had gone by; of 25 a second half as many have.
  expect([b.source?.firstFrame, s.source?.file.name, s.source?.firstFrame, s.frames]).toEqual([49, 'hall.png', 0, 375])
  const otio = JSON.parse(writeOtio(exchange)) as {
    tracks: { children: { name: string; children: { name: string; source_range: unknown; media_reference: unknown }[] }[] }
  }
  const cut = otio.tracks.children.find((t) => t.name.startsWith('Cut'))?.children ?? []
  const whole = (value: number) => expect.objectContaining({ rate: 25, value })
  expect(cut.find((c) => c.name === 'hall.png')).toMatchObject({
    source_range: { start_time: whole(0), duration: whole(375) },
    media_reference: { available_range: { start_time: whole(0), duration: whole(375) } },
  })
  expect(cut.find((c) => c.name === 'b-camera.mp4')).toMatchObject({ source_range: { start_time: whole(49), duration: whole(50) } })
})

test('a mark over a range lasts in OpenTimelineIO and carries its note; one on a clip stands where the clip is', () => {
  const doc = applyEdits(show(), [
    {
      type: 'addMarks',
      marks: [
        { id: 'r', time: at(6), end: at(8.4), kind: 'part', name: 'Refrain', hue: 1, text: 'brass stands up' },
        { id: 'k', time: at(2), kind: 'note', name: 'on b', hue: 2, clipId: 'b1' },
      ],
    },
  ]).doc
  const { markers } = JSON.parse(writeOtio(layOut('Show', doc, files))).tracks
  expect(
    markers.map((m: { name: string; comment: string; marked_range: { start_time: { value: number }; duration: { value: number } } }) => [
      m.name,
      m.comment,
      m.marked_range.start_time.value,
      m.marked_range.duration.value,
    ]),
  ).toEqual([
    ['on b', '', 75, 0],
    ['Ring', '', 100, 0],
    ['Refrain', 'brass stands up', 150, 60],
  ])
})

describe('a film that begins before the master and ends after it', () => {
  // Camera a begins 2.5 s before the master; camera c ends at 16 s, the master at 20 s.
  const doc = applyEdits(show(), [
    { type: 'keep', start: at(-2), end: at(17.5) },
    { type: 'choose', cutId: 'cut', time: at(-2), choice: { angleId: 'a' } },
  ]).doc
  const exchange = layOut('Show', doc, files)

  test('begins with what the camera saw then', () => {
    expect(exchange).toMatchObject({ originFrame: -50, fromFrame: -50, toFrame: 438 })
    // Half a second after its own beginning.
    expect(exchange.cut[0]).toMatchObject({ fromFrame: -50, source: { clipId: 'a1', firstFrame: 12 }, standIn: false })
    expect(exchange.cut.reduce((sum, s) => sum + s.frames, 0)).toBe(488)
  })

  test('has record times of the day before in an edit list, where the start timecode is midnight', () => {
    const midnight = applyEdits(doc, [{ type: 'settings', change: { startFrame: 0 } }]).doc
    const events = writeEdl(layOut('Show', midnight, files))
      .split('\r\n')
      .filter((line) => /^\d{3} /.test(line))
    expect(events[0]).toMatch(/23:59:58:00 \d\d:\d\d:\d\d:\d\d$/)
    expect(events[events.length - 1]).toMatch(/00:00:17:13$/)
    expect(events.join()).not.toContain('-0')
    // Dropped labels count: a day is as many frames shorter as it has dropped.
    const drop = applyEdits(midnight, [{ type: 'settings', change: { rate: '30000/1001', dropFrame: true } }]).doc
    expect(writeEdl(layOut('Show', drop, files))).toMatch(/ 23:59:58;0\d /)
  })

  test('keeps angles, master, marks and cut beside each other in OpenTimelineIO', () => {
    const timeline = JSON.parse(writeOtio(exchange))
    // An hour less two seconds: the tracks begin before the master's own start timecode.
    expect(timeline.global_start_time).toMatchObject({ value: 90000 - 50, rate: 25 })
    const tracks = Object.fromEntries(timeline.tracks.children.map((t: { name: string; children: unknown[] }) => [t.name, t.children]))
    expect(tracks.Master[0]).toMatchObject({ OTIO_SCHEMA: 'Gap.1', source_range: { duration: { value: 50 } } })
    expect(tracks['Angle a'][0]).toMatchObject({ OTIO_SCHEMA: 'Clip.1', source_range: { start_time: { value: 900_012 } } })
    expect(timeline.tracks.markers[0].marked_range.start_time.value).toBe(150)
    // Read again, all sources lie where they lie here, from the new beginning.
    const lies = Object.fromEntries(readOtioPlacements(JSON.stringify(timeline)).map((p) => [p.fileName, p.startSeconds]))
    expect(lies['a.mov']).toBeCloseTo(2 - 2.5, 1)
    expect(lies['desk mix.wav']).toBeCloseTo(2, 6)
  })
})

test('a film that begins later leaves the cut in its place beside the angles', () => {
  const doc = applyEdits(show(), [{ type: 'keep', start: at(3), end: at(9) }]).doc
  const { children } = JSON.parse(writeOtio(layOut('Show', doc, files))).tracks
  const cut = children.find((t: { name: string }) => t.name === 'Cut: Cut A').children
  expect(cut[0]).toMatchObject({ OTIO_SCHEMA: 'Gap.1', source_range: { duration: { value: 75 } } })
})

describe('OpenTimelineIO', () => {
  const timeline = JSON.parse(writeOtio(layOut('Show', show(), files)))

  test('has the cut, every angle, the master and the marks', () => {
    expect(timeline.OTIO_SCHEMA).toBe('Timeline.1')
    expect(timeline.global_start_time).toMatchObject({ value: 90000, rate: 25 })
    expect(timeline.tracks.children.map((t: { name: string; kind: string }) => `${t.kind} ${t.name}`)).toEqual([
      'Video Angle a',
      'Video Angle b',
      'Video Angle c',
      'Video Cut: Cut A',
      'Audio Master',
    ])
    expect(timeline.tracks.markers[0]).toMatchObject({ OTIO_SCHEMA: 'Marker.2', name: 'Ring', marked_range: { start_time: { value: 100, rate: 25 } } })
  })

  test('counts source frames from the file’s own timecode and escapes paths', () => {
    const first = timeline.tracks.children[3].children[0]
    expect(first.source_range.start_time).toMatchObject({ value: 900_000 + 62, rate: 25 })
    expect(first.media_reference.available_range.start_time.value).toBe(900_000)
    expect(timeline.tracks.children[4].children[0].media_reference.target_url).toBe('file:///show/desk%20mix.wav')
  })

  test('tells an off-speed take as a time warp and keeps exact placements', () => {
    const take = timeline.tracks.children[3].children[2]
    expect(take.effects[0]).toMatchObject({ OTIO_SCHEMA: 'LinearTimeWarp.1', time_scalar: 1 / 1.5 })
    expect(take.metadata.pendolo).toMatchObject({ startFlicks: 4 * FLICKS_PER_SECOND, rate: 1.5 })
  })
})

test('transitions stand between their stretches in OpenTimelineIO, and as comments in a cut list', () => {
  const transition = (seconds: number, kind: 'dissolve' | 'dip', length: number) =>
    ({ type: 'transition', cutId: 'cut', time: at(seconds), transition: { kind, length: at(length) } }) as const
  const doc = applyEdits(show(), [transition(3, 'dissolve', 0.8), transition(5, 'dip', 0.4)]).doc
  const exchange = layOut('Show', doc, files)
  const cut = JSON.parse(writeOtio(exchange)).tracks.children.find((t: { name: string }) => t.name === 'Cut: Cut A').children
  expect(cut.map((c: { OTIO_SCHEMA: string }) => c.OTIO_SCHEMA)).toEqual(['Clip.1', 'Transition.1', 'Clip.1', 'Transition.1', 'Clip.1', 'Clip.1', 'Gap.1'])
  const offsets = { in_offset: { value: 10, rate: 25 }, out_offset: { value: 10 } }
  expect(cut[1]).toMatchObject({ transition_type: 'SMPTE_Dissolve', ...offsets })
  expect(cut[3]).toMatchObject({ transition_type: 'Custom_Transition', in_offset: { value: 5 }, metadata: { pendolo: { kind: 'dip' } } })
  const lines = writeEdl(exchange).split('\r\n')
  expect(lines.filter((l) => l.includes('AROUND'))).toEqual(['* COMMENT: DISSOLVE OF 20 FRAMES AROUND THIS CUT', '* COMMENT: DIP OF 10 FRAMES AROUND THIS CUT'])
  // The dissolve's other pictures: ten frames of what comes, then ten of what goes; the dip shows none.
  expect(exchange.givings.map(({ fromFrame, frames, source }) => [fromFrame, frames, source?.clipId ?? null])).toEqual([
    [65, 10, 'b1'],
    [75, 10, 'a1'],
    [120, 5, null],
    [125, 5, null],
  ])
})

describe('the cut list', () => {
  const lines = writeEdl(layOut('Show', show(), files)).split('\r\n')

  test('has one event a stretch with record times from the start timecode', () => {
    expect(lines[0]).toBe('TITLE: Show')
    expect(lines[1]).toBe('FCM: NON-DROP FRAME')
    expect(lines).toContain('001  A        V     C        10:00:02:12 10:00:05:12 01:00:00:00 01:00:03:00')
    expect(lines).toContain('* FROM CLIP NAME: b-camera.mp4')
  })

  test('keeps reels of equal names apart and marks retimed clips', () => {
    const reels = lines.filter((l) => /^\d{3} /.test(l)).map((l) => l.slice(5, 13).trim())
    expect(reels).toEqual(['A', 'B_CAMERA', 'B_CAMER2', 'A', 'BL'])
    expect(lines.some((l) => /^M2 {3}B_CAMER2 +016\.7/.test(l))).toBe(true)
  })
})
