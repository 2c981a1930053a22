import { ANALYSIS_RATE, sourceOf } from '../signal/index.ts'
import { heardTogether, severalTakes, type TakeClip, takesByClock } from './takes.ts'
import { music, random } from './testing.ts'

const clip = (id: string, angleId: string, recordedAt: number | null, from = 0, to = 200): TakeClip => ({ id, angleId, from, to, recordedAt })

describe('takes by the cameras’ clocks', () => {
  test('stand in the order of shooting, whenever each camera was started in them', () => {
    const clips = [clip('b2', 'b', 1000 + 12, 12), clip('a1', 'a', 400), clip('a2', 'a', 1000), clip('b1', 'b', 400 + 30, 30), clip('a3', 'a', 1700 - 5, -5)]
    expect(takesByClock(clips)).toEqual([['a1', 'b1'], ['a2', 'b2'], ['a3']])
  })

  test('though a camera’s clock is an hour and some minutes off', () => {
    const off = 3600 + 247
    const clips = [clip('a1', 'a', 400), clip('a2', 'a', 1000), clip('a3', 'a', 1700), clip('b2', 'b', 1000 + off), clip('b3', 'b', 1700 + off)]
    expect(takesByClock(clips)).toEqual([['a1'], ['a2', 'b2'], ['a3', 'b3']])
  })

  test('an event that is recorded once has none, a camera that stopped and went on neither', () => {
    const clips = [clip('a1', 'a', 0, 0, 100), clip('a2', 'a', 110, 110, 200), clip('b', 'b', 0, 0, 200)]
    expect(severalTakes(clips)).toBe(false)
    expect(takesByClock(clips)).toEqual([])
  })

  test('what has no clock is in none', () => {
    expect(takesByClock([clip('a1', 'a', 400), clip('a2', 'a', 1000), clip('x', 'b', null)])).toEqual([['a1'], ['a2']])
  })
})

describe('recordings that were made at once', () => {
  const SECONDS = 60
  const song = music(SECONDS, 3)
  const master = sourceOf(song)
  /** Loudspeaker and room of a take: what goes on beside the song is the take's own. */
  const beside = (take: number) => {
    const r = random(100 + take)
    const own = music(SECONDS, 500 + take)
    return Float32Array.from(own, (v) => 0.5 * v + 0.05 * r())
  }
  const microphone = (take: number, camera: number, late: number) => {
    const r = random(7 * take + camera)
    const room = beside(take)
    const echo = 300 + 170 * camera
    const out = new Float32Array(song.length)
    for (let i = 0; i < out.length; i++) out[i] = song[i] + 0.4 * (song[i - echo] ?? 0) + 0.12 * (room[i - late] ?? 0) + 0.03 * r()
    return { sound: sourceOf(out), line: { startSeconds: 0, rate: 1 } }
  }

  test('have more in common than the song', () => {
    const [first, second] = [microphone(1, 1, 0), microphone(1, 2, 120)]
    const other = microphone(2, 3, 60)
    expect(heardTogether(master, first, second)).toBeGreaterThan(8)
    expect(heardTogether(master, first, other)).toBeLessThan(6)
    expect(heardTogether(master, second, other)).toBeLessThan(6)
  })

  test('cannot be told where they hardly meet', () => {
    const a = microphone(1, 1, 0)
    const b = { ...microphone(1, 2, 0), line: { startSeconds: SECONDS - 3, rate: 1 } }
    expect(heardTogether(master, a, b)).toBeNull()
    expect(ANALYSIS_RATE).toBe(8000)
  })
})
