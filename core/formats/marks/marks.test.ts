import fc from 'fast-check'
import { parseMidi, writeMidi } from 'midi-file'
import { type MarkEntry, type MarkSheet, MarksError, markFormatOf, readMarks, readMidi, writeMarks } from './index.ts'

const bytes = (text: string) => new TextEncoder().encode(text)
const text = (b: Uint8Array) => new TextDecoder().decode(b)
const FLICK = 1 / 705_600_000

const names = fc.string({ unit: 'grapheme', maxLength: 30 }).map((s) => s.replace(/[\r\n\u0085\u2028\u2029\0]/g, ' ').trim())
const entries = (step: number, points = false) =>
  fc
    .array(
      fc.record({
        time: fc.integer({ min: 0, max: Math.round(9000 / step) }),
        length: points ? fc.constant(0) : fc.oneof(fc.constant(0), fc.integer({ min: 3, max: Math.round(60 / step) })),
        kind: fc.constantFrom('cue', 'part', 'phrase', 'note') as fc.Arbitrary<MarkEntry['kind']>,
        name: names,
        note: names,
        hue: fc.integer({ min: 0, max: 11 }),
      }),
      { maxLength: 40 },
    )
    .map((list) =>
      [...list]
        .sort((a, b) => a.time - b.time)
        .map(
          (m): MarkEntry => ({
            time: m.time * step,
            end: m.length > 0 ? (m.time + m.length) * step : null,
            kind: m.kind,
            name: m.name,
            text: m.note,
            hue: m.hue,
          }),
        ),
    )

const beatsOf = (distances: number[], metre: number, first: number) => {
  let us = first
  const beats = [first / 1e6]
  for (const d of distances) {
    us += d
    beats.push(us / 1e6)
  }
  return { beats, downbeats: beats.flatMap((_, i) => (i % metre === 0 ? [i] : [])) }
}
const grids = fc
  .tuple(
    fc.array(fc.integer({ min: 450_000, max: 520_000 }), { minLength: 8, maxLength: 80 }),
    fc.constantFrom(2, 3, 4, 6),
    fc.integer({ min: 0, max: 20_000_000 }),
  )
  .map(([d, metre, first]) => beatsOf(d, metre, first))

test('CSV gives back marks and beats to the flick', () => {
  fc.assert(
    fc.property(entries(FLICK), grids, (marks, beats) => {
      const back = readMarks(writeMarks({ marks, beats }, 'csv'), 'csv')
      expect(back.marks.map((m) => ({ ...m, time: Math.round(m.time / FLICK), end: m.end && Math.round(m.end / FLICK) }))).toEqual(
        marks.map((m) => ({ ...m, time: Math.round(m.time / FLICK), end: m.end && Math.round(m.end / FLICK) })),
      )
      expect(back.beats?.beats.map((t) => Math.round(t / FLICK))).toEqual(beats.beats.map((t) => Math.round(t / FLICK)))
      expect(back.beats?.downbeats).toEqual(beats.downbeats)
    }),
    { numRuns: 60 },
  )
})

test('WebVTT gives back marks to the millisecond, with kind, colour and note', () => {
  fc.assert(
    fc.property(entries(0.001), (marks) => {
      const back = readMarks(writeMarks({ marks, beats: null }, 'vtt'), 'vtt')
      const plain = (list: MarkEntry[]) =>
        list.map((m) => ({ ...m, name: m.name === '-' ? '' : m.name, time: Math.round(m.time * 1000), end: m.end && Math.round(m.end * 1000) }))
      expect(plain(back.marks)).toEqual(plain(marks))
    }),
    { numRuns: 100 },
  )
})

test('MIDI gives back beats to the microsecond, bars, and marks in their order', () => {
  fc.assert(
    fc.property(entries(1e-6), grids, (marks, beats) => {
      const back = readMarks(writeMarks({ marks, beats }, 'mid'), 'mid')
      expect(back.beats?.beats.map((t) => Math.round(t * 1e6))).toEqual(beats.beats.map((t) => Math.round(t * 1e6)))
      expect(back.beats?.downbeats).toEqual(beats.downbeats)
      const told = (list: MarkEntry[]) => list.map((m) => `${m.kind} ${m.name}`).sort()
      expect(told(back.marks)).toEqual(told(marks))
      for (const [i, m] of back.marks.entries()) {
        expect(Math.abs(m.time - marks[i].time)).toBeLessThan(0.0003)
        expect([m.end === null, m.text, m.hue]).toEqual([marks[i].end === null, marks[i].text, marks[i].hue])
        if (m.end !== null) expect(Math.abs(m.end - (marks[i].end as number))).toBeLessThan(0.0003)
      }
    }),
    { numRuns: 60 },
  )
})

