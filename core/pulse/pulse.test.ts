import { trackBeats } from './beats.ts'
import { findPulse, PULSE_RATE } from './index.ts'
import type { OnsetFeatures } from './onset.ts'

/** Seeded noise. */
function random(seed: number): () => number {
  let a = seed
  return () => {
    a = (Math.imul(a, 1664525) + 1013904223) | 0
    return (a >>> 0) / 4294967296 - 0.5
  }
}

function hit(out: Float32Array, at: number, hz: number, level: number, r: () => number): void {
  const from = Math.round(at * PULSE_RATE)
  for (let i = 0; i < 2400 && from + i < out.length; i++) {
    const t = i / PULSE_RATE
    out[from + i] += level * (Math.exp(-t / 0.06) * Math.sin(2 * Math.PI * hz * t) + 0.5 * Math.exp(-t / 0.008) * r())
  }
}

/** Kick and snare in turn (in three: kick, snare, snare), hats between, a bass note and a chord that change with the bar. */
function band(beats: number[], metre: number, seconds: number): Float32Array {
  const out = new Float32Array(seconds * PULSE_RATE)
  const r = random(3)
  for (const [i, at] of beats.entries()) {
    const first = i % metre === 0
    const kick = metre % 2 === 0 ? i % 2 === 0 : first
    hit(out, at, kick ? 60 : 220, kick ? 0.8 : 0.5, r)
    hit(out, at, 3000, 0.08, r)
    hit(out, at + ((beats[i + 1] ?? at + 0.5) - at) / 2, 3000, 0.08, r)
    const root = [220, 293.7, 329.6, 246.9][Math.floor(i / metre) % 4]
    const from = Math.round(at * PULSE_RATE)
    // Struck and dying away: a chord that breaks off would be an attack of its own.
    for (let k = 0; k < 0.6 * PULSE_RATE && from + k < out.length; k++)
      for (const step of kick ? [0.25, 1, 1.25, 1.5] : [1, 1.25, 1.5])
        out[from + k] += 0.06 * Math.exp(-k / (0.15 * PULSE_RATE)) * Math.sin((2 * Math.PI * root * step * k) / PULSE_RATE)
  }
  return out
}

const steady = (bpm: number, from: number, to: number) => Array.from({ length: Math.floor(((to - from) * bpm) / 60) }, (_, i) => from + (i * 60) / bpm)

function fMeasure(wanted: number[], found: number[], window = 0.07): number {
  const hits = wanted.filter((w) => found.some((f) => Math.abs(f - w) <= window)).length
  return (2 * hits) / (wanted.length + found.length)
}

