import { ANALYSIS_RATE, resample, sourceOf } from '../signal/index.ts'
import { searchSum, whiteOf } from './buried.ts'
import { heard, placeBySound, SoundReference } from './place.ts'
import { music, random } from './testing.ts'
import { sumVerdict } from './verdict.ts'

const level = (x: Float32Array) => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length)

/** master[from, from + seconds) on a clock that drifts, under noise so many dB louder. */
function under(sound: Float32Array, from: number, seconds: number, db: number, seed: number, drift = 0): Float32Array {
  const r = random(seed)
  const cut = sound.slice(Math.round(from * ANALYSIS_RATE), Math.round((from + seconds + 1) * ANALYSIS_RATE))
  const played = resample(cut, 1 / (1 + drift)).slice(0, Math.round(seconds * ANALYSIS_RATE))
  const gain = (level(played) / 0.2887) * 10 ** (db / 20)
  return played.map((x) => x + gain * r())
}

const master = music(70, 11)
const white = whiteOf(sourceOf(master))
const search = (clip: Float32Array, near?: { startSeconds: number; tolerance: number }) => searchSum(white, whiteOf(sourceOf(clip)), near)

describe('a sum over all windows', () => {
  test('finds a clip 17 dB under noise, its start and its drift', () => {
    const found = search(under(master, 31.25, 24, 17, 3, 50e-6))
    expect(found && sumVerdict(found).verdict).toBe('sure')
    expect(Math.abs((found?.best.startSeconds ?? 0) - 31.25)).toBeLessThan(0.0003)
    expect(Math.abs((found?.best.rate ?? 1) - 1.00005) * 1e6).toBeLessThan(25)
    expect(found?.best.inverted).toBe(false)
    // The drawn curve has its top there.
    const { curve = new Float32Array(0), curveStart = 0, curveStep = 1 } = found ?? {}
    expect(Math.abs(curveStart + curve.indexOf(Math.max(...curve)) * curveStep - 31.25)).toBeLessThan(2 * curveStep)
  })

  test('no single window of it would be believed', () => {
    const found = search(under(master, 35, 24, 22, 4))
    expect(Math.abs((found?.best.startSeconds ?? 0) - 35)).toBeLessThan(0.0005)
    expect(Math.max(...(found?.best.windows.map((w) => w.strength) ?? []))).toBeLessThan(8)
    expect(found?.best.strength).toBeGreaterThan(8)
  })

  test('hears turned polarity, and what begins before the master', () => {
    const turned = search(under(master, 30, 20, 12, 5).map((x) => -x))
    expect(turned?.best.inverted).toBe(true)
    expect(Math.abs((turned?.best.startSeconds ?? 0) - 30)).toBeLessThan(0.0005)
    const r = random(6)
    const early = new Float32Array(20 * ANALYSIS_RATE).map(() => 0.1 * r())
    for (let i = 8 * ANALYSIS_RATE; i < early.length; i++) early[i] += master[i - 8 * ANALYSIS_RATE]
    expect(Math.abs((search(early)?.best.startSeconds ?? 0) + 8)).toBeLessThan(0.0005)
  })

  test('is never sure of other music, under noise or not', () => {
    for (const [seed, db] of [
      [21, -20],
      [22, 0],
      [23, 15],
    ]) {
      const found = search(under(music(24, seed), 0, 22, db, seed))
      expect(found ? sumVerdict(found).verdict : 'loose').not.toBe('sure')
    }
  })

  test('is not sure where the same passage comes again', () => {
    const twice = new Float32Array(master.length)
    twice.set(master.subarray(0, twice.length / 2))
    twice.set(master.subarray(0, twice.length / 2), twice.length / 2)
    const found = searchSum(whiteOf(sourceOf(twice)), whiteOf(sourceOf(under(master, 8, 20, 12, 7))))
    expect(found && sumVerdict(found).verdict).toBe('check')
  })

  test('looks only where it is told to', () => {
    const clip = under(master, 31.25, 16, 6, 8)
    expect(Math.abs((search(clip, { startSeconds: 30, tolerance: 3 })?.best.startSeconds ?? 0) - 31.25)).toBeLessThan(0.001)
    const away = search(clip, { startSeconds: 60, tolerance: 3 })
    expect(away ? sumVerdict(away).verdict : 'loose').toBe('loose')
  })

  test.each([4, 0.5])('says nothing of %d s', (seconds) => expect(search(master.slice(0, seconds * ANALYSIS_RATE))).toBeNull())
})

describe('placing by sound, with something louder beside the microphone', () => {
  const reference = new SoundReference(heard(master))

  test('places by the sum what windows by themselves do not tell', () => {
    const found = placeBySound(reference, heard(under(master, 45.5, 20, 19, 9)))
    expect(found.verdict).toBe('sure')
    expect(found.why.map((f) => f.code)).toEqual(['sum'])
    expect(Math.abs((found.startSeconds ?? 0) - 45.5)).toBeLessThan(0.0005)
    expect(found.proof.rivalRatio).toBeLessThan(0.8)
  })

  test('tells a passage from its repetition by what differs, and is not sure of one that the master does not hold', () => {
    const half = master.length / 2
    const passage = master.subarray(0, half)
    const played = (seed: number) => {
      const besides = music(half / ANALYSIS_RATE, seed)
      return passage.map((x, i) => x + 0.16 * besides[i])
    }
    // Somebody shouts beside the microphone, and draws breath.
    const shouted = (sound: Float32Array, from: number, seconds: number, db: number) => {
      const [clear, loud] = [under(sound, from, seconds, -60, 12), under(sound, from, seconds, db, 12)]
      return clear.map((x, i) => ((i / ANALYSIS_RATE) % 0.7 < 0.5 ? loud[i] : x + 0.1 * (loud[i] - x)))
    }
    const whole = new Float32Array(3 * half)
    for (const k of [0, 1, 2]) whole.set(played(71 + k), k * half)
    const repeated = new SoundReference(heard(whole))
    const second = placeBySound(repeated, heard(shouted(whole, half / ANALYSIS_RATE + 8, 20, 22)))
    expect(second.verdict).toBe('sure')
    expect(second.why.map((f) => f.code)).toEqual(['sum-told-by-difference'])
    expect(Math.abs((second.startSeconds ?? 0) - half / ANALYSIS_RATE - 8)).toBeLessThan(0.0005)
    const fourth = placeBySound(repeated, heard(shouted(played(75), 8, 20, 22)))
    expect(fourth.verdict).not.toBe('sure')
  })

  test('at another speed too', () => {
    const slow = resample(master.slice(30 * ANALYSIS_RATE, 60 * ANALYSIS_RATE), 1 / 1.25)
    const r = random(10)
    const gain = level(slow) * 3.46 * 10 ** (17 / 20)
    const found = placeBySound(reference, heard(slow.map((x) => x + gain * r())), { speeds: [0.8, 1.25] })
    expect(found.verdict).toBe('sure')
    expect(found.rate).toBeCloseTo(1.25, 3)
    expect(Math.abs((found.startSeconds ?? 0) - 30)).toBeLessThan(0.001)
  })
})