test('marks before the beginning keep their time in MIDI; another program sees them at the beginning', () => {
  const marks: MarkEntry[] = [
    { time: -4.25, end: -2, kind: 'part', name: 'Tuning', text: 'nobody speaks', hue: 3 },
    { time: 1, end: null, kind: 'cue', name: 'First ring', text: '', hue: null },
  ]
  const file = writeMarks({ marks, beats: null }, 'mid')
  expect(readMidi(file).marks).toEqual(marks)
  const { tracks } = parseMidi(file)
  expect(tracks[0].filter((e) => e.type === 'marker').map((e) => [e.deltaTime, 'text' in e && e.text])).toEqual([[0, 'Tuning']])
})

test('what another program says in events of its own is passed over', () => {
  const own = (data: number[]) => ({ type: 'sequencerSpecific', meta: true, deltaTime: 0, data }) as never
  const track = [
    { type: 'cuePoint', meta: true, deltaTime: 0, text: 'a' } as const,
    own([0x41, 1, 2]),
    { type: 'cuePoint', meta: true, deltaTime: 10, text: 'b' } as const,
    own([0x7d, ...new TextEncoder().encode('{"hue":"red","lasts":-1,"note":5}')]),
    { type: 'cuePoint', meta: true, deltaTime: 10, text: 'c' } as const,
    own([0x7d, 0xff, 0xfe]),
    { type: 'endOfTrack', meta: true, deltaTime: 0 } as const,
  ]
  const file = Uint8Array.from(writeMidi({ header: { format: 1, numTracks: 1, ticksPerBeat: 96 }, tracks: [track] }))
  expect(readMidi(file).marks.map(({ name, end, text: note, hue }) => [name, end, note, hue])).toEqual([
    ['a', null, '', null],
    ['b', null, '', null],
    ['c', null, '', null],
  ])
})

test('times in frames are read by the rate that counts them', () => {
  const file = bytes('time,end,name\n01:00:02:12,01:00:03:00,Ring\n')
  const counted = { style: { rate: { num: 25, den: 1 }, dropFrame: false }, startFrame: 90_000 }
  expect(readMarks(file, 'csv', counted).marks).toEqual([{ time: 2.48, end: 3, kind: 'cue', name: 'Ring', text: '', hue: null }])
  expect(() => readMarks(file, 'csv')).toThrow(/line 2: "01:00:02:12" counts frames; say their rate/)
  expect(() => readMarks(bytes('time\n00:00:02:30\n'), 'csv', counted)).toThrow(/line 2: .*frame 30, but there are 25 a second/)
  const drop = { style: { rate: { num: 30000, den: 1001 }, dropFrame: true }, startFrame: 0 }
  expect(readMarks(bytes('00:01:00;02\t00:01:00;02\tRing\n'), 'txt', drop).marks[0].time).toBeCloseTo((1800 * 1001) / 30000, 9)
})

test('a pause in the pulse stays a pause in MIDI', () => {
  const beats = { beats: [1, 1.5, 2, 2.5, 3, 41.2, 41.7, 42.2, 42.7], downbeats: [0, 4, 5] }
  const back = readMarks(writeMarks({ marks: [], beats }, 'mid'), 'mid')
  expect(back.beats?.beats.map((t) => Math.round(t * 1e6))).toEqual(beats.beats.map((t) => Math.round(t * 1e6)))
})

test('label text keeps points, ranges and names', () => {
  const marks: MarkEntry[] = [
    { time: 1.25, end: null, kind: 'cue', name: 'First word', text: '', hue: null },
    { time: 3, end: 4.5, kind: 'cue', name: 'Ring, then bell', text: '', hue: null },
  ]
  expect(readMarks(writeMarks({ marks, beats: null }, 'txt'), 'txt').marks).toEqual(marks)
})

test('CSV of other programs is read: other titles, semicolons, clock times, no titles at all', () => {
  const other = readMarks(bytes('Name;Start;End;Comment\r\nDrop;1:02,5;1:04;"loud; very"\r\nRing;00:01:10.250;;\r\n'), 'csv')
  expect(other.marks).toEqual([
    { time: 62.5, end: 64, kind: 'cue', name: 'Drop', text: 'loud; very', hue: null },
    { time: 70.25, end: null, kind: 'cue', name: 'Ring', text: '', hue: null },
  ])
  expect(readMarks(bytes('0.5,first\n1.75,second\n'), 'csv').marks.map((m) => [m.time, m.name])).toEqual([
    [0.5, 'first'],
    [1.75, 'second'],
  ])
})

