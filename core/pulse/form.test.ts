import { findPulse, PULSE_RATE } from './index.ts'

function random(seed: number): () => number {
  let a = seed
  return () => {
    a = (Math.imul(a, 1664525) + 1013904223) | 0
    return (a >>> 0) / 4294967296 - 0.5
  }
}

/** A part: four chords over and over, struck each half second, `bright` with hats and louder. */
function part(out: Float32Array, from: number, seconds: number, roots: number[], level: number, bright: boolean): void {
  const r = random(5)
  for (let k = 0; k * 0.5 < seconds; k++) {
    const root = roots[Math.floor(k / 4) % roots.length]
    const start = Math.round((from + k * 0.5) * PULSE_RATE)
    for (let i = 0; i < 0.48 * PULSE_RATE && start + i < out.length; i++) {
      const t = i / PULSE_RATE
      let x = 0
      for (const step of [0.5, 1, 1.25, 1.5]) x += Math.sin(2 * Math.PI * root * step * t)
      x *= 0.1 * Math.exp(-t / 0.2)
      x += (k % 2 === 0 ? 0.5 : 0.2) * Math.exp(-t / 0.05) * Math.sin(2 * Math.PI * (k % 2 === 0 ? 60 : 190) * t)
      if (bright) x += 0.3 * Math.exp(-(t % 0.25) / 0.02) * r()
      out[start + i] += level * x
    }
  }
}

const VERSE = [220, 196, 174.6, 196]
const REFRAIN = [261.6, 349.2, 392, 329.6]

describe('parts of the form', () => {
  const song = new Float32Array(96 * PULSE_RATE)
  for (const [i, from] of [0, 24, 48, 72].entries()) part(song, from, 24, i % 2 === 0 ? VERSE : REFRAIN, i % 2 === 0 ? 0.3 : 1, i % 2 === 1)
  const found = findPulse(song)

  test('verse and refrain are told apart, on the bar where they change', () => {
    expect(found.sections).toHaveLength(4)
    for (const [i, at] of [24, 48, 72].entries()) expect(Math.abs(found.sections[i + 1].start - at)).toBeLessThan(1.1)
  })

  test('a part that comes back has its name again', () => {
    expect(found.sections.map((s) => s.name)).toEqual(['A', 'B', 'A', 'B'])
  })

  test('parts cover the recording without a gap', () => {
    expect(found.sections[0].start).toBe(0)
    expect(found.sections.at(-1)?.end).toBeCloseTo(96, 1)
    for (const [i, s] of found.sections.slice(1).entries()) expect(s.start).toBe(found.sections[i].end)
  })

  test('where it suddenly becomes loud is told, and nowhere else', () => {
    expect(found.loud).toHaveLength(2)
    expect(Math.abs(found.loud[0] - 24)).toBeLessThan(0.1)
    expect(Math.abs(found.loud[1] - 72)).toBeLessThan(0.1)
  })

  test('one chord for a minute is one part without loud moments; nothing has none', () => {
    const drone = Float32Array.from({ length: 60 * PULSE_RATE }, (_, i) => 0.2 * Math.sin((2 * Math.PI * 220 * i) / PULSE_RATE))
    const { sections, loud } = findPulse(drone)
    expect(sections.map((s) => s.name)).toEqual(['A'])
    expect(loud).toEqual([])
    expect(findPulse(new Float32Array(0)).sections).toEqual([])
  })
})

describe('strong hits', () => {
  const times = [1.0037, 2.2291, 3.5008, 4.8113, 6.1502, 7.4444, 9.0009]
  const hits = (noise: number, attack: number) => {
    const r = random(11)
    const x = Float32Array.from({ length: 11 * PULSE_RATE }, () => noise * r())
    for (const [k, at] of times.entries()) {
      const from = Math.round(at * PULSE_RATE)
      for (let i = 0; i < 4000; i++) {
        const t = i / PULSE_RATE
        x[from + i] += 0.6 * Math.min(1, t / attack) * Math.exp(-t / 0.08) * (Math.sin(2 * Math.PI * (120 + 60 * k) * t) + 0.6 * r())
      }
    }
    return findPulse(x).hits
  }

  test.each([
    ['dry', 0.0005, 0.001],
    ['in noise', 0.03, 0.001],
    ['with a soft attack of 5 ms', 0.003, 0.005],
  ])('stand within five milliseconds of the truth: %s', (_, noise, attack) => {
    const found = hits(noise, attack)
    for (const at of times) expect(Math.min(...found.map((t) => Math.abs(t - at)))).toBeLessThan(0.005)
    expect(found.filter((t) => times.every((at) => Math.abs(t - at) > 0.05)).length).toBeLessThanOrEqual(1)
  })

  test('there are none in steady noise', () => {
    expect(findPulse(Float32Array.from({ length: 10 * PULSE_RATE }, random(3))).hits.length).toBeLessThanOrEqual(2)
  })
})
