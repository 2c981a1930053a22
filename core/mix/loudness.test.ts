import { spawnSync } from 'node:child_process'
import { LoudnessMeter, TruePeak } from './loudness.ts'

const RATE = 48000

/** A 1 kHz tone in both channels: pieces of [peak level in dBFS, seconds], one after the other (EBU Tech 3341, 3342). */
function tone(pieces: readonly (readonly [number, number])[], rate = RATE, hz = 1000): Float32Array {
  const out = new Float32Array(2 * Math.round(rate * pieces.reduce((sum, [, seconds]) => sum + seconds, 0)))
  let n = 0
  for (const [decibels, seconds] of pieces) {
    const level = 10 ** (decibels / 20)
    for (const end = n + Math.round(seconds * rate); n < end; n++) {
      const x = level * Math.sin((2 * Math.PI * hz * n) / rate)
      out[2 * n] = x
      out[2 * n + 1] = x
    }
  }
  return out
}

function measure(samples: Float32Array, rate = RATE, channels = 2) {
  const meter = new LoudnessMeter(rate, channels)
  // In pieces that fit nothing.
  for (let at = 0; at < samples.length; at += 7777 * channels) meter.add(samples.subarray(at, at + 7777 * channels))
  return meter.measured()
}

describe('the test signals of EBU Tech 3341 and 3342', () => {
  test.each([
    ['−23 dBFS for 20 s', [[-23, 20]], -23],
    ['−33 dBFS for 20 s', [[-33, 20]], -33],
    [
      'a louder middle',
      [
        [-36, 10],
        [-23, 60],
        [-36, 10],
      ],
      -23,
    ],
    [
      'silence and quiet before and after',
      [
        [-72, 10],
        [-36, 10],
        [-23, 60],
        [-36, 10],
        [-72, 10],
      ],
      -23,
    ],
    [
      'a short louder middle',
      [
        [-26, 20],
        [-20, 20.1],
        [-26, 20],
      ],
      -23,
    ],
  ] as const)('integrated: %s', (_, pieces, wanted) => {
    expect(Math.abs(measure(tone(pieces)).integrated - wanted)).toBeLessThan(0.1)
  })

  test.each([
    [
      [
        [-20, 20],
        [-30, 20],
      ],
      10,
    ],
    [
      [
        [-20, 20],
        [-15, 20],
      ],
      5,
    ],
    [
      [
        [-40, 20],
        [-20, 20],
      ],
      20,
    ],
    [
      [
        [-50, 20],
        [-35, 20],
        [-20, 20],
        [-35, 20],
        [-50, 20],
      ],
      15,
    ],
  ] as const)('range of %j', (pieces, wanted) => {
    expect(Math.abs(measure(tone(pieces)).range - wanted)).toBeLessThan(1)
  })

  test('momentary and short-term follow a tone', () => {
    const { momentary, shortTerm } = measure(
      tone([
        [-40, 5],
        [-20, 5],
      ]),
    )
    expect(momentary).toHaveLength(100)
    expect(momentary[54]).toBeCloseTo(-20, 1)
    expect(momentary[48]).toBeCloseTo(-40, 1)
    expect(shortTerm[80]).toBeCloseTo(-20, 1)
    expect(shortTerm[64]).toBeLessThan(-22)
  })

  // A quarter of the rate, so that samples miss the peaks by 3 dB.
  test.each([0, 45, 60, 67.5])('true peak of a tone at %d degrees', (degrees) => {
    const samples = new Float32Array(RATE)
    for (let n = 0; n < samples.length; n++) {
      const fade = Math.min(1, n / 2000, (samples.length - n) / 2000)
      samples[n] = fade * 0.5 * Math.sin((Math.PI / 2) * n + (degrees * Math.PI) / 180)
    }
    const peak = new TruePeak(1)
    peak.add(samples)
    expect(20 * Math.log10(peak.highest) + 6.02).toBeGreaterThan(-0.4)
    expect(20 * Math.log10(peak.highest) + 6.02).toBeLessThan(0.2)
  })
})

