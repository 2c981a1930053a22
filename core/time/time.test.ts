import fc from 'fast-check'
import {
  canDropFrames,
  clipToMaster,
  FLICKS_PER_SECOND,
  flicks,
  frameAt,
  frameShownAt,
  frameStart,
  frameToTimecode,
  masterToClip,
  nearestFrameStart,
  nextFrameStart,
  PROJECT_RATES,
  parseRate,
  pictureSpansOf,
  placementFromSeconds,
  printRate,
  type Rate,
  readTimecode,
  TimecodeError,
  timecodeToFrame,
} from './index.ts'

const rates = PROJECT_RATES.map((text) => parseRate(text) as Rate)
const anyRate = fc.constantFrom(...rates)

describe('flicks and rates', () => {
  test('every project rate and common sampling rate divides a flick second', () => {
    for (const rate of rates) expect((FLICKS_PER_SECOND * rate.den) % rate.num).toBe(0)
    for (const sampling of [8000, 16000, 22050, 24000, 32000, 44100, 48000, 88200, 96000, 192000]) expect(FLICKS_PER_SECOND % sampling).toBe(0)
  })

  test('flicks refuses fractions and lost precision', () => {
    expect(() => flicks(0.5)).toThrow(TypeError)
    expect(() => flicks(2 ** 60)).toThrow(TypeError)
  })

  test('a frame begins in itself and ends in the next one', () => {
    fc.assert(
      fc.property(anyRate, fc.integer({ min: -5_000_000, max: 5_000_000 }), (rate, index) => {
        const start = frameStart(index, rate)
        expect(frameAt(start, rate)).toBe(index)
        expect(frameAt(flicks(start - 1), rate)).toBe(index - 1)
      }),
    )
  })

  test('rates that do not divide a flick second still keep frames in order', () => {
    const odd: Rate = { num: 13, den: 1 }
    for (let index = -30; index < 30; index++) expect(frameAt(frameStart(index, odd), odd)).toBe(index)
  })

  test.each([
    ['25', '25'],
    ['29.97', '29.97'],
    ['23.976', '23.976'],
    ['30000/1001', '29.97'],
    ['50/2', '25'],
    ['12.5', '12.5'],
  ])('reads the rate %s', (text, shown) => expect(printRate(parseRate(text) as Rate)).toBe(shown))

  test.each(['', 'x', '0', '-25', '25/0', '1/2/3'])('"%s" is no rate', (text) => expect(parseRate(text)).toBeNull())

  test('nearest and next frame borders', () => {
    const rate = rates[2]
    const frame = frameStart(1, rate)
    expect(nearestFrameStart(flicks(frame * 3 + 1), rate)).toBe(frame * 3)
    expect(nearestFrameStart(flicks(frame * 3.5), rate)).toBe(frame * 4)
    expect(nextFrameStart(flicks(frame * 3), rate)).toBe(frame * 3)
    expect(nextFrameStart(flicks(frame * 3 + 1), rate)).toBe(frame * 4)
  })
})

describe('timecode', () => {
  const ntsc = { rate: { num: 30000, den: 1001 }, dropFrame: true }

  // Known labels of SMPTE ST 12-1 drop-frame counting.
  test.each([
    [0, '00:00:00;00'],
    [1799, '00:00:59;29'],
    [1800, '00:01:00;02'],
    [17981, '00:09:59;29'],
    [17982, '00:10:00;00'],
    [107892, '01:00:00;00'],
  ])('frame %i is %s in drop-frame', (frame, label) => {
    expect(frameToTimecode(frame, ntsc)).toBe(label)
    expect(timecodeToFrame(label, ntsc)).toBe(frame)
  })

  test('labels and frame numbers are each other’s inverse at every rate', () => {
    fc.assert(
      fc.property(anyRate, fc.boolean(), fc.integer({ min: -2_000_000, max: 2_000_000 }), (rate, drop, frame) => {
        const style = { rate, dropFrame: drop && canDropFrames(rate) }
        expect(timecodeToFrame(frameToTimecode(frame, style), style)).toBe(frame)
      }),
    )
  })

  test('short forms and a start timecode', () => {
    const style = { rate: { num: 25, den: 1 }, dropFrame: false }
    expect(timecodeToFrame('12:07', style)).toBe(307)
    expect(readTimecode('01:00:00:05', style, 90000)).toBe(frameStart(5, style.rate))
  })

  test.each(['', 'abc', '00:00:00:00:00', '00:61:00:00', '00:00:00:30', '00:01:00;00'])('"%s" is refused with words', (text) => {
    expect(() => timecodeToFrame(text, ntsc)).toThrow(TimecodeError)
  })
})

