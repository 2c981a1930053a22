import { ANALYSIS_RATE, sourceOf } from '../signal/index.ts'
import { compareLines } from './differ.ts'
import { placeBySound, SoundReference } from './index.ts'
import { heard } from './place.ts'

const random = (seed: number) => {
  let a = seed
  return () => {
    a = (a * 1103515245 + 12345) & 0x7fffffff
    return a / 0x7fffffff - 0.5
  }
}

/** A bar of notes over and over, every time with one soft note of its own. */
function loop(times: number, length: number): Float32Array {
  const out = new Float32Array(times * length)
  const common = random(7)
  const bar = new Float32Array(length)
  for (let i = 0; i < 24; i++) strike(bar, Math.floor((i * length) / 24), 200 + 900 * (common() + 0.5), 0.2)
  for (let k = 0; k < times; k++) {
    out.set(bar, k * length)
    const own = random(100 + 31 * k)
    for (let i = 0; i < 3; i++) strike(out, k * length + Math.floor((own() + 0.5) * length * 0.9), 300 + 1500 * (own() + 0.5), 0.035)
  }
  return out
}

function strike(out: Float32Array, at: number, hz: number, level: number): void {
  for (let i = 0; i < 2400 && at + i < out.length; i++) out[at + i] += level * Math.exp(-i / 700) * Math.sin((2 * Math.PI * hz * i) / ANALYSIS_RATE)
}

const length = 4 * ANALYSIS_RATE
const master = loop(14, length)
const filmed = (bar: number, bars: number, sign = 1) => {
  const noise = random(bar + 1)
  return master.slice(bar * length, (bar + bars) * length).map((x) => sign * x + 0.02 * noise())
}
const line = (bar: number) => ({ startSeconds: (bar * length) / ANALYSIS_RATE, rate: 1 })

test.each([
  [1, 'which'],
  [-1, 'which'],
  [1, 'left'],
  [-1, 'left'],
] as const)('what differs between repetitions tells the true one, polarity %p, asked %s', (sign, asked) => {
  const clip = sourceOf(filmed(5, 4, sign))
  const source = sourceOf(master)
  for (const rival of [2, 4, 6, 9]) {
    const told = compareLines(source, clip, line(5), line(rival), sign, asked)
    expect(told?.forA).toBeGreaterThan(8)
    // Nothing is heard of the other place that the true one has not.
    expect(Math.abs(told?.ofB ?? 9)).toBeLessThan(3.5)
    expect(compareLines(source, clip, line(rival), line(5), sign, asked)?.forA).toBeLessThan(-8)
  }
})

test.each([
  [1, 8],
  [2, 7],
  [3, 6],
  [4, 9],
])('of bars %d and %d something is heard in a clip that fits neither: it can be told from none', (a, b) => {
  const told = compareLines(sourceOf(master), sourceOf(filmed(5, 4)), line(a), line(b), 1, 'which')
  expect(Math.min(told?.ofA ?? 0, told?.ofB ?? 0)).toBeGreaterThan(0.3 * Math.max(told?.ofA ?? 9, told?.ofB ?? 9))
  expect(Math.min(told?.ofA ?? 0, told?.ofB ?? 0)).toBeGreaterThan(4)
})

test('places that are the same sound cannot be told apart', () => {
  const twice = new Float32Array(4 * length)
  twice.set(master.subarray(0, length * 2))
  twice.set(master.subarray(0, length * 2), 2 * length)
  const clip = sourceOf(master.slice(0, length * 2))
  expect(Math.abs(compareLines(sourceOf(twice), clip, line(0), line(2), 1, 'which')?.forA ?? 9)).toBeLessThan(1)
})

test('a clip of a loop is placed at its own repetition and says why; of an exact loop it is only to be checked', () => {
  const placed = placeBySound(new SoundReference(heard(master)), heard(filmed(7, 3)))
  expect(placed.verdict).toBe('sure')
  expect(Math.abs((placed.startSeconds as number) - 28)).toBeLessThan(0.001)
  const exact = new Float32Array(10 * length)
  for (let k = 0; k < 10; k++) exact.set(master.subarray(0, length), k * length)
  const open = placeBySound(new SoundReference(heard(exact)), heard(exact.slice(3 * length, 6 * length)))
  expect(open.verdict).toBe('check')
  expect(open.why).toEqual([{ code: 'two-places', ratio: expect.any(Number) }])
})
