import { readFileSync } from 'node:fs'
import path from 'node:path'
import {
  ANALYSIS_RATE,
  BAND_COUNT,
  BandWriter,
  bandFeatures,
  Correlator,
  correlation,
  eachPowerFrame,
  featuresIn,
  featuresOf,
  GrowingRows,
  interpolate,
  inverseReal,
  PeakWriter,
  packed,
  packedTurned,
  packPeaks,
  powerOfTwo,
  realSpectrum,
  resample,
  sliceFeatures,
  sourceOf,
  stretchedFeatures,
  stretchedSource,
  stretchFeatures,
  WHITE_STEPS,
  whitened,
} from './index.ts'
import embedded from './pffft.json'

const sine = (hz: number, seconds: number, rate = ANALYSIS_RATE) =>
  Float32Array.from({ length: Math.round(seconds * rate) }, (_, i) => Math.sin((2 * Math.PI * hz * i) / rate))

describe('transforms', () => {
  test.each([32, 64, 256])('is the sum that defines it, for %i points, also when fewer are given after more', (size) => {
    let at = size
    const r = () => Math.sin(at++ * 12.9898) * 2
    realSpectrum(Float64Array.from({ length: size }, r), size)
    const signal = Float64Array.from({ length: size - 3 }, r)
    const { re, im } = realSpectrum(signal, size)
    for (let k = 0; k <= size / 2; k++) {
      let [a, b] = [0, 0]
      for (const [n, x] of signal.entries()) {
        a += x * Math.cos((2 * Math.PI * k * n) / size)
        b -= x * Math.sin((2 * Math.PI * k * n) / size)
      }
      expect(re[k]).toBeCloseTo(a, 4)
      expect(im[k]).toBeCloseTo(b, 4)
    }
  })

  test('there and back gives the signal again', () => {
    const signal = Float64Array.from({ length: 64 }, (_, i) => Math.sin(i * 0.7) + (i === 3 ? 2 : 0))
    const back = inverseReal(realSpectrum(signal, 64))
    for (let i = 0; i < 64; i++) expect(back[i]).toBeCloseTo(signal[i], 5)
  })

  test('a tone stands in its bin', () => {
    const { re, im } = realSpectrum(sine(1000, 0.064), 512)
    const power = Array.from(re, (x, k) => x * x + im[k] * im[k])
    expect(power.indexOf(Math.max(...power))).toBe(64)
  })

  test.each([
    [1, 32],
    [32, 32],
    [33, 64],
    [1000, 1024],
  ])('the power of two for %i is %i', (n, size) => expect(powerOfTwo(n)).toBe(size))

  test.each([16, 48, 1000])('a transform of %i points is refused', (size) => expect(() => realSpectrum(new Float32Array(8), size)).toThrow(RangeError))

  test('correlations of several pairs are summed, and a new sum begins empty', () => {
    const within = Float32Array.from({ length: 100 }, (_, i) => Math.sin(i * i))
    const [first, second] = [within.slice(20, 40), within.slice(50, 60)]
    const direct = (wanted: Float32Array, lag: number) => wanted.reduce((s, x, i) => s + x * (within[i + lag] ?? 0), 0)
    using correlator = new Correlator(128)
    for (const wanted of [first, second]) correlator.add(packed(within, 128), packedTurned(wanted, 128))
    const sum = correlator.take()
    for (const lag of [0, 17, 20, 50, 79]) expect(sum[lag]).toBeCloseTo(direct(first, lag) + direct(second, lag), 4)
    correlator.add(packed(within, 128), packedTurned(first, 128))
    expect(correlator.take()[20]).toBeCloseTo(direct(first, 20), 4)
    const once = correlation(within, first, 128)
    expect(once.indexOf(Math.max(...once))).toBe(20)
    // What begins five samples before the other stands at the end.
    expect(correlation(first, within.slice(15, 40), 128)[123]).toBeCloseTo(
      first.reduce((s, x) => s + x * x, 0),
      4,
    )
  })

  test('the transform is that of the package it is taken from', () => {
    const file = path.join(__dirname, '..', '..', 'node_modules', '@echogarden', 'pffft-wasm', 'dist', 'simd', 'pffft.wasm')
    expect(embedded.wasm).toBe(readFileSync(file).toString('base64'))
  })

  test('frames are centred: a click in the middle of frame 10 is loudest there', () => {
    const click = new Float32Array(4000)
    click[10 * 128] = 1
    const levels: number[] = []
    eachPowerFrame(click, 512, 128, (_, power) => levels.push(power.reduce((a, b) => a + b)))
    expect(levels.indexOf(Math.max(...levels))).toBe(10)
    expect(levels).toHaveLength(Math.floor(3999 / 128) + 1)
  })
})

