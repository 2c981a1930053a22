import type { Rate } from '../time/index.ts'
import { LIGHT_CELLS, type LightReference, type LightTrack, lightEvents, placeByLight } from './light.ts'

function seeded(seed: number): () => number {
  let a = seed
  return () => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}

interface Show {
  /** Photo flashes, s. */
  readonly flashes: number[]
  /** Lamp changes: time, s, and brightness from then on. */
  readonly lamps: { at: number; level: number }[]
}

function show(seed: number, seconds: number): Show {
  const random = seeded(seed)
  const flashes: number[] = []
  for (let t = 3 + 6 * random(); t < seconds; t += 4 + 14 * random()) flashes.push(t)
  const lamps: Show['lamps'] = []
  for (let t = 10 * random(); t < seconds; t += 15 + 20 * random()) lamps.push({ at: t, level: 0.35 + 0.6 * random() })
  return { flashes, lamps }
}

/** Mean light between two instants: a flash lasts 15 ms, a lamp needs 80 ms. */
function lightBetween({ flashes, lamps }: Show, from: number, to: number): number {
  let sum = 0
  const steps = 8
  for (let k = 0; k < steps; k++) {
    const t = from + ((k + 0.5) / steps) * (to - from)
    let level = 0.5
    for (const lamp of lamps) if (t >= lamp.at) level += (lamp.level - level) * Math.min(1, (t - lamp.at) / 0.08)
    sum += level / steps
  }
  for (const f of flashes) {
    const shared = Math.max(0, Math.min(to, f + 0.015) - Math.max(from, f))
    if (to > from) sum += (2.5 * shared) / (to - from)
  }
  return sum
}

interface Camera {
  readonly rate: Rate
  readonly start: number
  readonly seconds: number
  /** Exposure as a share of the frame, gain, and how long the picture's rows are read, as a share of the frame. */
  readonly shutter: number
  readonly gain: number
  readonly rolling: number
  readonly seed: number
  /** Seconds of the event in one second of the recording; 1 where left out. */
  readonly speed?: number
}

/** What a camera's pictures show of the light: noise, automatic exposure, somebody walking through, rolling exposure. */
function film(event: Show, camera: Camera): LightTrack {
  const random = seeded(camera.seed)
  const fps = camera.rate.num / camera.rate.den
  const frames = Math.floor(camera.seconds * fps)
  const luma = new Float32Array(frames * LIGHT_CELLS)
  let auto = camera.gain
  for (let f = 0; f < frames; f++) {
    let mean = 0
    for (let c = 0; c < LIGHT_CELLS; c++) {
      const row = Math.floor(c / 4)
      const { speed = 1 } = camera
      const from = camera.start + (speed * (f + (row / 4) * camera.rolling)) / fps
      const light = lightBetween(event, from, from + (speed * camera.shutter) / fps)
      const walker = c % 4 === Math.floor(f / 40) % 6 ? 0.4 : 1
      const scene = 0.3 + 0.6 * seeded(camera.seed * 31 + c)()
      const value = auto * light * scene * walker * (1 + 0.02 * (random() - 0.5))
      luma[f * LIGHT_CELLS + c] = Math.round(255 * Math.min(1, value ** 0.45)) / 255
      mean += value / LIGHT_CELLS
    }
    auto += 0.02 * (camera.gain * (0.25 / Math.max(0.02, mean)) ** 0.3 - auto)
  }
  return { rate: camera.rate, startSeconds: 0, luma }
}

const P25 = { num: 25, den: 1 }
const P2997 = { num: 30000, den: 1001 }
const P24 = { num: 24000, den: 1001 }
const reference = (event: Show, seed = 1): LightReference => ({
  track: film(event, { rate: P25, start: 0, seconds: 180, shutter: 0.5, gain: 1, rolling: 0.6, seed }),
  startSeconds: 0,
  rate: 1,
})

