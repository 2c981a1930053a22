import fc from 'fast-check'
import { SoundWork, STRETCH } from '../signal/index.ts'
import { type Band, bandSection, highPassSections, notchSection, quiet, responseAt, runBiquad } from './biquad.ts'
import { type Compressor, CompressorRun, compressed, type Gate, GateRun } from './dynamics.ts'
import { Limiter } from './limiter.ts'
import { TruePeak } from './loudness.ts'

const RATE = 48000
const decibels = (factor: number) => 20 * Math.log10(factor)
const sine = (hz: number, level: number, frames: number) => Float32Array.from({ length: frames }, (_, n) => level * Math.sin((2 * Math.PI * hz * n) / RATE))
const highest = (samples: Float32Array) => samples.reduce((most, x) => Math.max(most, Math.abs(x)), 0)

describe('the equaliser', () => {
  const bands = fc.record({
    kind: fc.constantFrom('low-shelf' as const, 'bell' as const, 'high-shelf' as const),
    hz: fc.double({ min: 40, max: 12000, noNaN: true }),
    gainDb: fc.double({ min: -18, max: 18, noNaN: true }),
    q: fc.double({ min: 0.3, max: 8, noNaN: true }),
  })

  test('each band does what it says at its frequency and nothing where it is not meant', () => {
    const at = (band: Band, hz: number) => decibels(responseAt([bandSection(band, RATE)], hz, RATE))
    expect(at({ kind: 'bell', hz: 1000, gainDb: 6, q: 1 }, 1000)).toBeCloseTo(6, 6)
    expect(at({ kind: 'bell', hz: 1000, gainDb: 6, q: 4 }, 60)).toBeCloseTo(0, 1)
    expect(at({ kind: 'low-shelf', hz: 200, gainDb: -9, q: 0.7 }, 10)).toBeCloseTo(-9, 1)
    expect(at({ kind: 'low-shelf', hz: 200, gainDb: -9, q: 0.7 }, 8000)).toBeCloseTo(0, 1)
    expect(at({ kind: 'high-shelf', hz: 4000, gainDb: 5, q: 0.7 }, 20000)).toBeCloseTo(5, 1)
    expect(at({ kind: 'high-shelf', hz: 4000, gainDb: 5, q: 0.7 }, 100)).toBeCloseTo(0, 1)
  })

  test('a band and its opposite are nothing together, and no setting swings', () => {
    fc.assert(
      fc.property(bands, fc.double({ min: 20, max: 20000, noNaN: true }), (band, hz) => {
        const both = [bandSection(band, RATE), bandSection({ ...band, gainDb: -band.gainDb }, RATE)]
        expect(decibels(responseAt(both, hz, RATE))).toBeCloseTo(0, 6)
        // The narrowest shelf at 40 Hz rings for 0.1 s by its nature: a second later nothing is left of it.
        const samples = new Float32Array(2 * RATE)
        samples[0] = 1
        runBiquad(both[0], quiet(), samples)
        expect(highest(samples.subarray(RATE))).toBeLessThan(1e-4)
      }),
      { numRuns: 100 },
    )
  })

  test('what a section does to a tone is what is drawn of it', () => {
    const section = bandSection({ kind: 'bell', hz: 700, gainDb: 9, q: 2 }, RATE)
    for (const hz of [100, 700, 900, 5000]) {
      const samples = sine(hz, 0.1, RATE)
      runBiquad(section, quiet(), samples)
      expect(highest(samples.subarray(RATE / 2)) / 0.1).toBeCloseTo(responseAt([section], hz, RATE), 2)
    }
  })

  test('the high-pass falls by 24 dB an octave; a notch takes its frequency alone', () => {
    const pass = highPassSections(120, RATE)
    expect(decibels(responseAt(pass, 120, RATE))).toBeCloseTo(-3.01, 1)
    expect(decibels(responseAt(pass, 60, RATE))).toBeCloseTo(-24.1, 0)
    expect(decibels(responseAt(pass, 1000, RATE))).toBeCloseTo(0, 2)
    const notch = [notchSection(50, 20, RATE)]
    expect(responseAt(notch, 50, RATE)).toBeLessThan(1e-6)
    expect(decibels(responseAt(notch, 60, RATE))).toBeGreaterThan(-1)
  })
})

/** Runs sound through a compressor or a gate. */
function through<T>(run: { run: (settings: T, sound: SoundWork) => void }, settings: T, sound: readonly Float32Array[]): void {
  const work = new SoundWork()
  work.put(sound)
  run.run(settings, work)
  work.take(sound)
}