describe('resampling', () => {
  test.each([1.5, 0.8, 1.00005])('a tone keeps its shape at %f times the length', (ratio) => {
    const out = resample(sine(440, 1), ratio)
    expect(out.length).toBe(Math.floor(ANALYSIS_RATE * ratio))
    let worst = 0
    for (let i = 100; i < out.length - 100; i++) worst = Math.max(worst, Math.abs(out[i] - Math.sin((2 * Math.PI * 440 * i) / ratio / ANALYSIS_RATE)))
    expect(worst).toBeLessThan(0.002)
  })

  test('what would fold back is taken out when the signal gets shorter', () => {
    const out = resample(sine(3500, 1), 0.5)
    expect(Math.max(...out.subarray(100, out.length - 100).map(Math.abs))).toBeLessThan(0.02)
  })

  test('a ratio that is not positive is refused', () => {
    for (const ratio of [0, -1, Number.NaN]) expect(() => resample(sine(100, 0.1), ratio)).toThrow(TypeError)
  })

  test('outside the signal is silence', () => {
    const signal = Float32Array.from([1, 1, 1, 1])
    expect(interpolate(signal, 4, 1, 0, -40)).toBe(0)
    expect(interpolate(signal, 4, 1, 0, 2)).toBeCloseTo(1, 6)
  })
})

describe('features', () => {
  test('silence and nothing give no events', () => {
    expect(bandFeatures(new Float32Array(0)).frames).toBe(0)
    expect(Math.max(...bandFeatures(new Float32Array(ANALYSIS_RATE)).values)).toBe(0)
  })

  test('loudness makes no difference to the course of events', () => {
    const loud = Float32Array.from(sine(500, 2), (x, i) => (i % 4000 < 800 ? x : 0.05 * x))
    const soft = loud.map((x) => x * 0.25)
    const a = bandFeatures(loud).values
    const b = bandFeatures(soft).values
    let dot = 0
    let aa = 0
    let bb = 0
    for (let i = 0; i < a.length; i++) {
      dot += a[i] * b[i]
      aa += a[i] * a[i]
      bb += b[i] * b[i]
    }
    expect(dot / Math.sqrt(aa * bb)).toBeGreaterThan(0.9)
  })

  test('stretched features look like those of the stretched sound', () => {
    const melody = Float32Array.from({ length: 6 * ANALYSIS_RATE }, (_, i) => {
      const note = Math.floor(i / 2400)
      return Math.exp(-(i % 2400) / 900) * Math.sin((2 * Math.PI * 300 * 2 ** (((note * 5) % 14) / 12) * i) / ANALYSIS_RATE)
    })
    const a = stretchFeatures(bandFeatures(melody), 1.5)
    const b = bandFeatures(resample(melody, 1.5))
    let dot = 0
    let aa = 0
    let bb = 0
    for (let i = 0; i < Math.min(a.frames, b.frames) * BAND_COUNT; i++) {
      dot += a.values[i] * b.values[i]
      aa += a.values[i] ** 2
      bb += b.values[i] ** 2
    }
    expect(dot / Math.sqrt(aa * bb)).toBeGreaterThan(0.6)
  })
})