test('subtitles of other programs are read as phrases', () => {
  const file =
    'WEBVTT - talk\n\nNOTE made elsewhere\n\n00:05.000 --> 00:07.250 align:start\n<v Ada>Good <b>evening</b>\nall of you\n\n2\n01:00:00.000 --> 01:00:01.000\nR &amp; B\n'
  expect(readMarks(bytes(file), 'vtt').marks).toEqual([
    { time: 5, end: 7.25, kind: 'phrase', name: 'Good evening', text: 'all of you', hue: null },
    { time: 3600, end: 3601, kind: 'phrase', name: 'R & B', text: '', hue: null },
  ])
})

test('a song by another program: tempo changes, 6/8 felt in two, markers, notes', () => {
  const song = Uint8Array.from(
    writeMidi({
      header: { format: 1, numTracks: 2, ticksPerBeat: 96 },
      tracks: [
        [
          { type: 'setTempo', meta: true, deltaTime: 0, microsecondsPerBeat: 400_000 },
          { type: 'timeSignature', meta: true, deltaTime: 0, numerator: 6, denominator: 8, metronome: 36, thirtyseconds: 8 },
          { type: 'marker', meta: true, deltaTime: 288, text: 'B' },
          { type: 'setTempo', meta: true, deltaTime: 0, microsecondsPerBeat: 800_000 },
          { type: 'endOfTrack', meta: true, deltaTime: 0 },
        ],
        [
          { type: 'noteOn', deltaTime: 0, channel: 0, noteNumber: 60, velocity: 90 },
          { type: 'noteOn', deltaTime: 0, channel: 0, noteNumber: 64, velocity: 90 },
          { type: 'noteOn', deltaTime: 288 * 2, channel: 0, noteNumber: 60, velocity: 90 },
          { type: 'endOfTrack', meta: true, deltaTime: 0 },
        ],
      ],
    }),
  )
  const { beats, marks, notes } = readMidi(song)
  // A dotted quarter of 0.6 s, twice as long after the marker.
  expect(beats?.beats.map((t) => Math.round(t * 1000))).toEqual([0, 600, 1200, 2400, 3600])
  expect(beats?.downbeats).toEqual([0, 2, 4])
  expect(marks).toEqual([{ time: 1.2, end: null, kind: 'part', name: 'B', text: '', hue: null }])
  expect(notes.map((t) => Math.round(t * 1000))).toEqual([0, 3600])
})

const sheet: MarkSheet = { marks: [{ time: 1, end: null, kind: 'cue', name: 'x', text: '', hue: 1 }], beats: null }

test.each([
  ['csv', 'time,name\n1,a\nsoon,b\n', /line 3: "soon" is no time/],
  ['csv', 'time,end,name\n5,4,a\n', /line 2: it ends \(4\) before it begins/],
  ['csv', 'colour,shape\nred,round\n', /line 1: no column is called time/],
  ['csv', '', /empty/],
  ['txt', '1.0\t2.0\ta\nx\t2\tb\n', /line 2: "x" is no time/],
  ['txt', '1.0 2.0 a\n', /line 1/],
  ['vtt', 'WEBVT\n\n00:01.000 --> 00:02.000\na\n', /line 1/],
  ['vtt', 'WEBVTT\n\n00:01.000 --> 00:99.000\na\n', /line 3/],
] as const)('a broken %s is refused with its line: %j', (format, file, reason) => {
  expect(() => readMarks(bytes(file), format)).toThrow(MarksError)
  expect(() => readMarks(bytes(file), format)).toThrow(reason)
})

test('what is no MIDI file, or one cut off, is refused with a reason', () => {
  expect(() => readMidi(bytes('RIFF and so on and on'))).toThrow(/does not begin with MThd/)
  const whole = writeMarks(sheet, 'mid')
  expect(() => readMidi(whole.slice(0, whole.length - 12))).toThrow(MarksError)
})

test('bytes that are no text, and endings that no format has, are refused', () => {
  expect(() => readMarks(Uint8Array.of(0xff, 0xfe, 0x80, 0x81), 'csv')).toThrow(/UTF-8/)
  expect(() => markFormatOf('marks.docx')).toThrow(/ends otherwise/)
  expect(markFormatOf('Song.MIDI')).toBe('mid')
  expect(text(writeMarks(sheet, 'csv'))).toContain('time,end,kind,name,note,hue')
})
