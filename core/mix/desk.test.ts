import fc from 'fast-check'
import { secondsToFlicks } from '../time/index.ts'
import { type DeskInput, type DeskNode, type DeskPassage, DeskRun, type LevelCurve, panned } from './index.ts'

const RATE = 48000
const s = secondsToFlicks
const noise = (frames: number, seed = 1) => {
  let x = seed
  return Float32Array.from({ length: frames }, () => {
    x = (x * 16807) % 2147483647
    return x / 2147483647 - 0.5
  })
}
const sine = (hz: number, frames: number) => Float32Array.from({ length: frames }, (_, n) => Math.sin((2 * Math.PI * hz * n) / RATE))
const node = (over: Partial<DeskNode> = {}): DeskNode => ({ key: 'a', input: 0, into: null, left: 1, right: 1, levels: [], processing: {}, delay: 0, ...over })
const onward = (master = 0): DeskPassage[] => [{ after: 0, master, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }]
const decibels = (curve: [number, number][]): LevelCurve => ({ lines: 'decibels', points: curve.map(([t, value]) => ({ time: s(t), value })) })
const steepest = (samples: Float32Array) => samples.reduce((most, x, n) => (n > 0 ? Math.max(most, Math.abs(x - samples[n - 1])) : 0), 0)
const rms = (samples: Float32Array) => Math.sqrt(samples.reduce((sum, x) => sum + x * x, 0) / samples.length)

/** All of some inputs through a desk, in blocks. */
function through(desk: DeskRun, inputs: DeskInput[], block = 128, at = 0): [Float32Array, Float32Array] {
  const frames = inputs.find((i) => i !== null)?.[0].length ?? 0
  const out: [Float32Array, Float32Array] = [new Float32Array(frames), new Float32Array(frames)]
  for (let n = 0; n < frames; n += block) {
    const to = Math.min(frames, n + block)
    desk.run(
      inputs.map((i) => i?.map((c) => c.subarray(n, to)) ?? null),
      [out[0].subarray(n, to), out[1].subarray(n, to)],
      at + n / RATE,
    )
  }
  return out
}
function desk(nodes: DeskNode[], passages = onward()): DeskRun {
  const run = new DeskRun(RATE)
  run.set(nodes)
  run.play(passages)
  return run
}