describe('sound that comes in pieces', () => {
  const sound = Float32Array.from({ length: 30_011 }, (_, i) => Math.sin(i * 0.21) * Math.sin(i * 0.0007) + (i % 977 === 0 ? 0.8 : 0))

  test('nothing gives no features', () => expect(new BandWriter().finish().frames).toBe(0))

  test.each([100, 511, 4096, 40_000])('features are the same in pieces of %i samples', (piece) => {
    const writer = new BandWriter()
    for (let from = 0; from < sound.length; from += piece) writer.push(sound.slice(from, from + piece))
    const whole = bandFeatures(sound)
    const found = writer.finish()
    expect(found.frames).toBe(Math.floor((sound.length - 1) / 128) + 1)
    expect(found.values).toEqual(whole.values)
    expect(found.levelDb).toEqual(whole.levelDb)
  })

  test('levels are those of the frames around, at both ends too', () => {
    const { values, frames } = bandFeatures(sound)
    // Levelled over the second around, each band's mean over the middle is near nothing.
    let sum = 0
    for (let f = 40; f < frames - 40; f++) sum += values[f * BAND_COUNT + 3]
    expect(Math.abs(sum / (frames - 80))).toBeLessThan(4)
    expect(values.subarray(0, BAND_COUNT).some((v) => v !== 0)).toBe(true)
    expect(values.subarray((frames - 1) * BAND_COUNT).some((v) => v !== 0)).toBe(true)
  })

  test('features computed where they are read are those of the whole, at its ends too', () => {
    const whole = bandFeatures(sound)
    const source = featuresOf(sourceOf(sound))
    expect(source.frames).toBe(whole.frames)
    expect(featuresOf(sourceOf(new Float32Array(0))).read(0, 10).frames).toBe(0)
    for (const [from, to] of [
      [0, whole.frames],
      [0, 20],
      [1, 2],
      [33, 34],
      [70, 150],
      [whole.frames - 40, whole.frames + 9],
      [-5, 3],
      [50, 40],
    ]) {
      const part = source.read(from, to)
      const wanted = featuresIn(whole).read(from, to)
      expect(part.levelDb).toEqual(wanted.levelDb)
      expect(part.frames).toBe(wanted.frames)
      // The sums that level it began elsewhere: a value may round to the other side.
      for (let i = 0; i < part.values.length; i++) expect(Math.abs(part.values[i] - wanted.values[i])).toBeLessThanOrEqual(1)
    }
  })

  test.each([1.5, 0.8, 4 / 3])('features stretched where they are read are those stretched as a whole, at %f', (ratio) => {
    const features = bandFeatures(sound)
    const whole = stretchFeatures(features, ratio)
    const source = stretchedFeatures(featuresIn(features), ratio)
    expect(source.frames).toBe(whole.frames)
    for (const [from, to] of [
      [0, whole.frames],
      [17, 60],
      [whole.frames - 20, whole.frames + 5],
    ])
      expect(source.read(from, to)).toEqual(sliceFeatures(whole, from, to))
  })

  test('a part of features is that part', () => {
    const features = bandFeatures(sound)
    const part = sliceFeatures(features, 10, 20)
    expect(part.frames).toBe(10)
    expect(part.values[0]).toBe(features.values[10 * BAND_COUNT])
    expect(sliceFeatures(features, -5, 1e6).frames).toBe(features.frames)
    expect(sliceFeatures(features, 50, 40).frames).toBe(0)
  })

  test.each([1.5, 0.8, 1.0001])('what is stretched where it is read equals what is stretched as a whole, at %f', (ratio) => {
    const whole = resample(sound, ratio)
    const source = stretchedSource(sourceOf(sound), ratio)
    expect(source.length).toBe(whole.length)
    for (const [from, to] of [
      [0, 500],
      [9000, 9700],
      [whole.length - 300, whole.length],
    ]) {
      const part = source.read(from, to)
      for (let i = 0; i < part.length; i++) expect(Math.abs(part[i] - whole[from + i])).toBeLessThan(1e-5)
    }
  })
})

describe('waveform overview', () => {
  test('keeps lowest and highest of each step in the open layout', () => {
    const writer = new PeakWriter(4)
    writer.push(Int16Array.of(16_384, -8192, 0, 0, 32_767))
    writer.push(Int16Array.of(0, -32_768))
    const bytes = packPeaks([writer.finish()], 8000, 4)
    const view = new DataView(bytes.buffer)
    expect([
      view.getInt32(0, true),
      view.getUint32(4, true),
      view.getInt32(8, true),
      view.getInt32(12, true),
      view.getUint32(16, true),
      view.getInt32(20, true),
    ]).toEqual([2, 1, 8000, 4, 2, 1])
    expect([...new Int8Array(bytes.buffer, 24)]).toEqual([-32, 64, -127, 127])
  })

  test('one channel is taken from several, over pieces and steps alike', () => {
    const frames = Int16Array.from({ length: 300 }, (_, i) => (i % 3) * 9000 + i * 7)
    const some = [0, 1, 2].map((c) => {
      const [inPieces, apart] = [new PeakWriter(8), new PeakWriter(8)]
      for (let from = 0; from < 300; from += 15) inPieces.push(frames.subarray(from, from + 15), c, 3)
      apart.push(Int16Array.from({ length: 100 }, (_, i) => frames[3 * i + c]))
      expect(inPieces.finish()).toEqual(apart.finish())
      return [...apart.finish()]
    })
    expect(some[0]).toHaveLength(26)
    expect(some.map((values) => values[0])).toEqual([0, 35, 70])
  })

  test('channels stand side by side, as long as the shortest', () => {
    const bytes = packPeaks([Int8Array.of(1, 2, 3, 4), Int8Array.of(5, 6, 7, 8, 9, 10)], 8000, 320)
    expect(new DataView(bytes.buffer).getInt32(20, true)).toBe(2)
    expect([...new Int8Array(bytes.buffer, 24)]).toEqual([1, 2, 5, 6, 3, 4, 7, 8])
  })

  test('hours of it grow without losing anything', () => {
    const writer = new PeakWriter(1)
    for (let i = 0; i < 100; i++) writer.push(new Int16Array(100).fill(Math.round((i / 127) * 32_768)))
    const values = writer.finish()
    expect(values).toHaveLength(20_000)
    expect([...values].every((v, i) => v === Math.floor(i / 200))).toBe(true)
  })
})

