import { ANALYSIS_RATE, resample } from '../signal/index.ts'
import { COMMON_SPEEDS, heard, type PlaceOptions, placeBySound as placeHeard, SoundReference } from './index.ts'
import { music, random } from './testing.ts'

/** A camera's recording of master[from, from + seconds): quieter, echoing, noisy, on a clock that drifts. */
function camera(master: Float32Array, from: number, seconds: number, seed: number, drift = 0, noise = 0.05): Float32Array {
  const r = random(seed)
  const start = Math.round(from * ANALYSIS_RATE)
  const piece = new Float32Array(seconds * ANALYSIS_RATE)
  for (let i = 0; i < piece.length; i++) piece[i] = master[start + i] ?? 0
  const played = drift ? resample(piece, 1 / (1 + drift)) : piece
  return played.map((x, i) => 0.4 * x + 0.2 * (played[i - 700] ?? 0) + 0.1 * (played[i - 1900] ?? 0) + noise * r())
}

const master = music(90, 1)
const reference = new SoundReference(heard(master))
const placeBySound = (on: SoundReference, clip: Float32Array, options: PlaceOptions = {}) => placeHeard(on, heard(clip), options)

describe('placing by sound', () => {
  test('finds start to a tenth of a millisecond in echo and noise, and says sure', () => {
    const found = placeBySound(reference, camera(master, 31.25, 20, 2))
    expect(found.verdict).toBe('sure')
    expect(Math.abs((found.startSeconds ?? 0) - 31.25)).toBeLessThan(0.0001)
    expect(found.proof.windows.every((w) => w.agrees)).toBe(true)
  })

  test('finds the drift of a long clip to a few millionths', () => {
    const found = placeBySound(reference, camera(master, 5, 80, 3, 60e-6))
    expect(found.verdict).toBe('sure')
    expect(Math.abs(found.rate - 1.00006) * 1e6).toBeLessThan(4)
  })

  test('places a clip that begins before the master', () => {
    const found = placeBySound(reference, camera(master, -7.5, 25, 4))
    expect(found.verdict).toBe('sure')
    expect(Math.abs((found.startSeconds ?? 0) + 7.5)).toBeLessThan(0.0002)
  })

  test('is not troubled by turned polarity, and reports it', () => {
    const found = placeBySound(
      reference,
      camera(master, 40, 12, 5).map((x) => -x),
    )
    expect(found.verdict).toBe('sure')
    expect(found.proof.invertedPolarity).toBe(true)
    expect(Math.abs((found.startSeconds ?? 0) - 40)).toBeLessThan(0.0001)
  })

  test('finds the ratio of a take shot to a faster song', () => {
    const fast = resample(camera(master, 20, 30, 6, 0, 0.02), 1 / 1.5)
    const found = placeBySound(reference, fast, { speeds: COMMON_SPEEDS })
    expect(found.verdict).toBe('sure')
    expect(Math.abs(found.rate - 1.5)).toBeLessThan(0.00015)
    expect(Math.abs((found.startSeconds ?? 0) - 20)).toBeLessThan(0.001)
  })

  test.each([
    [0.12, 55],
    [-0.03, 50],
    [0.2, 22],
  ])('a recording that jumps by %f s is placed in two pieces, exact on both sides, and the jump is told', (jump, at) => {
    const whole = camera(master, 5, 80, 8)
    const cut = at * ANALYSIS_RATE
    const gap = Math.round(jump * ANALYSIS_RATE)
    // Lost samples make what follows lie later than the clip's own clock says; repeated ones earlier.
    const clip = Float32Array.from([...whole.subarray(0, cut), ...whole.subarray(cut + gap)])
    const found = placeBySound(reference, clip)
    expect(found.verdict).toBe('check')
    expect(Math.abs((found.startSeconds ?? 0) - 5)).toBeLessThan(0.0003)
    expect(found.proof.jumps).toHaveLength(1)
    expect(found.proof.jumps?.[0].bySeconds).toBeCloseTo(jump, 3)
    expect(Math.abs((found.proof.jumps?.[0].clipSeconds ?? 0) - at)).toBeLessThan(0.25)
    expect(found.why.at(-1)).toMatchObject({ code: 'pieces', jumps: [{ bySeconds: expect.closeTo(jump, 3) }] })
  })

  test('a long clip whose clock runs away by more than a window reaches is followed to both ends', () => {
    const long = music(700, 12)
    const clip = camera(long, 20, 640, 13, -240e-6, 0.1)
    const found = placeBySound(new SoundReference(heard(long)), clip)
    expect(found.verdict).toBe('sure')
    expect(Math.abs((found.startSeconds ?? 0) - 20)).toBeLessThan(0.0003)
    expect(Math.abs(found.rate - (1 - 240e-6)) * 1e6).toBeLessThan(2)
  })

  test('looks only near the given start when told', () => {
    const clip = camera(master, 31.25, 20, 2)
    expect(placeBySound(reference, clip, { near: { startSeconds: 31, tolerance: 1 } }).verdict).toBe('sure')
    expect(placeBySound(reference, clip, { near: { startSeconds: 60, tolerance: 1 } }).verdict).toBe('loose')
  })

  test('of a drum machine, a clip that reaches far out of the master is found where all fits, not where only the drums do', () => {
    const r = random(21)
    const whole = new Float32Array(150 * ANALYSIS_RATE)
    for (let beat = 0; beat < 299; beat++) {
      const from = (beat * ANALYSIS_RATE) / 2
      const hz = 220 * 2 ** (Math.floor((r() + 0.5) * 24) / 12)
      for (let i = 0; i < 0.45 * ANALYSIS_RATE; i++) {
        const t = i / ANALYSIS_RATE
        const drum = 0.5 * Math.exp(-t / 0.05) * Math.sin(2 * Math.PI * (beat % 4 === 0 ? 60 : 150) * t)
        whole[from + i] += drum + 0.25 * Math.exp(-t / 0.01) * r() + 0.2 * Math.exp(-t / 0.2) * Math.sin(2 * Math.PI * hz * t)
      }
    }
    const desk = new SoundReference(heard(whole.slice(0, 90 * ANALYSIS_RATE)))
    const found = placeBySound(desk, whole.slice(66 * ANALYSIS_RATE))
    expect(found).toMatchObject({ verdict: 'sure', startSeconds: expect.closeTo(66, 3) })
  })

  test('when the master repeats itself exactly it asks instead of guessing, and names the rival', () => {
    const phrase = music(15, 9)
    const twice = new Float32Array(60 * ANALYSIS_RATE)
    for (const at of [10, 35]) twice.set(phrase, at * ANALYSIS_RATE)
    const found = placeBySound(new SoundReference(heard(twice)), camera(twice, 12, 10, 7))
    expect(found.verdict).toBe('check')
    const starts = [found.startSeconds ?? 0, found.proof.rivals[0].startSeconds].sort((a, b) => a - b)
    expect(Math.abs(starts[0] - 12)).toBeLessThan(0.001)
    expect(Math.abs(starts[1] - 37)).toBeLessThan(0.001)
  })

  test.each([
    ['other music', music(30, 77)],
    ['noise', Float32Array.from({ length: 20 * ANALYSIS_RATE }, random(5))],
  ])('refuses %s', (_, clip) => {
    const found = placeBySound(reference, clip)
    expect(found.verdict).toBe('loose')
    expect(['nothing-alike', 'windows-none', 'one-instant']).toContain(found.why[0].code)
  })

  test.each([
    ['an empty clip', new Float32Array(0), 'clip-short'],
    ['two seconds', new Float32Array(2 * ANALYSIS_RATE), 'clip-short'],
    ['digital silence', new Float32Array(10 * ANALYSIS_RATE), 'clip-silent'],
  ])('says why it cannot place %s', (_, clip, why) => {
    const found = placeBySound(reference, clip)
    expect(found).toMatchObject({ verdict: 'loose', startSeconds: null })
    expect(found.why).toEqual([{ code: why }])
  })

  test.each([
    [1.137, 16, 8],
    [0.43, 60, 5],
  ])('finds a clip at a speed that nobody named: %d times', (speed, seconds, from) => {
    const song = master.slice(0, 40 * ANALYSIS_RATE)
    const onSong = new SoundReference(heard(song))
    const cut = song.slice(from * ANALYSIS_RATE, Math.round((from + seconds * speed) * ANALYSIS_RATE))
    const r = random(31)
    const clip = resample(cut, 1 / speed).map((x, i, all) => 0.5 * x + 0.2 * (all[i - 700] ?? 0) + 0.02 * r())
    expect(placeBySound(onSong, clip).verdict).toBe('loose')
    const found = placeBySound(onSong, clip, { anySpeed: true })
    expect(found.verdict).toBe('sure')
    expect(Math.abs(found.rate / speed - 1) * 1e6).toBeLessThan(15)
    expect(Math.abs((found.startSeconds ?? 0) - from)).toBeLessThan(0.0005)
  })

  test('a search at any speed can be ended, and never makes foreign music sure', () => {
    const stop = () => {
      throw new Error('ended')
    }
    expect(() => placeBySound(reference, music(20, 78), { anySpeed: true, onProgress: stop })).toThrow('ended')
    const short = new SoundReference(heard(master.slice(0, 10 * ANALYSIS_RATE)))
    expect(placeBySound(short, music(14, 79), { anySpeed: true }).verdict).not.toBe('sure')
  })
})
