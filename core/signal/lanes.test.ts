import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import fc from 'fast-check'
import { type Biquad, ChannelTaker, HighestBetween, LevelSum, SAMPLE_BYTES, type SampleForm, SectionRow, SoundWork } from './index.ts'
import embedded from './lanes.json'

const READERS: Record<SampleForm, (from: DataView, at: number) => number> = {
  s16: (from, at) => from.getInt16(at, true) / 2 ** 15,
  s24: (from, at) => ((from.getUint8(at) << 8) | (from.getUint8(at + 1) << 16) | (from.getUint8(at + 2) << 24)) / 2 ** 31,
  s32: (from, at) => from.getInt32(at, true) / 2 ** 31,
  f32: (from, at) => from.getFloat32(at, true),
}
const forms = Object.keys(READERS) as SampleForm[]

const taken = fc.integer({ min: 1, max: 20 }).chain((width) =>
  fc.record({
    width: fc.constant(width),
    columns: fc.oneof(
      fc.array(fc.integer({ min: 0, max: width - 1 }), { minLength: 1, maxLength: 20 }),
      fc.constant(Array.from({ length: width }, (_, c) => c)),
    ),
    blocks: fc.array(fc.integer({ min: 0, max: 300 }), { minLength: 1, maxLength: 4 }),
    seed: fc.integer({ min: 1, max: 2 ** 30 }),
  }),
)

describe.each(forms)('samples of %s', (form) => {
  test('every wanted channel is taken out of frames of any width as it lies there, block after block', () => {
    fc.assert(
      fc.property(taken, ({ width, columns, blocks, seed }) => {
        const taker = new ChannelTaker(columns, width, form)
        const size = SAMPLE_BYTES[form]
        for (const frames of blocks) {
          const bytes = Uint8Array.from({ length: frames * width * size }, (_, i) => (seed * (i + 1) * 2654435761) >>> 24)
          // Of floats the highest byte says how large: none is beyond all numbers.
          if (form === 'f32') for (let i = 3; i < bytes.length; i += 4) bytes[i] &= 0xbf
          const view = new DataView(bytes.buffer)
          const wanted = columns.map((c) => Float32Array.from({ length: frames }, (_, n) => READERS[form](view, size * (n * width + c))))
          const middle = Math.floor((bytes.length * (seed % 7)) / 7)
          expect(taker.take([bytes.subarray(0, middle), bytes.subarray(middle)])).toEqual(wanted)
        }
      }),
      { numRuns: 60 },
    )
  })
})

describe('channels added at levels', () => {
  const tone = (k: number, frames: number) => Float32Array.from({ length: frames }, (_, n) => Math.sin(0.05 * (k + 1) * n + k))

  test.each([1, 3, 8, 127, 128, 960])('%i frames of 64 channels are added to what is there, each with its two levels', (frames) => {
    const sum = new LevelSum()
    const channels = Array.from({ length: 64 }, (_, k) => ({ sound: tone(k, frames), left: 0.5 - k / 100, right: k / 80 }))
    const into = [tone(70, frames), tone(71, frames)] as const
    const wanted = (['left', 'right'] as const).map((side, s) =>
      Array.from({ length: frames }, (_, n) => into[s][n] + channels.reduce((all, c) => all + c[side] * c.sound[n], 0)),
    )
    for (const { sound, left, right } of channels) sum.add(sound, left, right)
    expect(sum.full).toBe(true)
    expect(() => sum.add(channels[0].sound, 1, 1)).toThrow('no more than 64')
    sum.addTo(into)
    // Single precision: 120 dB below full scale and more.
    for (const [s, side] of into.entries()) for (const [n, x] of side.entries()) expect(Math.abs(x - wanted[s][n])).toBeLessThan(1e-5)
    const before = into.map((side) => [...side])
    sum.addTo(into)
    expect(into.map((side) => [...side])).toEqual(before)
  })

  test('one at its own level is what it was, to the bit; what is kept is a copy, and blocks may change their length', () => {
    const sum = new LevelSum()
    for (const frames of [128, 40, 960]) {
      const sound = tone(3, frames)
      const kept = [...sound]
      const into = [new Float32Array(960), new Float32Array(frames)] as const
      sum.add(sound, 1, 0)
      sound.fill(9)
      sum.addTo(into)
      expect([...into[0].subarray(0, frames)]).toEqual(kept)
      expect(into[0].subarray(frames).every((x) => x === 0)).toBe(true)
      expect(into[1].every((x) => x === 0)).toBe(true)
    }
  })
})

