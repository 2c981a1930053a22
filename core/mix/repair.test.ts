import { secondsToFlicks } from '../time/index.ts'
import { CLICKS_LATENCY, ClickRun } from './clicks.ts'
import { type DeskNode, DeskRun, deskLatency, humIn, NOISE_BANDS, noiseOf, REPAIR_LATENCY } from './index.ts'
import { exponentialIntegral, SPECTRAL_LATENCY, SpectralRun } from './noise.ts'

const RATE = 48000
const random = (seed = 1) => {
  let x = seed
  return () => {
    x = (x * 16807) % 2147483647
    return (2 * x) / 2147483647 - 1
  }
}
const noise = (frames: number, level: number, seed = 1) => {
  const next = random(seed)
  return Float32Array.from({ length: frames }, () => level * next())
}
/** Something like a voice: soft pulses of a pitch that wanders, and breath, through two resonances, with pauses. */
function voice(frames: number, level: number): Float32Array {
  const out = new Float32Array(frames)
  const ways = [700, 1800].map((hz) => ({ c: 2 * 0.985 * Math.cos((2 * Math.PI * hz) / RATE), s1: 0, s2: 0 }))
  const next = random(29)
  let [phase, pitch, soft, before] = [0, 130, 0, 0]
  for (let n = 0; n < frames; n++) {
    phase += pitch / RATE
    const speaks = Math.max(0, Math.min(1, 2 * Math.sin((2 * Math.PI * 1.7 * n) / RATE) + 1))
    if (phase >= 1) {
      phase -= 1
      pitch = Math.max(95, Math.min(170, pitch + 6 * next()))
    }
    // Opened slowly, closed within a fifth of a period.
    const opened = phase < 0.4 ? Math.sin((Math.PI * phase) / 0.8) : phase < 0.6 ? Math.cos((Math.PI * (phase - 0.4)) / 0.4) : 0
    soft += 0.3 * (speaks * (opened - 0.382 + 0.05 * next()) - soft)
    let x = soft
    for (const way of ways) {
      const y = 0.1 * x + way.c * way.s1 - 0.985 * 0.985 * way.s2
      way.s2 = way.s1
      way.s1 = y
      x = y
    }
    // What leaves the lips is what changes.
    out[n] = x - before
    before = x
  }
  const most = out.reduce((m, x) => Math.max(m, Math.abs(x)), 0)
  return out.map((x) => (level * x) / most)
}
const rms = (samples: Float32Array) => Math.sqrt(samples.reduce((sum, x) => sum + x * x, 0) / samples.length)
const decibels = (factor: number) => 20 * Math.log10(factor)
const added = (...all: Float32Array[]) => all[0].map((_, n) => all.reduce((sum, s) => sum + s[n], 0))
const less = (a: Float32Array, b: Float32Array) => a.map((x, n) => x - b[n])
/** What a run makes of a sound, in uneven blocks, with what it comes later taken off. */
function through(run: (samples: Float32Array) => void, sound: Float32Array, later: number, blocks = [128, 960, 16]): Float32Array {
  const out = new Float32Array(sound.length + later)
  out.set(sound)
  for (let n = 0, b = 0; n < out.length; b++) {
    const to = Math.min(out.length, n + blocks[b % blocks.length])
    run(out.subarray(n, to))
    n = to
  }
  return out.subarray(later)
}

describe('clicks', () => {
  const mended = (sound: Float32Array, sensitivity = 50, blocks?: number[]) => {
    const run = new ClickRun()
    return through((s) => run.run({ on: true, sensitivity }, s), sound, CLICKS_LATENCY, blocks)
  }
  const pure = voice(4 * RATE, 0.5)
  const crackling = () => {
    const next = random(7)
    const out = pure.slice()
    const at: number[] = []
    for (let n = 3000; n < out.length - 3000; n += 2000 + Math.floor(1500 * (next() + 1))) {
      const length = 1 + Math.floor(12 * (next() + 1))
      for (let i = 0; i < length; i++) out[n + i] += 0.6 * next()
      at.push(n)
    }
    return { out, at }
  }

  test('are filled in as what is around them says', () => {
    const { out, at } = crackling()
    const error = (x: Float32Array) => decibels(rms(less(x, pure)))
    expect(at.length).toBeGreaterThan(40)
    expect(error(mended(out, 70)) - error(out)).toBeLessThan(-16)
  })

  test('drums are left bit for bit, a voice as good as that, and blocks of any length give the same', () => {
    const drums = new Float32Array(2 * RATE)
    const next = random(3)
    for (let hit = 0; hit < 8; hit++) for (let i = 0; i < 6000; i++) drums[hit * 12000 + 500 + i] += 0.8 * Math.exp(-i / 1500) * next()
    expect(mended(drums)).toEqual(drums)
    expect(decibels(rms(less(mended(pure), pure)) / rms(pure))).toBeLessThan(-40)
    const { out } = crackling()
    expect(mended(out, 70, [512])).toEqual(mended(out, 70))
  })

  test('more is found where more is asked for', () => {
    const soft = pure.slice()
    const at = Array.from({ length: 20 }, (_, i) => 5000 + 9001 * i)
    for (const n of at) soft[n] += 0.02
    const found = (sensitivity: number) => {
      const out = mended(soft, sensitivity)
      return at.filter((n) => out[n] !== soft[n]).length
    }
    expect(found(0)).toBeLessThan(found(60))
    expect(found(60)).toBeGreaterThan(12)
  })
})