describe('the desk', () => {
  test('what no strip changes comes out bit for bit, through its group too', () => {
    const [l, r] = [noise(1000, 3), noise(1000, 9)]
    const [left, right] = through(desk([node({ into: 1 }), node({ key: 'g', input: null })]), [[l, r]])
    expect(left).toEqual(l)
    expect(right).toEqual(r)
  })

  test('a mono input goes to both sides; a place takes away from the other side alone', () => {
    const mono = noise(500)
    expect(through(desk([node()]), [[mono]])).toEqual([mono, mono])
    const [l, r] = panned(-1)
    const [left, right] = through(desk([node({ left: l, right: r })]), [[mono]])
    expect(left).toEqual(mono)
    expect(right.every((x) => x === 0)).toBe(true)
    expect(panned(0)).toEqual([1, 1])
  })

  test('a strip that goes falls silent without a step, through its group too, and one that comes rises', () => {
    const tone = sine(200, RATE / 2)
    const run = desk([node({ into: 1 }), node({ key: 'g', input: null, left: 0.5, right: 0.5 })])
    const out = new Float32Array(RATE / 2)
    for (let n = 0; n < tone.length; n += 100) {
      if (n === 6000) run.set([])
      if (n === 12_000) run.set([node({ into: 1 }), node({ key: 'g', input: null, left: 0.5, right: 0.5 })])
      run.run([[tone.slice(n, n + 100)]], [out.subarray(n, n + 100), new Float32Array(100)], n / RATE)
    }
    expect(steepest(out)).toBeLessThan(1.2 * steepest(tone) * 0.5)
    expect(rms(out.subarray(0, 6000))).toBeCloseTo(0.5 * rms(tone), 2)
    expect(rms(out.subarray(9000, 12_000))).toBeLessThan(1e-3)
    expect(out.subarray(20_000)).toEqual(tone.subarray(20_000).map((x) => 0.5 * x))
  })

  test('a group works on the sum of what goes into it', () => {
    const nodes = [node({ into: 2 }), node({ key: 'b', input: 1, into: 2 }), node({ key: 'g', input: null, left: 0.5, right: 0.25 })]
    const [a, b] = [noise(300, 5), noise(300, 8)]
    const [left, right] = through(desk(nodes), [[a], [b]])
    for (let n = 0; n < 300; n++) {
      expect(left[n]).toBeCloseTo(0.5 * (a[n] + b[n]), 6)
      expect(right[n]).toBeCloseTo(0.25 * (a[n] + b[n]), 6)
    }
    expect(() => new DeskRun(RATE).set([node({ key: 'g', input: null }), node({ into: 0 })])).toThrow('before')
  })

  test('however many strips there are, of whatever kind, all are heard once, at the programme and at their groups', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('plain', 'grouped', 'stereo', 'delayed'), { minLength: 1, maxLength: 14 }), (kinds) => {
        const inputs = kinds.map((kind, i) => (kind === 'stereo' ? [noise(256, 3 + i), noise(256, 90 + i)] : [noise(256, 3 + i)]))
        const group = kinds.length
        const strips = kinds.map((kind, i) =>
          node({
            key: `s${i}`,
            input: i,
            left: 0.5 + 0.03 * i,
            right: 1 - 0.04 * i,
            into: kind === 'grouped' ? group : null,
            delay: kind === 'delayed' ? 10 / RATE : 0,
          }),
        )
        const out = through(desk([...strips, node({ key: 'g', input: null, left: 0.5, right: 0.25 })]), inputs)
        for (const [side, key] of (['left', 'right'] as const).entries())
          for (let n = 0; n < 256; n++) {
            const wanted = kinds.reduce((sum, kind, i) => {
              const at = kind === 'delayed' ? n - 10 : n
              const x = at < 0 ? 0 : (inputs[i][side] ?? inputs[i][0])[at]
              return sum + x * strips[i][key] * (kind === 'grouped' ? [0.5, 0.25][side] : 1)
            }, 0)
            expect(Math.abs(out[side][n] - wanted)).toBeLessThan(1e-5)
          }
      }),
      { numRuns: 30 },
    )
  })

  test('whatever the blocks are, the sound is the same', () => {
    const processing = {
      highPassHz: 90,
      bands: [{ kind: 'bell' as const, hz: 900, gainDb: 7, q: 1.5 }],
      gate: { thresholdDb: -30, rangeDb: 40, attackMs: 1, holdMs: 20, releaseMs: 80 },
      compressor: { thresholdDb: -24, ratio: 4, kneeDb: 6, attackMs: 5, releaseMs: 90, makeupDb: 3 },
    }
    const nodes = [
      node({
        processing,
        levels: [
          decibels([
            [0.01, 0],
            [0.06, -20],
          ]),
        ],
        delay: 0.003,
        into: 1,
      }),
      node({
        key: 'g',
        input: null,
        levels: [
          decibels([
            [0.05, 0],
            [0.1, -6],
          ]),
        ],
      }),
    ]
    const input = [noise(9600, 4), noise(9600, 5)]
    const whole = through(desk(nodes), [input], 9600)
    fc.assert(
      fc.property(fc.constantFrom(16, 128, 160, 4800), (block) => {
        const parts = through(desk(nodes), [input], block)
        for (const side of [0, 1]) expect(parts[side].reduce((most, x, n) => Math.max(most, Math.abs(x - whole[side][n])), 0)).toBeLessThan(1e-6)
      }),
      { numRuns: 6 },
    )
  })

  test('levels follow the master: where the film goes on elsewhere, its level is that of elsewhere, and over a crossfade nothing jumps', () => {
    const levels = [
      decibels([
        [9, 0],
        [11, -12],
        [29, -12],
        [31, 0],
      ]),
    ]
    const passages = [
      { after: 0, master: 8, length: 1, fadeIn: 0, fadeOut: 0.1 },
      { after: 1, master: 30, length: 1, fadeIn: 0.1, fadeOut: 0 },
    ]
    const ones = new Float32Array(2 * RATE).fill(1)
    const [out] = through(desk([node({ levels })], passages), [[ones]])
    const level = (t: number) => 20 * Math.log10(out[Math.round(t * RATE)])
    expect(level(0.5)).toBeCloseTo(0, 5)
    // 9.0 on the one side and 30.0 on the other, half of each.
    expect(out[RATE]).toBeCloseTo((1 + 10 ** (-6 / 20)) / 2, 3)
    expect(level(1.5)).toBeCloseTo(-3, 2)
    expect(steepest(out)).toBeLessThan(2e-4)
  })

  test('faster and slower the levels still stand at their places on the master', () => {
    const run = desk(
      [
        node({
          levels: [
            {
              lines: 'factors',
              points: [
                { time: s(5), value: 0 },
                { time: s(6), value: 1 },
              ],
            },
          ],
        }),
      ],
      onward(4),
    )
    const out: [Float32Array, Float32Array] = [new Float32Array(480), new Float32Array(480)]
    run.run([[new Float32Array(480).fill(1)]], out, 1.5, 2)
    expect(out[0][0]).toBeCloseTo(0.5, 5)
    expect(out[0][479]).toBeCloseTo(0.5 + (2 * 479) / RATE, 4)
  })

  test('a level, drawn or set, that is changed while it sounds glides: no sample jumps', () => {
    const ones = [new Float32Array(4800).fill(1)]
    const run = desk([node()])
    through(run, [ones])
    run.set([node({ left: 0.1, right: 0.1, levels: [decibels([[0, -20]])] })])
    const [out] = through(run, [ones])
    expect(out[4799]).toBeCloseTo(0.01, 4)
    expect(steepest(out)).toBeLessThan(0.012)
    expect(out.findIndex((x) => x < 0.02)).toBeLessThan(0.05 * RATE)
  })

  test('delay, high-pass, gate and compressor do their work on a strip', () => {
    const click = new Float32Array(960)
    click[0] = 1
    expect(through(desk([node({ delay: 0.01 })]), [[click]])[0].indexOf(1)).toBe(480)
    const low = through(desk([node({ processing: { highPassHz: 200 } })]), [[sine(50, RATE)]])[0]
    expect(rms(low.subarray(RATE / 2))).toBeLessThan(0.01)
    const gate = { thresholdDb: -20, rangeDb: 60, attackMs: 1, holdMs: 10, releaseMs: 20 }
    const quiet = sine(400, RATE).map((x) => 0.01 * x)
    expect(rms(through(desk([node({ processing: { gate } })]), [[quiet]])[0].subarray(RATE / 2))).toBeLessThan(1e-4)
    const compressor = { thresholdDb: -20, ratio: 10, kneeDb: 0, attackMs: 1, releaseMs: 50, makeupDb: 0 }
    const run = desk([node({ processing: { compressor } })])
    const loud = through(run, [[sine(400, RATE)]])[0]
    expect(20 * Math.log10(loud.subarray(RATE / 2).reduce((m, x) => Math.max(m, Math.abs(x)), 0))).toBeCloseTo(-18, 0)
    expect(run.meters().get('a')?.reductionDb).toBeCloseTo(18, 0)
  })

  test('bypassed a strip is heard without its processing, as loud as with it', () => {
    const processing = { bands: [{ kind: 'bell' as const, hz: 400, gainDb: 12, q: 1 }] }
    const tone = [sine(400, 8 * RATE).map((x) => 0.1 * x)]
    const run = desk([node({ processing })])
    const [with_] = through(run, [tone])
    expect(rms(with_.subarray(7 * RATE)) / rms(tone[0])).toBeCloseTo(10 ** (12 / 20), 1)
    run.set([node({ processing, bypassed: true })])
    const high = [sine(4000, RATE).map((x) => 0.1 * x)]
    // Of another height the equaliser would have left it as it is; now all is raised by what it did to the loudness.
    const [without] = through(run, [high])
    expect(rms(without.subarray(RATE / 2)) / rms(high[0])).toBeCloseTo(10 ** (12 / 20), 0)
    run.set([node({ processing })])
    expect(rms(through(run, [high])[0].subarray(RATE / 2)) / rms(high[0])).toBeCloseTo(1, 1)
  })

  test('meters tell what comes out of each strip, and begin anew each time', () => {
    const run = desk([node({ left: 0.5, right: 0.5 })])
    through(run, [[new Float32Array(1280).fill(0.8)]])
    expect(run.meters().get('a')).toMatchObject({ peak: expect.closeTo(0.4, 6), rms: expect.closeTo(0.4, 6) })
    through(run, [null, [new Float32Array(128)]])
    expect(run.meters().get('a')).toMatchObject({ peak: 0, rms: 0 })
  })
})