describe('placing by light', () => {
  test.each([
    ['the same rate', P25, 0.5, 1, 0.6, 40.24],
    ['29.97, short exposure, dark', P2997, 0.2, 0.4, 0.9, 62.013],
    ['23.976, long exposure, bright', P24, 1, 2, 0.2, 20.5],
    ['15 a second', { num: 15, den: 1 }, 0.9, 1.2, 0.8, 31.77],
  ] as const)('%s: a silent camera stands within one frame', (_, rate, shutter, gain, rolling, start) => {
    const event = show(5, 200)
    const clip = film(event, { rate, start, seconds: 90, shutter, gain, rolling, seed: 9 })
    const placed = placeByLight([reference(event)], clip)
    expect([placed.verdict, placed.why]).toEqual(['sure', expect.anything()])
    const frame = Math.max(1 / 25, rate.den / rate.num)
    expect(Math.abs((placed.startSeconds as number) - start)).toBeLessThan(frame)
    expect(placed.matched).toBeGreaterThanOrEqual(4)
  })

  test('over many shows none is placed wrongly, and most are found', () => {
    let found = 0
    for (let seed = 10; seed < 26; seed++) {
      const event = show(seed, 200)
      const start = 10 + seeded(seed)() * 90
      const clip = film(event, { rate: P2997, start, seconds: 70, shutter: 0.5, gain: 0.8, rolling: 0.8, seed: seed + 100 })
      const placed = placeByLight([reference(event, seed)], clip)
      if (placed.verdict !== 'sure') continue
      found++
      expect(Math.abs((placed.startSeconds as number) - start)).toBeLessThan(0.04)
    }
    expect(found).toBeGreaterThanOrEqual(13)
  })

  test('a camera of another evening is refused', () => {
    for (let seed = 30; seed < 46; seed++) {
      const clip = film(show(seed, 200), { rate: P25, start: 20, seconds: 90, shutter: 0.5, gain: 1, rolling: 0.6, seed })
      expect(placeByLight([reference(show(seed + 500, 200), seed)], clip).verdict).not.toBe('sure')
    }
  })

  test('several cameras of known place count together, each on the stretch it saw', () => {
    const event = show(6, 300)
    const early = { track: film(event, { rate: P25, start: 0, seconds: 90, shutter: 0.5, gain: 1, rolling: 0.5, seed: 2 }), startSeconds: 0, rate: 1 }
    const late = { track: film(event, { rate: P24, start: 85, seconds: 120, shutter: 0.5, gain: 1, rolling: 0.5, seed: 3 }), startSeconds: 85, rate: 1 }
    const clip = film(event, { rate: P25, start: 60.4, seconds: 80, shutter: 0.4, gain: 1.3, rolling: 0.5, seed: 4 })
    const placed = placeByLight([early, late], clip)
    expect([placed.verdict, placed.why]).toEqual(['sure', expect.anything()])
    expect(Math.abs((placed.startSeconds as number) - 60.4)).toBeLessThan(0.04)
  })

  test('the drift of a clock is measured where the recording is long, and is none where it is not told', () => {
    const event = show(8, 1300)
    const long = { ...reference(event), track: film(event, { rate: P25, start: 0, seconds: 1290, shutter: 0.5, gain: 1, rolling: 0.6, seed: 1 }) }
    const clip = (speed: number, seconds: number) => film(event, { rate: P25, start: 30.3, seconds, shutter: 0.5, gain: 1, rolling: 0.4, seed: 12, speed })
    for (const ppm of [90, -120]) {
      const placed = placeByLight([long], clip(1 + ppm * 1e-6, 1200))
      expect(placed.verdict).toBe('sure')
      expect(Math.abs((placed.rate - 1) * 1e6 - ppm)).toBeLessThan(25)
      // Its end is right as well.
      expect(Math.abs((placed.startSeconds as number) + placed.rate * 1200 - (30.3 + (1 + ppm * 1e-6) * 1200))).toBeLessThan(0.04)
    }
    expect(placeByLight([long], clip(1, 1200)).rate).toBe(1)
    expect(placeByLight([long], clip(1 + 90e-6, 100)).rate).toBe(1)
  })

  test('a clip that was shot at another speed is found at it', () => {
    let found = 0
    for (const [i, speed] of [24 / 25, 2, 0.5, 1.25].entries()) {
      const event = show(40 + i, 260)
      const known = { ...reference(event), track: film(event, { rate: P25, start: 0, seconds: 250, shutter: 0.5, gain: 1, rolling: 0.6, seed: 1 }) }
      const placed = placeByLight(
        [known],
        film(event, { rate: P25, start: 25.5, seconds: 200 / Math.max(1, speed), shutter: 0.5, gain: 1, rolling: 0.4, seed: 13, speed }),
      )
      if (placed.verdict !== 'sure') continue
      found++
      expect(placed.rate).toBeCloseTo(speed, 3)
      expect(Math.abs((placed.startSeconds as number) - 25.5)).toBeLessThan(0.06)
    }
    expect(found).toBeGreaterThanOrEqual(3)
  })

  test('the proof shows how each place fits, the next-best one, and which changes were seen by both', () => {
    const event = show(5, 200)
    const placed = placeByLight([reference(event)], film(event, { rate: P25, start: 40.24, seconds: 90, shutter: 0.5, gain: 1, rolling: 0.6, seed: 9 }))
    const { proof } = placed
    expect(proof).toMatchObject({ by: 'light', chosen: { agreeing: placed.matched, windows: placed.events }, rivalRatio: placed.rivalRatio })
    const top = (proof?.curve ?? []).indexOf(Math.max(...(proof?.curve ?? [])))
    expect(Math.abs((proof?.curveStart ?? 0) + top * (proof?.curveStep ?? 0) - 40.24)).toBeLessThan(2 * (proof?.curveStep ?? 0) + 0.05)
    expect(proof?.windows).toHaveLength(placed.events)
    expect(proof?.windows.filter((w) => w.agrees)).toHaveLength(placed.matched)
    expect(Math.abs((proof?.rivals[0].startSeconds ?? 40.24) - 40.24)).toBeGreaterThan(0.3)
  })

  test('steady light places nothing and says why', () => {
    const dull = { flashes: [], lamps: [] }
    const clip = film(dull, { rate: P25, start: 0, seconds: 30, shutter: 0.5, gain: 1, rolling: 0.5, seed: 3 })
    expect(lightEvents(clip)).toEqual([])
    expect(placeByLight([reference(show(5, 200))], clip)).toMatchObject({ verdict: 'loose', startSeconds: null, why: [{ code: 'light-steady', ofClip: true }] })
    expect(placeByLight([], clip).why).toEqual([{ code: 'light-no-reference' }])
  })
})