test('the module that is kept is what its source comes to', () => {
  const root = path.join(__dirname, '..', '..')
  const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-test-lanes-'))
  const out = path.join(folder, 'lanes.json')
  try {
    const { status, stderr } = spawnSync(process.execPath, [path.join(root, 'scripts', 'embed-lanes.mjs'), out], { encoding: 'utf8' })
    expect([status, stderr]).toEqual([0, ''])
    expect(JSON.parse(readFileSync(out, 'utf8'))).toEqual(embedded)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})

describe('work on the channels of a strip', () => {
  const noise = (seed: number, length: number) => {
    let a = seed
    return Float32Array.from({ length }, () => {
      a = (Math.imul(a, 1664525) + 1013904223) | 0
      return a / 2 ** 31
    })
  }
  /** Stable, each another one. */
  const sections = (count: number): Biquad[] =>
    Array.from({ length: count }, (_, i) => i % 6).map((k) => ({ b0: 1 - 0.05 * k, b1: -0.3 + 0.1 * k, b2: 0.2, a1: -0.9 + 0.2 * k, a2: 0.4 - 0.05 * k }))
  /** What sections give of all that came, in double precision. */
  const wanted = (row: readonly Biquad[], sound: Float32Array): number[] =>
    row.reduce<number[]>(
      (came, { b0, b1, b2, a1, a2 }) => {
        const out: number[] = []
        for (const [n, x] of came.entries())
          out.push(b0 * x + b1 * (came[n - 1] ?? 0) + b2 * (came[n - 2] ?? 0) - a1 * (out[n - 1] ?? 0) - a2 * (out[n - 2] ?? 0))
        return out
      },
      [...sound],
    )
  const worked = (work: SoundWork, rows: readonly SectionRow[], sound: readonly Float32Array[]) => {
    work.put(sound)
    work.sections(rows)
    work.take(sound)
  }

  test.each([1, 2, 3, 4, 5, 6, 7, 13])('%i sections are what their formula says, in blocks of any length, each channel by itself', (count) => {
    const row = sections(count)
    const channels = [noise(1, 2000), noise(2, 2000)]
    const work = new SoundWork()
    const rows = channels.map(() => new SectionRow(row))
    const came = channels.map((c) => c.slice())
    for (let at = 0, k = 0; at < 2000; k++) {
      const length = [1, 3, 4, 5, 6, 128, 960, 11, 400][k % 9]
      const cut = came.map((c) => c.subarray(at, at + length))
      worked(work, rows, cut)
      at += length
    }
    for (const [c, channel] of channels.entries()) {
      const all = wanted(row, channel)
      expect(Math.max(...all.map((x, n) => Math.abs(x - came[c][n])))).toBeLessThan(2e-6)
    }
  })

  test('sections that are changed go on with what they remember, and new ones begin from nothing', () => {
    const sound = noise(3, 64)
    const [one, two] = [sound.slice(0, 32), sound.slice(32)]
    const work = new SoundWork()
    const before = new SectionRow(sections(2))
    worked(work, [before], [one])
    worked(work, [new SectionRow(sections(3), before)], [two])
    const first = wanted(sections(2), sound).slice(32)
    const third = wanted(sections(3).slice(2), Float32Array.from(first))
    expect(Math.max(...third.map((x, n) => Math.abs(x - two[n])))).toBeLessThan(1e-6)
  })

  test('what has died away is nothing, not the smallest of numbers', () => {
    const work = new SoundWork()
    const row = new SectionRow([{ b0: 1, b1: 0, b2: 0, a1: -0.5, a2: 0 }])
    worked(work, [row], [Float32Array.of(1)])
    for (let n = 0; n < 30; n++) worked(work, [row], [new Float32Array(16)])
    expect([...row.numbers].filter((x) => x !== 0 && Math.abs(x) < 1e-20)).toEqual([])
  })

  test('peaks are those of each stretch over both channels, whatever their sign, and end with the sound', () => {
    const work = new SoundWork()
    const channels = [noise(4, 960), noise(5, 960)]
    work.put(channels)
    work.peaks()
    const cut = channels.map((c) => c.subarray(0, 100).map((x) => x / 8))
    work.put(cut)
    const peaks = Array.from({ length: 7 }, (_, k) => Math.max(...cut.flatMap((c) => [...c.subarray(16 * k, 16 * k + 16)].map(Math.abs))))
    expect([work.frames, work.stretches, ...work.peaks()]).toEqual([100, 7, ...peaks])
  })

  test('gains lead in straight lines from stretch to stretch, the last of which may be short', () => {
    const work = new SoundWork()
    const ones = [new Float32Array(40).fill(1), new Float32Array(40).fill(-1)]
    work.put(ones)
    work.gains.set([1, 1, 0.5, 0.25])
    work.scale()
    work.take(ones)
    const gains = Array.from({ length: 40 }, (_, n) => (n < 16 ? 1 : n < 32 ? 1 - (0.5 * (n - 15)) / 16 : 0.5 - (0.25 * (n - 31)) / 8))
    for (const [n, gain] of gains.entries()) {
      expect(ones[0][n]).toBeCloseTo(gain, 6)
      expect(ones[1][n]).toBeCloseTo(-gain, 6)
    }
  })
})

describe('the highest between samples', () => {
  const weights = Array.from({ length: 4 }, (_, p) =>
    Float64Array.from({ length: 24 }, (__, k) => Math.sin(1 + 7 * p + 3 * k) / (1 + Math.abs(k - 11 - p / 4))),
  )

  test.each([1, 2, 3])('of %i channels that come in any pieces it is what the filter gives at each instant, the last sample too', (channels) => {
    fc.assert(
      fc.property(fc.array(fc.array(fc.float({ min: -1, max: 1, noNaN: true }), { maxLength: 90 }), { minLength: 1, maxLength: 6 }), (pieces) => {
        const between = new HighestBetween(channels, weights)
        const all = Array.from({ length: channels }, () => Array<number>(23).fill(0))
        for (const piece of pieces) {
          const frames = Math.floor(piece.length / channels)
          between.add(Float32Array.from(piece.slice(0, frames * channels)))
          for (let i = 0; i < frames * channels; i++) all[i % channels].push(Math.fround(piece[i]))
        }
        let wanted = 0
        for (const line of all)
          for (let n = 23; n < line.length; n++)
            for (const own of weights) wanted = Math.max(wanted, Math.abs(own.reduce((sum, w, k) => sum + w * line[n - k], 0)))
        expect(Math.abs(between.highest - wanted)).toBeLessThan(1e-5)
      }),
      { numRuns: 60 },
    )
  })

  test('weights of another number are refused', () => {
    expect(() => new HighestBetween(2, weights.slice(1))).toThrow('weights of 4 instants, of 24 samples each')
    expect(
      () =>
        new HighestBetween(
          2,
          weights.map((w) => w.subarray(1)),
        ),
    ).toThrow(RangeError)
  })
})
