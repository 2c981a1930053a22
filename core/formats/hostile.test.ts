import fc from 'fast-check'
import { type MarkSheet, MarksError, readMarks, readOtioPlacements, writeMarks } from './index.ts'

const sheet: MarkSheet = {
  marks: [
    { time: 1.5, end: null, kind: 'cue', name: 'first word', text: '', hue: 1 },
    { time: 4, end: 9, kind: 'part', name: 'March, second strain', text: 'a "note"', hue: 2 },
  ],
  beats: { beats: [0.5, 1, 1.5, 2], downbeats: [0] },
}
const formats = ['csv', 'vtt', 'txt', 'mid'] as const

/** Bytes with some of them changed, cut off or doubled. */
const harmed = (bytes: Uint8Array) =>
  fc.tuple(fc.array(fc.tuple(fc.nat(bytes.length - 1), fc.nat(255)), { maxLength: 12 }), fc.nat(bytes.length), fc.boolean()).map(([changes, length, twice]) => {
    const out = Uint8Array.from(bytes)
    for (const [at, value] of changes) out[at] = value
    const cut = out.subarray(0, length)
    return twice ? Uint8Array.from([...cut, ...out]) : cut
  })

test.each(formats)('damaged %s files of marks give marks or words, never a fault', (format) => {
  const bytes = writeMarks(sheet, format)
  const whole = typeof bytes === 'string' ? new TextEncoder().encode(bytes) : bytes
  fc.assert(
    fc.property(fc.oneof(harmed(whole), fc.uint8Array({ maxLength: 300 })), (file) => {
      try {
        const { marks, beats } = readMarks(file, format)
        for (const m of marks) expect(Number.isFinite(m.time) && (m.end === null || m.end >= m.time)).toBe(true)
        if (beats) for (const i of beats.downbeats) expect(beats.beats[i]).toBeDefined()
      } catch (error) {
        if (!(error instanceof MarksError)) throw error
        expect(error.message).toMatch(/\w{3}/)
      }
    }),
    { numRuns: 500 },
  )
})

test('names that a table program would take for formulas are text in CSV, and come back as they were', () => {
  const names = ['=1+1', '+SUM(A1)', '-2', '@cmd', "'=quoted", '\t=tab', 'plain', "it's", "'"]
  const marks = names.map((name, i) => ({ time: i, end: null, kind: 'cue' as const, name, text: name, hue: 0 }))
  const csv = new TextDecoder().decode(writeMarks({ marks, beats: null }, 'csv') as Uint8Array)
  expect(csv).not.toMatch(/(^|,)"?[=+@-]\D/m)
  expect(readMarks(new TextEncoder().encode(csv), 'csv').marks.map((m) => m.name)).toEqual(names)
})

describe('OpenTimelineIO', () => {
  const clip = { OTIO_SCHEMA: 'Clip.1', name: 'a.mov', source_range: null, media_reference: null }
  const timeline = (tracks: unknown) => JSON.stringify({ OTIO_SCHEMA: 'Timeline.1', tracks })

  test('tracks within tracks without end are refused in words', () => {
    // As text: building it as objects would exhaust the stack of the test itself.
    const deep = `${'{"OTIO_SCHEMA":"Stack.1","children":['.repeat(5000)}${JSON.stringify(clip)}${']}'.repeat(5000)}`
    expect(() => readOtioPlacements(timeline('DEEP').replace('"DEEP"', deep))).toThrow(/more than 100 tracks within each other/)
    expect(() => readOtioPlacements(`${'['.repeat(50_000)}`)).toThrow(/no OpenTimelineIO/)
  })

  test('random objects give places or words', () => {
    const value = fc.letrec((tie) => ({
      any: fc.oneof({ maxDepth: 6 }, fc.jsonValue(), fc.constantFrom('Track.1', 'Stack.1', 'Clip.1', 'Clip.2', 'Gap.1'), tie('item')),
      item: fc.record(
        {
          OTIO_SCHEMA: fc.constantFrom('Track.1', 'Stack.1', 'Clip.1', 'Transition.1', 'Gap.1'),
          children: fc.oneof(fc.array(tie('any'), { maxLength: 3 }), fc.jsonValue()),
          source_range: fc.oneof(
            fc.jsonValue(),
            fc.record({ start_time: fc.record({ value: fc.double(), rate: fc.double() }), duration: fc.record({ value: fc.double(), rate: fc.double() }) }),
          ),
          media_reference: fc.oneof(fc.jsonValue(), fc.record({ target_url: fc.string(), OTIO_SCHEMA: fc.constant('ExternalReference.1') })),
          effects: fc.jsonValue(),
        },
        { requiredKeys: ['OTIO_SCHEMA'] },
      ),
    }))
    fc.assert(
      fc.property(value.item, (tracks) => {
        try {
          readOtioPlacements(timeline(tracks))
        } catch (error) {
          expect((error as { code?: string }).code).toBe('exchange')
        }
      }),
      { numRuns: 500 },
    )
  })
})