describe('compressor and gate', () => {
  const settings: Compressor = { thresholdDb: -20, ratio: 4, kneeDb: 6, attackMs: 5, releaseMs: 80, makeupDb: 0 }

  test('the curve never falls, never rises steeper than it was, and has its ratio above the knee', () => {
    for (let level = -80; level < 0; level += 0.5) {
      const step = compressed(settings, level + 0.5) - compressed(settings, level)
      expect(step).toBeGreaterThanOrEqual(0)
      expect(step).toBeLessThanOrEqual(0.5 + 1e-9)
    }
    expect(compressed(settings, -60)).toBe(-60)
    expect(compressed(settings, 0)).toBeCloseTo(-15, 9)
  })

  test('a loud tone settles at the curve, and what is quiet afterwards comes back', () => {
    const run = new CompressorRun(RATE)
    const loud = sine(1000, 0.5, RATE)
    through(run, settings, [loud])
    expect(decibels(highest(loud.subarray(RATE / 2)))).toBeCloseTo(compressed(settings, decibels(0.5)), 0)
    expect(run.reductionDb).toBeGreaterThan(9)
    const quieter = sine(1000, 0.01, RATE)
    through(run, settings, [quieter])
    expect(decibels(highest(quieter.subarray(RATE / 2)))).toBeCloseTo(-40, 1)
  })

  test('pieces of any length give the same, and both channels keep their balance', () => {
    const whole = [sine(300, 0.6, 4800), sine(500, 0.2, 4800)]
    const inPieces = whole.map((c) => c.slice())
    through(new CompressorRun(RATE), settings, whole)
    const run = new CompressorRun(RATE)
    for (let at = 0; at < 4800; at += 10 * STRETCH)
      through(
        run,
        settings,
        inPieces.map((c) => c.subarray(at, at + 10 * STRETCH)),
      )
    expect(inPieces).toEqual(whole)
    const [a, b] = [sine(300, 0.6, 4800), sine(500, 0.2, 4800)]
    for (let n = 1000; n < 4800; n += 37) if (Math.abs(a[n]) > 0.01 && Math.abs(b[n]) > 0.01) expect(whole[0][n] / a[n]).toBeCloseTo(whole[1][n] / b[n], 4)
  })

  test('the gate closes behind its hold, opens again, and stays within its range', () => {
    const gate: Gate = { thresholdDb: -40, rangeDb: 30, attackMs: 1, holdMs: 100, releaseMs: 20 }
    const run = new GateRun(RATE)
    const of = (level: number, seconds: number) => {
      const samples = sine(1000, level, seconds * RATE)
      through(run, gate, [samples])
      return samples
    }
    expect(highest(of(0.1, 0.3))).toBeCloseTo(0.1, 3)
    const tail = of(0.001, 0.5)
    expect(decibels(highest(tail.subarray(0, 0.05 * RATE)) / 0.001)).toBeCloseTo(0, 1)
    expect(decibels(highest(tail.subarray(0.4 * RATE)) / 0.001)).toBeCloseTo(-30, 0)
    expect(run.isOpen).toBe(false)
    expect(highest(of(0.1, 0.2).subarray(0.1 * RATE))).toBeCloseTo(0.1, 3)
  })
})

describe('the limiter', () => {
  const seeded = (seed: number) => {
    let a = seed
    return () => {
      a = (Math.imul(a, 1664525) + 1013904223) | 0
      return (a >>> 0) / 2 ** 31 - 1
    }
  }
  const limited = (samples: Float32Array, channels: number, piece: number, ceiling = -1) => {
    const limiter = new Limiter(RATE, channels, ceiling)
    const parts: number[] = []
    for (let at = 0; at < samples.length; at += piece * channels) parts.push(...limiter.add(samples.slice(at, at + piece * channels)))
    parts.push(...limiter.end())
    return { out: Float32Array.from(parts), limiter }
  }

  test('nothing comes out above the ceiling, between the samples neither, in pieces of any length; nothing is lost', () => {
    for (const [seed, piece] of [
      [1, 5000],
      [2, 311],
      [3, 48000],
    ] as const) {
      const random = seeded(seed)
      // Bursts, single loud samples and a hard beginning.
      const samples = Float32Array.from({ length: 2 * 24000 }, (_, i) => {
        const n = i >> 1
        return (n % 6000 < 900 ? 1.8 : 0.1) * random() + (n % 7001 === 17 ? 2 : 0)
      })
      const { out, limiter } = limited(samples, 2, piece)
      expect(out).toHaveLength(samples.length)
      const peak = new TruePeak(2)
      peak.add(out)
      expect(decibels(peak.highest)).toBeLessThan(-0.9)
      expect(limiter.mostDb).toBeGreaterThan(5)
    }
  })

  test('what is quiet enough passes untouched, and pieces do not matter', () => {
    const samples = sine(997, 0.7, 12000)
    expect(limited(samples, 1, 1000).out).toEqual(samples)
    const loud = sine(997, 1.4, 12000)
    expect(limited(loud, 1, 100).out).toEqual(limited(loud, 1, 7000).out)
  })

  test('gains move without steps', () => {
    const samples = new Float32Array(24000).fill(0.1)
    samples[12000] = 3
    const { out } = limited(samples, 1, 4000)
    for (let n = 1; n < 11990; n++) expect(Math.abs(out[n] - out[n - 1])).toBeLessThan(0.001)
    expect(out[11000]).toBeCloseTo(0.1, 6)
    expect(out[23999]).toBeGreaterThan(0.08)
  })
})
