import { readFileSync } from 'node:fs'
import path from 'node:path'
import { gunzipSync } from 'node:zlib'
import { LtcError, type LtcFrame, LtcReader, ltcFindings } from '@pendolo/core/lineup'
import { resample } from '@pendolo/core/signal'

const RATE = 48000

/** A recording made by an encoder that is not ours (fixtures/make-ltc.py), as samples −1..1. */
function recording(name: string): Float32Array {
  const bytes = gunzipSync(readFileSync(path.join(__dirname, 'fixtures', `ltc-${name}.u8.gz`)))
  return Float32Array.from(bytes, (b) => (b - 128) / 128)
}

function noisy(samples: Float32Array, snrDb: number, seed = 1): Float32Array {
  let state = seed
  const random = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 4294967296
  }
  const power = samples.reduce((s, x) => s + x * x, 0) / samples.length
  const spread = Math.sqrt(power / 10 ** (snrDb / 10))
  return samples.map((x) => x + spread * Math.sqrt(-2 * Math.log(random() + 1e-12)) * Math.cos(2 * Math.PI * random()))
}

function read(samples: Float32Array, sampleRate = RATE, piece = 7001): LtcFrame[] {
  const reader = new LtcReader(sampleRate)
  for (let from = 0; from < samples.length; from += piece) reader.push(samples.subarray(from, from + piece))
  return reader.finish()
}

const KINDS = [
  ['23.976', '01:02:03:04', { num: 24000, den: 1001 }, false],
  ['24', '10:58:12:04', { num: 24, den: 1 }, false],
  ['25', '09:59:58:20', { num: 25, den: 1 }, false],
  ['29.97', '00:00:58:10', { num: 30000, den: 1001 }, false],
  ['29.97-drop', '00:00:58;10', { num: 30000, den: 1001 }, true],
  ['30', '17:30:00:00', { num: 30, den: 1 }, false],
] as const

describe('timecode recorded as sound', () => {
  test.each(KINDS)('%s: every frame of a clean recording is read, at its sample', (name, first, rate, dropFrame) => {
    const samples = recording(name)
    const frames = read(samples)
    const length = (RATE * rate.den) / rate.num
    expect(frames).toHaveLength(Math.round(samples.length / length))
    for (const [i, frame] of frames.entries()) expect(Math.abs(frame.at - i * length)).toBeLessThan(3)
    expect(ltcFindings(frames, RATE)).toMatchObject({
      first,
      rate,
      dropFrame,
      framesRead: frames.length,
      framesExpected: frames.length,
      date: '2026-12-31',
      speed: expect.closeTo(1, 4),
      jumps: [],
    })
  })

  test.each(KINDS)('%s: at 10 dB of noise at least 95 of 100 frames are read, and none wrongly', (name, first) => {
    const clean = read(recording(name))
    for (const seed of [1, 2, 3]) {
      const frames = read(noisy(recording(name), 10, seed))
      const label = (f: LtcFrame) => [f.hours, f.minutes, f.seconds, f.frames].join(':')
      const right = frames.filter((f) => clean.some((c) => Math.abs(c.at - f.at) < 100 && label(c) === label(f)))
      expect(right.length).toBeGreaterThanOrEqual(0.95 * clean.length)
      expect(frames.length - right.length).toBe(0)
      expect(ltcFindings(frames, RATE)?.first).toBe(first)
    }
  })

  test.each([0.5, 0.8, 1.25, 2])('at %s times the speed', (speed) => {
    const played = resample(recording('25'), 1 / speed)
    const found = ltcFindings(read(played), RATE)
    expect(found?.framesRead).toBeGreaterThanOrEqual(98)
    expect(found?.speed).toBeCloseTo(speed, 3)
    expect(found).toMatchObject({ rate: { num: 25, den: 1 }, jumps: [] })
  })

  test('speed that changes along the way is followed', () => {
    const samples = recording('25')
    const out = new Float32Array(samples.length)
    let at = 0
    for (let i = 0; i < out.length && at < samples.length - 1; i++) {
      const k = Math.floor(at)
      out[i] = samples[k] + (at - k) * (samples[k + 1] - samples[k])
      at += 0.9 + 0.2 * Math.sin((2 * Math.PI * i) / (3 * RATE)) ** 2
    }
    expect(read(out).length).toBeGreaterThanOrEqual(0.95 * 93)
  })

  test('polarity, level, a constant and low sampling rates do not matter', () => {
    const samples = recording('25')
    expect(read(samples.map((x) => -0.02 * x))).toHaveLength(100)
    expect(read(samples.map((x) => 0.3 * x + 0.4))).toHaveLength(100)
    expect(read(resample(samples, 32 / 48), 32000)).toHaveLength(100)
    expect(read(resample(samples, 1 / 3), 16000).length).toBeGreaterThanOrEqual(98)
  })

  test('midnight is passed, and the date is that of the first frame', () => {
    const found = ltcFindings(read(recording('midnight')), RATE)
    expect(found).toMatchObject({ first: '23:59:58:00', date: '2026-12-31', framesRead: 100, jumps: [] })
    // On the line of the first day the recording ends in the next: 86 402 s.
    expect((found?.offsetSeconds ?? 0) + 4).toBeCloseTo(86_402, 2)
  })

  test('a jump of the labels is told with its place and size', () => {
    const samples = recording('25')
    const cut = Float32Array.from([...samples.subarray(0, 40 * 1920), ...samples.subarray(65 * 1920)])
    const found = ltcFindings(read(cut), RATE)
    expect(found?.jumps).toHaveLength(1)
    expect(found?.jumps[0].atSeconds).toBeCloseTo(1.6, 1)
    expect(found?.jumps[0].bySeconds).toBeCloseTo(1, 2)
  })

  test('sound that begins and ends within timecode, and stops in the middle', () => {
    const samples = recording('30').slice()
    samples.fill(0, 60_000, 100_000)
    const frames = read(samples.subarray(700))
    // Forty thousand samples are 25 frames; one on either side is torn, and the first one.
    expect(frames.length).toBeGreaterThanOrEqual(120 - 25 - 4)
    expect(frames.length).toBeLessThanOrEqual(120 - 25)
    expect(ltcFindings(frames, RATE)?.jumps).toEqual([])
  })

  test('a wrong rate is refused with words', () => {
    const frames = read(recording('25'))
    expect(() => ltcFindings(frames, RATE, { num: 30, den: 1 })).toThrow(LtcError)
    expect(() => ltcFindings(frames, RATE, { num: 30, den: 1 })).toThrow(/counts 25 frames a second, but 30 was asked for/)
    // Fifty pictures a second carry timecode that counts every second one.
    expect(ltcFindings(frames, RATE, { num: 50, den: 1 })?.framesRead).toBe(100)
  })

  test('music, noise, tones and silence hold no timecode', () => {
    const seconds = 4
    const tone = (hz: number) => Float32Array.from({ length: seconds * RATE }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE))
    const square = tone(1000).map(Math.sign)
    for (const samples of [new Float32Array(seconds * RATE), tone(440), tone(2000), square, noisy(tone(300), -10)]) {
      expect(read(samples)).toEqual([])
      expect(ltcFindings(read(samples), RATE)).toBeNull()
    }
    expect(() => new LtcReader(4000)).toThrow(/at least 8000/)
  })
})
