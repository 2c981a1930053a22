import {
  ANALYSIS_RATE,
  BAND_COUNT,
  bandFeatures,
  eachPowerFrame,
  interpolate,
  inverseReal,
  PeakWriter,
  powerOfTwo,
  realSpectrum,
  resample,
  stretchFeatures,
} from './index.ts'

const sine = (hz: number, seconds: number, rate = ANALYSIS_RATE) =>
  Float32Array.from({ length: Math.round(seconds * rate) }, (_, i) => Math.sin((2 * Math.PI * hz * i) / rate))

describe('transforms', () => {
  test('there and back gives the signal again', () => {
    const signal = Float64Array.from({ length: 64 }, (_, i) => Math.sin(i * 0.7) + (i === 3 ? 2 : 0))
    const back = inverseReal(realSpectrum(signal, 64))
    for (let i = 0; i < 64; i++) expect(back[i]).toBeCloseTo(signal[i], 9)
  })

  test('a tone stands in its bin', () => {
    const { re, im } = realSpectrum(sine(1000, 0.064), 512)
    const power = Array.from(re, (x, k) => x * x + im[k] * im[k])
    expect(power.indexOf(Math.max(...power))).toBe(64)
  })

  test.each([
    [1, 4],
    [4, 4],
    [5, 8],
    [1000, 1024],
  ])('the power of two for %i is %i', (n, size) => expect(powerOfTwo(n)).toBe(size))

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

describe('waveform overview', () => {
  test('keeps lowest and highest of each step in the open layout', () => {
    const writer = new PeakWriter(8000, 4)
    writer.push(Float32Array.from([0.5, -0.25, 0, 0, 1]))
    writer.push(Float32Array.from([2, -2]))
    const { bytes } = writer.finish()
    const view = new DataView(bytes.buffer)
    expect([
      view.getInt32(0, true),
      view.getUint32(4, true),
      view.getInt32(8, true),
      view.getInt32(12, true),
      view.getUint32(16, true),
      view.getInt32(20, true),
    ]).toEqual([2, 1, 8000, 4, 2, 1])
    expect([...new Int8Array(bytes.buffer, 24)]).toEqual([-32, 64, -128, 127])
  })
})