describe('noise', () => {
  const floor = noise(6 * RATE, 0.01, 5)
  const bandsDb = noiseOf(floor.subarray(0, RATE), RATE)
  const quietened = (sound: Float32Array, reductionDb: number) => {
    const run = new SpectralRun(RATE)
    return through((s) => run.run({ on: true, reductionDb, bandsDb }, undefined, s), sound, SPECTRAL_LATENCY)
  }

  test('that was learnt goes down as far as it was asked, what stands out of it stays', () => {
    const tail = (x: Float32Array) => x.subarray(2 * RATE)
    expect(bandsDb).toHaveLength(NOISE_BANDS)
    expect(decibels(rms(tail(quietened(floor, 18))) / rms(tail(floor)))).toBeLessThan(-15)
    const tone = Float32Array.from({ length: 6 * RATE }, (_, n) => 0.2 * Math.sin((2 * Math.PI * 880 * n) / RATE))
    const both = quietened(added(tone, floor), 18)
    expect(Math.abs(decibels(rms(tail(both)) / rms(tail(tone))))).toBeLessThan(0.3)
    expect(rms(tail(less(both, tone)))).toBeLessThan(0.6 * rms(tail(floor)))
  })

  test('a voice comes out of it nearer to itself than it went in', () => {
    const clean = voice(6 * RATE, 0.4)
    const noisy = added(clean, floor)
    const error = (x: Float32Array) => decibels(rms(less(x, clean).subarray(RATE)))
    expect(error(quietened(noisy, 18)) - error(noisy)).toBeLessThan(-4)
  })

  test('nothing to take down leaves all as it is', () => {
    const sound = voice(RATE, 0.5)
    expect(decibels(rms(less(quietened(sound, 0), sound).subarray(SPECTRAL_LATENCY)) / rms(sound))).toBeLessThan(-110)
  })

  test('too little is not learnt from', () => {
    expect(() => noiseOf(new Float32Array(500), RATE)).toThrow(/1024/)
  })

  test('the exponential integral is that of the tables', () => {
    for (const [x, e] of [
      [0.01, 4.0379],
      [0.5, 0.5598],
      [1, 0.2194],
      [2, 0.0489],
      [10, 4.157e-6],
    ])
      expect(exponentialIntegral(x) / e).toBeCloseTo(1, 3)
  })
})

test('gusts of wind go down, a voice stays', () => {
  const calmed = (sound: Float32Array) => {
    const run = new SpectralRun(RATE)
    return through((s) => run.run(undefined, { on: true, hz: 150 }, s), sound, SPECTRAL_LATENCY)
  }
  let [slow, slower] = [0, 0]
  const gust = noise(3 * RATE, 1, 11).map((x, n) => {
    slow += 0.008 * (x - slow)
    slower += 0.008 * (slow - slower)
    return 6 * slower * Math.sin((Math.PI * (n % RATE)) / RATE)
  })
  expect(decibels(rms(calmed(gust)) / rms(gust))).toBeLessThan(-12)
  const clean = voice(3 * RATE, 0.4)
  expect(decibels(rms(less(calmed(clean), clean)) / rms(clean))).toBeLessThan(-20)
})

describe('hum', () => {
  const hum = (hz: number, tones: number, level: number) =>
    Float32Array.from({ length: 4 * RATE }, (_, n) => {
      let sum = 0
      for (let k = 1; k <= tones; k++) sum += (level / k) * Math.sin((2 * Math.PI * k * hz * n) / RATE + k)
      return sum
    })
  const speech = voice(4 * RATE, 0.3)

  test('is found under a voice with the frequency that it has', () => {
    for (const hz of [49.9, 50.1, 60]) {
      const found = humIn(added(hum(hz, 8, 0.02), speech, noise(4 * RATE, 0.002)), RATE)
      expect(Math.abs((found?.hz ?? 0) - hz)).toBeLessThanOrEqual(0.15)
      expect(found?.harmonics).toBeGreaterThanOrEqual(1)
    }
    expect(humIn(added(hum(50.1, 8, 0.02), noise(4 * RATE, 0.002)), RATE)).toEqual({ hz: expect.closeTo(50.1, 1), harmonics: 8 })
  })

  test('is not heard in a voice, in noise and in a low note', () => {
    expect(humIn(speech, RATE)).toBeNull()
    expect(humIn(noise(4 * RATE, 0.1), RATE)).toBeNull()
    expect(humIn(added(hum(55, 12, 0.2), noise(4 * RATE, 0.001)), RATE)).toBeNull()
  })

  test('goes, and leaves the voice', () => {
    const node = (on: boolean): DeskNode => ({
      key: 'a',
      input: 0,
      into: null,
      left: 1,
      right: 1,
      levels: [],
      delay: 0,
      processing: { repair: { hum: { on, hz: 50, harmonics: 8 } } },
    })
    const heard = (sound: Float32Array, on: boolean) => {
      const desk = new DeskRun(RATE)
      desk.set([node(on)])
      desk.play([{ after: 0, master: 0, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }])
      const out: [Float32Array, Float32Array] = [new Float32Array(sound.length), new Float32Array(sound.length)]
      desk.run([[sound.slice()]], out, 0)
      return out[0].subarray(2 * RATE)
    }
    const tone = hum(50.1, 8, 0.05)
    expect(decibels(rms(heard(tone, true)) / rms(heard(tone, false)))).toBeLessThan(-18)
    expect(Math.abs(decibels(rms(heard(speech, true)) / rms(heard(speech, false))))).toBeLessThan(1)
    expect(heard(tone, false)).toEqual(tone.subarray(2 * RATE))
  })
})

