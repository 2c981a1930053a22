import { bwfTimecode, fileTimecode, placeByTimecode, soundTimecode, type TimecodeReading, type TimecodeReference, timecodeTogether } from './timecode.ts'

const P25 = { num: 25, den: 1 }
const P2997 = { num: 30000, den: 1001 }
const P24 = { num: 24, den: 1 }

const known = (name: string, reading: TimecodeReading, startSeconds: number, rate = 1): TimecodeReference => ({ name, reading, startSeconds, rate })

describe('placing by timecode', () => {
  test('one recording of known place carries all others', () => {
    const desk = known('desk.wav', fileTimecode('10:00:00:00', P25, 0, null), 0)
    const placed = placeByTimecode([fileTimecode('10:01:07:05', P25, 0, null)], [desk])
    expect(placed).toMatchObject({ startSeconds: expect.closeTo(67.2, 6), rate: 1, origin: 'file' })
  })

  test('the label belongs to the first picture, not to the beginning of the file', () => {
    const desk = known('desk.wav', bwfTimecode(36000 * 48000, 48000, null), 0)
    expect(placeByTimecode([fileTimecode('10:00:02:00', P25, 0.04, null)], [desk])).toMatchObject({ startSeconds: expect.closeTo(1.96, 6) })
  })

  test('what was recorded as sound wins over what stands in the file, and the difference is told', () => {
    const desk = known('desk.wav', fileTimecode('10:00:00:00', P25, 0, null), 5)
    const heard = soundTimecode({
      first: '10:00:20:00',
      atSeconds: 0,
      rate: P25,
      dropFrame: false,
      framesRead: 100,
      framesExpected: 100,
      date: null,
      offsetSeconds: 36020,
      speed: 1.00002,
      jumps: [],
    })
    const placed = placeByTimecode([fileTimecode('09:13:00:00', P25, 0, null), heard], [desk])
    expect(placed).toMatchObject({
      startSeconds: 25,
      rate: 1.00002,
      origin: 'sound',
      why: expect.arrayContaining([{ code: 'timecode-differs', label: '09:13:00:00', origin: 'file' }]),
    })
  })

  test('midnight lies between, with and without a date', () => {
    const before = fileTimecode('23:59:50:00', P25, 0, null)
    const after = fileTimecode('00:00:10:00', P25, 0, null)
    expect(placeByTimecode([after], [known('a', before, 0)])).toMatchObject({ startSeconds: 20 })
    expect(placeByTimecode([before], [known('a', after, 0)])).toMatchObject({ startSeconds: -20 })
    const dated = (reading: TimecodeReading, date: string) => ({ ...reading, date })
    expect(placeByTimecode([dated(after, '2026-05-03')], [known('a', dated(before, '2026-05-02'), 0)])).toMatchObject({ startSeconds: 20 })
    // The next evening at the same hour is a day later, not the same instant.
    expect(placeByTimecode([dated(before, '2026-05-03')], [known('a', dated(before, '2026-05-02'), 0)])).toMatchObject({ startSeconds: 86_400 })
  })

  test('drop-frame and whole rates are true time and go together', () => {
    const drop = fileTimecode('01:00:00;00', P2997, 0, null)
    const whole = fileTimecode('01:00:00:00', P24, 0, null)
    const placed = placeByTimecode([whole], [known('drop', drop, 0)])
    expect(Math.abs((placed as { startSeconds: number }).startSeconds)).toBeLessThan(0.01)
  })

  test('a count that runs away from the clock is refused', () => {
    const slow = fileTimecode('01:00:00:00', P2997, 0, null)
    const placed = placeByTimecode([fileTimecode('01:00:00:00', P25, 0, null)], [known('camera 4', slow, 0)])
    expect(placed).toEqual({
      refused: [{ code: 'timecode-counts', rate: 25, drop: false, other: 'camera 4', otherRate: expect.closeTo(29.97, 2), otherDrop: false }],
    })
  })

  describe('a recorder’s samples since midnight against a count that runs slow', () => {
    const label = (text: string) => fileTimecode(text, P2997, 0, null)
    const cameras = [known('a', label('10:00:00:00'), 0), known('b', label('10:20:00:00'), 1201.2), known('c', label('10:40:00:00'), 2402.4)]

    const samples = bwfTimecode((10 * 3600 + 1800) * 48000, 48000, null)

    test('means one of two places: by the seconds of the labels, or by those that passed', () => {
      const placed = placeByTimecode([samples], cameras)
      expect(placed).toMatchObject({ open: true, startSeconds: expect.closeTo(1801.8, 3), agreeing: 3 })
      expect(placed).toMatchObject({ elsewhere: [{ startSeconds: expect.closeTo(1764, 3), recordings: 3 }] })
    })

    test('and one of the recorder’s own files that lies already tells which', () => {
      const own = known('T001.wav', bwfTimecode(36000 * 48000, 48000, null), 0)
      expect(placeByTimecode([samples], [...cameras, own])).toMatchObject({ open: false, startSeconds: 1800, elsewhere: [] })
    })
  })

  describe('cameras that were set together', () => {
    const at = (text: string) => fileTimecode(text, P25, 0, null)

    test('agree on one choice of the places that sound leaves open', () => {
      const clips = [
        { reading: at('10:00:30:00'), startsSeconds: [38, 30] },
        { reading: at('10:00:50:00'), startsSeconds: [50, 66] },
        { reading: at('03:00:00:00'), startsSeconds: [12] },
      ]
      expect(timecodeTogether(clips)).toEqual([1, 0, -1])
    })

    test('say nothing where several choices agree, or only one speaks', () => {
      const both = [
        { reading: at('10:00:30:00'), startsSeconds: [30, 38] },
        { reading: at('10:00:50:00'), startsSeconds: [50, 58] },
      ]
      expect(timecodeTogether(both)).toBeNull()
      expect(timecodeTogether(both.slice(0, 1))).toBeNull()
      expect(timecodeTogether([])).toBeNull()
    })
  })

  test('of contradicting references the greater number counts', () => {
    const at = (label: string) => fileTimecode(label, P25, 0, null)
    const placed = placeByTimecode(
      [at('10:00:30:00')],
      [known('a', at('10:00:00:00'), 0), known('b', at('10:00:10:00'), 10.01), known('clock never set', at('00:00:00:00'), 12)],
    )
    expect(placed).toMatchObject({ agreeing: 2, references: 3, why: expect.arrayContaining([{ code: 'timecode-against', others: 1 }]) })
    expect((placed as { startSeconds: number }).startSeconds).toBeCloseTo(30.005, 3)
  })

  test('off-speed references pass their speed on', () => {
    const reading = { ...fileTimecode('10:00:00:00', P25, 0, null), speed: 0.5 }
    const placed = placeByTimecode([{ ...fileTimecode('10:00:10:00', P25, 0, null), speed: 1 }], [known('slow', reading, 0, 1)])
    expect(placed).toMatchObject({ startSeconds: 20, rate: 2 })
  })

  test('without timecode, or without anything to compare with, the reason is said', () => {
    expect(placeByTimecode([], [])).toEqual({ refused: [{ code: 'timecode-none' }] })
    expect(placeByTimecode([fileTimecode('10:00:00:00', P25, 0, null)], [])).toEqual({ refused: [{ code: 'timecode-no-reference' }] })
    expect(() => fileTimecode('10:00:00:31', P25, 0, null)).toThrow(/frame 31/)
  })
})