describe('finding the pulse', () => {
  test.each([112, 120, 126, 138])('finds every beat of a band at %i beats a minute, to ten milliseconds', (bpm) => {
    const beats = steady(bpm, 1, 31)
    const found = findPulse(band(beats, 4, 32))
    expect(fMeasure(beats, found.beats)).toBeGreaterThan(0.95)
    expect(Math.abs(found.tempoBpm / bpm - 1)).toBeLessThan(0.01)
    const off = beats.map((b) => Math.min(...found.beats.map((f) => Math.abs(f - b)))).sort((a, b) => a - b)
    expect(off[off.length >> 1]).toBeLessThan(0.01)
  })

  test('knows which beats begin a bar', () => {
    const beats = steady(112, 1, 33)
    const found = findPulse(band(beats, 4, 34))
    const downs = beats.filter((_, i) => i % 4 === 0)
    expect(found.metre).toBe(4)
    expect(
      fMeasure(
        downs,
        found.downbeats.map((i) => found.beats[i]),
      ),
    ).toBeGreaterThan(0.9)
  })

  test('counts three in a waltz', () => {
    expect(findPulse(band(steady(126, 1, 33), 3, 34)).metre).toBe(3)
  })

  test('follows a tempo that rises', () => {
    const beats: number[] = []
    for (let t = 1, bpm = 100; t < 41; t += 60 / bpm, bpm += 0.25) beats.push(t)
    expect(fMeasure(beats, findPulse(band(beats, 4, 42)).beats)).toBeGreaterThan(0.9)
  })

  test('leaves a pause without beats', () => {
    const beats = [...steady(120, 1, 17), ...steady(120, 37, 53)]
    const found = findPulse(band(beats, 4, 54)).beats
    expect(found.filter((b) => b > 20 && b < 34)).toEqual([])
    expect(fMeasure(beats, found)).toBeGreaterThan(0.9)
  })

  describe('the level of the beat', () => {
    /** Likelihoods each 20 ms of beats at instants. */
    const likely = (seconds: number, beats: number[]) => {
      const beat = new Float32Array(50 * seconds).fill(0.03)
      for (const t of beats) beat[Math.round(50 * t)] = 0.85
      return beat
    }
    const tracked = (beat: Float32Array) => trackBeats(beat, { strength: new Float32Array(2 * beat.length) } as OnsetFeatures)
    const distances = (beats: number[], from: number, to: number) =>
      beats.flatMap((t, i) => (i > 0 && beats[i - 1] > from && t < to ? [Math.round(100 * (t - beats[i - 1])) / 100] : []))

    test('stays where a stretch between could be counted twice as fast', () => {
      const found = tracked(likely(150, [...steady(100, 0.6, 149), ...steady(100, 60.3, 80)]))
      expect(new Set(distances(found, 2, 148))).toEqual(new Set([0.6]))
    })

    test('is its own in a song that goes on', () => {
      const found = tracked(likely(200, [...steady(100, 0.6, 100), ...steady(60 / 0.34, 100.4, 199)]))
      expect(new Set(distances(found, 2, 98))).toEqual(new Set([0.6]))
      expect(new Set(distances(found, 110, 198))).toEqual(new Set([0.34]))
    })
  })

  describe('obeys who knows the music', () => {
    const beats = steady(126, 1, 41)
    const sound = band(beats, 4, 42)

    test('about half or double the tempo', () => {
      const half = findPulse(sound, undefined, { tempoBpm: 63 })
      expect(Math.abs(half.tempoBpm / 63 - 1)).toBeLessThan(0.02)
      expect(half.beats.filter((t) => beats.some((b) => Math.abs(b - t) < 0.05)).length / half.beats.length).toBeGreaterThan(0.9)
      const double = findPulse(sound, undefined, { tempoBpm: 250 })
      expect(Math.abs(double.tempoBpm / 252 - 1)).toBeLessThan(0.02)
      expect(
        fMeasure(
          beats,
          double.beats.filter((t) => beats.some((b) => Math.abs(b - t) < 0.05)),
        ),
      ).toBeGreaterThan(0.9)
    })

    test('so many beats a bar, five too', () => {
      const five = findPulse(band(beats, 5, 42), undefined, { metre: 5 })
      expect(five.metre).toBe(5)
      const distances = new Set(five.downbeats.slice(1).map((d, i) => d - five.downbeats[i]))
      expect([...distances]).toEqual([5])
      expect(findPulse(sound, undefined, { metre: 3 }).metre).toBe(3)
    })

    test('a stretch that is known: level, phase and bars of all follow it', () => {
      // Four bars are known at half the level, on the weak beats, and where they begin.
      const known = beats.filter((_, i) => i >= 40 && i < 56 && i % 2 === 1)
      const found = findPulse(sound, undefined, { known: [{ beats: known, downbeats: [1, 5] }] })
      expect(Math.abs(found.tempoBpm / 63 - 1)).toBeLessThan(0.02)
      for (const t of known) expect(Math.min(...found.beats.map((b) => Math.abs(b - t)))).toBeLessThan(0.03)
      const near = (t: number) => found.beats.findIndex((b) => Math.abs(b - t) < 0.05)
      for (const t of [known[1], known[5]]) expect(found.downbeats).toContain(near(t))
      expect(found.downbeats).not.toContain(near(known[0]))
      // Far from the stretch too.
      expect(found.beats.filter((t) => t > 5 && t < 12).length).toBeLessThan(10)
    })

    test('known bars of five are counted on', () => {
      const known = beats.slice(20, 31)
      const { downbeats, metre } = findPulse(band(beats, 5, 42), undefined, { known: [{ beats: known, downbeats: [0, 5, 10] }] })
      expect(metre).toBe(5)
      expect(new Set(downbeats.slice(1).map((d, i) => d - downbeats[i]))).toEqual(new Set([5]))
    })

    test('two firsts of bars that are far apart tell no metre', () => {
      const { metre } = findPulse(sound, undefined, { known: [{ beats, downbeats: [0, 80] }] })
      expect(metre).toBeLessThan(7)
    })
  })

  test.each([
    ['silence', new Float32Array(20 * PULSE_RATE)],
    ['steady noise', Float32Array.from({ length: 20 * PULSE_RATE }, random(9))],
    ['nothing', new Float32Array(0)],
    ['six thousandths of a second', band([0.5], 4, 1).subarray(8000, 8100)],
    ['two seconds, too few to tell', band([0.5, 1, 1.5], 4, 2)],
  ])('finds no beats in %s', (_, samples) => {
    const found = findPulse(samples)
    expect(found.beats).toEqual([])
    expect(found.tempoBpm).toBe(0)
    expect(found.confidence).toBe(0)
  })
})