test('nothing, silence and less than a block have no loudness', () => {
  for (const samples of [new Float32Array(0), new Float32Array(RATE * 8), tone([[-20, 0.3]])]) {
    const { integrated, range } = measure(samples)
    expect([integrated, range]).toEqual([Number.NEGATIVE_INFINITY, 0])
  }
  expect(measure(new Float32Array(RATE)).truePeak).toBe(Number.NEGATIVE_INFINITY)
})

describe('against ffmpeg’s ebur128', () => {
  const seeded = (seed: number) => {
    let a = seed
    return () => {
      a = (Math.imul(a, 1664525) + 1013904223) | 0
      return (a >>> 0) / 2 ** 31 - 1
    }
  }
  const made = (channels: number, rate: number, seconds: number, at: (t: number, c: number, random: () => number) => number) => {
    const random = seeded(channels + rate)
    return Float32Array.from({ length: channels * rate * seconds }, (_, i) => at(Math.floor(i / channels) / rate, i % channels, random))
  }
  const phrase = (t: number) => (t % 3.1 < 1.9 ? 1 : 0.02)
  const kinds: Record<string, (t: number, c: number, random: () => number) => number> = {
    'white noise': (_, __, random) => 0.2 * random(),
    'speech-like bursts': (t, _, random) => 0.4 * phrase(t) * random() * Math.abs(Math.sin(9 * t)),
    'one side only': (t, c) => (c === 0 ? 0.3 * Math.sin(2 * Math.PI * 440 * t) : 0),
    'a sweep': (t) => 0.5 * Math.sin(2 * Math.PI * (20 + 400 * t) * t),
    'a rumble': (t) => 0.7 * Math.sin(2 * Math.PI * 31 * t) + 0.05 * Math.sin(2 * Math.PI * 3000 * t),
    'a crescendo': (t, c, random) => 0.9 * (t / 14) ** 2 * (0.5 * random() + 0.5 * Math.sin(2 * Math.PI * (200 + 3 * c) * t)),
    clipped: (t) => Math.max(-1, Math.min(1, 2.5 * Math.sin(2 * Math.PI * 997 * t))),
  }
  const signals = Object.keys(kinds).flatMap((kind) =>
    (
      [
        [2, 48000],
        [2, 44100],
        [1, 48000],
      ] as const
    ).map(([channels, rate]) => [kind, channels, rate] as const),
  )

  test.each(signals)('%s, %d channels at %d Hz', (kind, channels, rate) => {
    const samples = made(channels, rate, 14, kinds[kind])
    const args = ['-nostats', '-hide_banner', '-f', 'f32le', '-ar', String(rate), '-ac', String(channels), '-i', 'pipe:0']
    const { stderr } = spawnSync(
      'ffmpeg',
      [...args, '-af', 'ebur128=peak=true:metadata=1,ametadata=print:key=lavfi.r128.I,ametadata=print:key=lavfi.r128.LRA', '-f', 'null', '-'],
      {
        input: Buffer.from(samples.buffer),
        maxBuffer: 1 << 26,
        encoding: 'utf8',
      },
    )
    const last = (pattern: RegExp) => Number([...stderr.matchAll(pattern)].at(-1)?.[1])
    const ours = measure(samples, rate, channels)
    expect(Math.abs(ours.integrated - last(/r128\.I=(-?[\d.]+)/g))).toBeLessThan(0.1)
    // Which of few blocks is the tenth part of them is read in more ways than one; the standard allows 1 LU.
    expect(Math.abs(ours.range - last(/r128\.LRA=(-?[\d.]+)/g))).toBeLessThan(0.5)
    expect(Math.abs(ours.truePeak - last(/Peak:\s+(-?[\d.]+) dBFS/g))).toBeLessThan(0.2)
  })
})