describe('rows that grow', () => {
  test('keep what was written in them however far they grow, and nothing else', () => {
    const rows = new GrowingRows(3, (n) => new Float32Array(n))
    for (let row = 0; row < 20_000; row++) {
      const at = rows.at(row)
      for (let k = 0; k < 3; k++) rows.values[at + k] = 3 * row + k
    }
    const out = rows.cut(20_000)
    expect(out.length).toBe(60_000)
    expect(out.every((v, i) => v === i)).toBe(true)
  })

  test('a cut is a copy, also one that is longer than what was written', () => {
    const rows = new GrowingRows(2, (n) => new Uint8Array(n))
    rows.values[rows.at(0)] = 7
    const out = rows.cut(10_000)
    expect(out.length).toBe(20_000)
    expect(out[0]).toBe(7)
    rows.values[0] = 9
    expect(out[0]).toBe(7)
    expect(rows.cut(0).length).toBe(0)
  })
})

describe('whitening', () => {
  const noise = (seed: number) => {
    let a = seed
    return Float32Array.from({ length: 3 * ANALYSIS_RATE }, () => {
      a = (Math.imul(a, 1664525) + 1013904223) | 0
      return a / 2 ** 34
    })
  }
  const level = (x: Int8Array) => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length) / WHITE_STEPS

  test('brings loud and quiet stretches to one level', () => {
    const sound = noise(1).map((x, i) => x * (i < ANALYSIS_RATE ? 1 : 0.02))
    const white = whitened(sourceOf(sound), 0.015, 0.46)
    expect(white).toHaveLength(sound.length)
    for (const from of [1000, ANALYSIS_RATE + 1000, 2 * ANALYSIS_RATE]) {
      const here = level(white.subarray(from, from + 6000))
      expect(here).toBeGreaterThan(0.75)
      expect(here).toBeLessThan(1.1)
    }
  })

  test('keeps time: a sound and the same under a loud hum resemble each other at no lag', () => {
    const sound = noise(2)
    const hum = sine(600, 3).map((x) => 3 * x)
    const white = whitened(sourceOf(sound), 0.015, 0.46)
    const hummed = whitened(sourceOf(sound.map((x, i) => x + hum[i])), 0.015, 0.46)
    const alike = correlation(white, hummed, 65536)
    expect(alike.indexOf(Math.max(...alike))).toBe(0)
    // Without it, hardly anything of the sound is left beside the hum.
    expect(alike[0] / white.length / WHITE_STEPS ** 2).toBeGreaterThan(0.5)
  })

  test('is nothing outside its band, and nothing of silence', () => {
    expect(level(whitened(sourceOf(sine(60, 2)), 0.1, 0.4)) < 0.2).toBe(true)
    expect(whitened(sourceOf(new Float32Array(5000)), 0.1, 0.4).every((x) => x === 0)).toBe(true)
  })

  test('reads a recording in pieces as it reads it whole', () => {
    const long = Float32Array.from({ length: (1 << 18) + 40_000 }, (_, i) => Math.sin(i * 0.37 + Math.sin(i * 0.0011) * 40) * 0.3)
    const read = jest.fn((from: number, to: number) => long.slice(from, to))
    const inPieces = { length: long.length, read }
    const white = whitened(inPieces, 0.015, 0.46)
    expect(read.mock.calls.length).toBeGreaterThan(1)
    const at = (1 << 18) - 5120
    const part = whitened(sourceOf(long.slice(at - 5120, at + 20_480)), 0.015, 0.46)
    // Frames stand on the same instants in both.
    expect(Array.from(white.subarray(at, at + 8000))).toEqual(Array.from(part.subarray(5120, 13_120)))
  })
})