describe('repairs at the desk', () => {
  const node = (over: Partial<DeskNode>): DeskNode => ({ key: 'a', input: 0, into: null, left: 1, right: 1, levels: [], processing: {}, delay: 0, ...over })
  const clicks = { repair: { clicks: { on: true, sensitivity: 50 } } }
  const run = (nodes: DeskNode[], inputs: Float32Array[]) => {
    const desk = new DeskRun(RATE)
    desk.set(nodes)
    desk.play([{ after: 0, master: 0, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }])
    const out: [Float32Array, Float32Array] = [new Float32Array(inputs[0].length), new Float32Array(inputs[0].length)]
    for (let n = 0; n < inputs[0].length; n += 128)
      desk.run(
        inputs.map((s) => [s.slice(n, n + 128)]),
        [out[0].subarray(n, n + 128), out[1].subarray(n, n + 128)],
        n / RATE,
      )
    return out[0]
  }

  test('what is not repaired waits for what is, through its group too, and a delay of its own is added', () => {
    const sound = noise(RATE, 0.3)
    const nodes = [
      node({ into: 3, processing: clicks }),
      node({ key: 'b', input: 1, into: 3 }),
      node({ key: 'c', input: 2, delay: 0.01 }),
      node({ key: 'g', input: null }),
    ]
    expect(deskLatency(nodes)).toBe(REPAIR_LATENCY)
    expect(deskLatency([node({ processing: { repair: { clicks: { on: false, sensitivity: 50 } } } })])).toBe(0)
    const silence = new Float32Array(RATE)
    const alone = [0, 1, 2].map((i) =>
      run(
        nodes,
        [0, 1, 2].map((k) => (k === i ? sound : silence)),
      ),
    )
    const cut = RATE - REPAIR_LATENCY - 480
    for (const one of alone.slice(0, 2)) expect(one.slice(REPAIR_LATENCY, REPAIR_LATENCY + cut)).toEqual(sound.slice(0, cut))
    expect(alone[2].slice(REPAIR_LATENCY + 480)).toEqual(sound.slice(0, cut))
  })

  test('what falls silent rings out on both sides', () => {
    const [left, right] = [noise(9600, 0.3, 3), noise(9600, 0.3, 4)]
    const desk = new DeskRun(RATE)
    desk.set([node({ processing: clicks })])
    desk.play([{ after: 0, master: 0, length: Number.POSITIVE_INFINITY, fadeIn: 0, fadeOut: 0 }])
    const out: [Float32Array, Float32Array] = [new Float32Array(9600 + REPAIR_LATENCY), new Float32Array(9600 + REPAIR_LATENCY)]
    desk.run([[left.slice(), right.slice()]], [out[0].subarray(0, 9600), out[1].subarray(0, 9600)], 0)
    const half = 9600 + REPAIR_LATENCY / 2
    desk.run([[new Float32Array(REPAIR_LATENCY / 2)]], [out[0].subarray(9600, half), out[1].subarray(9600, half)], 0.2)
    desk.run([null], [out[0].subarray(half), out[1].subarray(half)], 0.2 + REPAIR_LATENCY / 2 / RATE)
    expect(out[0].subarray(REPAIR_LATENCY)).toEqual(left)
    expect(out[1].subarray(REPAIR_LATENCY)).toEqual(right)
  })

  test('levels belong to the same sound as without', () => {
    const sound = new Float32Array(RATE).fill(0.5)
    const levels = [{ lines: 'factors' as const, points: [0.4999, 0.5001].map((t, i) => ({ time: secondsToFlicks(t), value: i })) }]
    const out = run([node({ levels, processing: clicks })], [sound])
    expect(out.findIndex((x) => x > 0.2499)).toBe(REPAIR_LATENCY + RATE / 2)
  })

  test('heard without, it does not move', () => {
    const sound = noise(RATE, 0.3)
    const out = run([node({ processing: clicks, bypassed: true })], [sound])
    expect(out.slice(REPAIR_LATENCY)).toEqual(sound.slice(0, -REPAIR_LATENCY))
  })
})