describe('placement', () => {
  test('there and back is within one flick for drifting and off-speed clips', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.25, max: 4, noNaN: true }),
        fc.integer({ min: -1e12, max: 1e12 }),
        fc.integer({ min: 0, max: 5e12 }),
        (rate, start, time) => {
          const map = { start: flicks(start), rate }
          expect(Math.abs(masterToClip(clipToMaster(flicks(time), map), map) - time)).toBeLessThanOrEqual(Math.ceil(1 / rate))
        },
      ),
    )
  })

  test('the shown frame is the one whose half-open interval holds the instant, and none outside', () => {
    const map = placementFromSeconds(10, 1)
    const grid = { start: flicks(0), rate: { num: 25, den: 1 }, count: 50 }
    const at = (seconds: number) => frameShownAt(flicks(Math.round(seconds * FLICKS_PER_SECOND)), map, grid)
    expect(at(9.999)).toBeNull()
    expect(at(10)).toBe(0)
    expect(frameShownAt(flicks(Math.round(10.04 * FLICKS_PER_SECOND) - 1), map, grid)).toBe(0)
    expect(at(10.04)).toBe(1)
    expect(at(11.9999)).toBe(49)
    expect(at(12)).toBeNull()
  })

  describe('with jumps', () => {
    const second = (s: number) => flicks(Math.round(s * FLICKS_PER_SECOND))
    const grid = { start: flicks(0), rate: { num: 25, den: 1 }, count: 500 }
    /** Half a second lost at 8 s, a fifth doubled at 15 s. */
    const map = {
      start: second(10),
      rate: 1,
      jumps: [
        { at: second(8), by: second(0.5) },
        { at: second(15), by: second(-0.2) },
      ],
    }
    const frame = (s: number) => frameShownAt(second(s), map, grid)

    test('each piece has its own place, and what was lost has no picture', () => {
      expect(clipToMaster(second(7), map)).toBe(second(17))
      expect(clipToMaster(second(8), map)).toBe(second(18.5))
      expect(clipToMaster(second(16), map)).toBe(second(26.3))
      expect([frame(17.98), frame(18.2), frame(18.5), frame(18.52)]).toEqual([199, null, 200, 200])
      expect(masterToClip(second(18.2), map)).toBe(second(8))
    })

    test('a doubled stretch is shown by what was recorded later', () => {
      expect([frame(25.29), frame(25.3)]).toEqual([369, 375])
      expect(masterToClip(second(25.4), map)).toBe(second(15.1))
    })

    test('pictures span the pieces, without the hole and without overlap', () => {
      expect(pictureSpansOf(map, grid)).toEqual([
        { start: second(10), end: second(18) },
        { start: second(18.5), end: second(25.3) },
        { start: second(25.3), end: second(30.3) },
      ])
      expect(pictureSpansOf({ start: second(1), rate: 1 }, grid)).toEqual([{ start: second(1), end: second(21) }])
    })

    test('there and back is exact wherever there is something', () => {
      fc.assert(
        fc.property(fc.integer({ min: 0, max: 20_000 }), (ms) => {
          const time = second(ms / 1000)
          // What lies under the doubled stretch comes back as its later copy.
          if (time >= second(14.8) && time < second(15)) return
          expect(masterToClip(clipToMaster(time, map), map)).toBe(time)
        }),
      )
    })
  })

  test('a take shot to a faster song is slow on the master', () => {
    const map = placementFromSeconds(0, 1.5)
    const grid = { start: flicks(0), rate: { num: 50, den: 1 }, count: 100 }
    expect(frameShownAt(flicks(1.5 * FLICKS_PER_SECOND), map, grid)).toBe(50)
  })

  test('a rate of zero is refused', () => expect(() => placementFromSeconds(0, 0)).toThrow(TypeError))
})
