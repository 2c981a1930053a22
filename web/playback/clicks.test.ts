import { Clicks } from './clicks.ts'

/** An audio clock that the test moves, and the tones that were ordered on it. */
function clock() {
  const tones: { hz: number; from: number; to: number; stopped: boolean }[] = []
  const parameter = () => ({ value: 0, setValueAtTime() {}, linearRampToValueAtTime() {}, exponentialRampToValueAtTime() {} })
  const context = {
    currentTime: 0,
    createGain: () => ({ gain: parameter(), connect: (next: unknown) => next, disconnect() {} }),
    createOscillator: () => {
      const tone = { hz: 0, from: Number.NaN, to: Number.NaN, stopped: false }
      tones.push(tone)
      const frequency = {
        set value(hz: number) {
          tone.hz = hz
        },
      }
      return {
        frequency,
        onended: null,
        connect: (next: unknown) => next,
        start: (at: number) => {
          tone.from = at
        },
        stop: (at?: number) => {
          if (at === undefined) tone.stopped = true
          else tone.to = at
        },
      }
    },
  }
  const clicks = new Clicks(context as unknown as AudioContext, {} as AudioNode)
  const run = (seconds: number) => {
    for (let t = 0; t < seconds; t += 0.05) {
      context.currentTime += 0.05
      jest.advanceTimersByTime(50)
    }
  }
  return { context, clicks, tones, run }
}

const from = (master: number) => [{ master, after: 0, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }]

/** Beats each half second, every fourth strong. */
const beats = Array.from({ length: 120 }, (_, i) => ({ time: i * 0.5, strong: i % 4 === 0 }))

beforeEach(() => jest.useFakeTimers())
afterEach(() => jest.useRealTimers())

describe('clicks on the beats', () => {
  test('each beat from here on clicks once, exactly when it sounds; the first of a bar higher', () => {
    const { clicks, tones, run } = clock()
    clicks.set(beats)
    // Master second 10 sounds at context second 0.08.
    clicks.start(from(10), 0.08)
    run(5)
    const due = beats.filter((b) => b.time >= 10 && b.time <= 15.2)
    expect(tones.length).toBeGreaterThanOrEqual(due.length)
    for (const [i, beat] of due.entries()) {
      expect(tones[i].from).toBeCloseTo(0.08 + beat.time - 10, 9)
      expect(tones[i].hz > 1500).toBe(beat.strong)
      expect(tones[i].to).toBeGreaterThan(tones[i].from)
    }
    expect(clicks.given).toBe(tones.length)
  })

  test('only what sounds soon is ordered, so that a stop is heard at once', () => {
    const { clicks, tones, run } = clock()
    clicks.set(beats)
    clicks.start(from(0), 0.08)
    run(2)
    expect(Math.max(...tones.map((t) => t.from))).toBeLessThan(2.6)
    clicks.stop()
    expect(tones.every((t) => t.stopped)).toBe(true)
    const before = tones.length
    run(3)
    expect(tones).toHaveLength(before)
  })

  test('a beat that is moved while it plays clicks at its new place, and none that has passed clicks again', () => {
    const { context, clicks, tones, run } = clock()
    clicks.set(beats)
    clicks.start(from(0), 0)
    run(3)
    const before = tones.length
    const now = context.currentTime
    clicks.set(beats.map((b) => ({ ...b, time: b.time + 0.1 })))
    run(2)
    const anew = tones.slice(before)
    expect(anew.length).toBeGreaterThan(2)
    for (const { from } of anew) {
      expect(from).toBeGreaterThanOrEqual(now)
      expect((from - 0.1) * 2).toBeCloseTo(Math.round((from - 0.1) * 2), 6)
    }
  })

  test('after the last beat, and with none at all, there is silence', () => {
    const { clicks, tones, run } = clock()
    clicks.set(beats)
    clicks.start(from(200), 0.08)
    run(2)
    clicks.set([])
    run(2)
    expect(tones).toHaveLength(0)
    expect(clicks.given).toBe(0)
  })

  test('in a film with a removed middle, beats that were left out are not clicked and those behind follow at once', () => {
    const { clicks, tones, run } = clock()
    clicks.set(beats)
    clicks.start(
      [
        { master: 10, after: 0, length: 1.2, fadeIn: 0, fadeOut: 0 },
        { master: 30.4, after: 1.2, length: 2, fadeIn: 0, fadeOut: 0 },
      ],
      0.1,
    )
    run(4)
    expect(tones.map((t) => Math.round(t.from * 1000))).toEqual([100, 600, 1100, 1400, 1900, 2400, 2900])
  })
})
