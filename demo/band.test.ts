import { perform, seeded } from './band.ts'
import { DEVICES } from './cameras.ts'
import { Motion } from './motion.ts'

describe('Depot Night', () => {
  const show = perform()

  test('is the same every time', () => expect(JSON.stringify(perform())).toBe(JSON.stringify(show)))

  test('lasts three to four minutes, with a speech before the first beat', () => {
    expect(show.seconds).toBeGreaterThanOrEqual(180)
    expect(show.seconds).toBeLessThanOrEqual(240)
    expect(show.beats[0]).toBeGreaterThan(show.speechAt + 38)
  })

  test('beats ascend and every bar begins on one of them', () => {
    for (let i = 1; i < show.beats.length; i++) expect(show.beats[i]).toBeGreaterThan(show.beats[i - 1])
    for (const down of show.downbeats) expect(show.beats).toContain(down)
  })

  test('the bass drum strikes exactly on the beat', () => {
    for (const { time, instrument } of show.notes) if (instrument === 'kick') expect(Math.min(...show.beats.map((b) => Math.abs(b - time)))).toBeLessThan(1e-9)
  })

  test('has eight devices, one of them silent, and one file that belongs to nothing', () => {
    expect(DEVICES.filter((d) => !d.foreign)).toHaveLength(8)
    expect(DEVICES.filter((d) => d.hearing === null)).toHaveLength(1)
    expect(DEVICES.filter((d) => d.foreign)).toHaveLength(1)
    expect(DEVICES.flatMap((d) => d.takes).filter((t) => Math.abs(t.rate - 1) > 0.01 && t.rate > 1)).toHaveLength(1)
  })

  test('sticks lie on the drum at the stroke and are up between strokes; lamps flash suddenly', () => {
    const motion = new Motion(show, new Float32Array(100).fill(0.5))
    const strokes = show.notes.filter((n) => n.instrument === 'kick')
    expect(motion.stick('kick', strokes[3].time)).toBe(0)
    expect(motion.stick('kick', (strokes[3].time + strokes[4].time) / 2)).toBe(1)
    expect(motion.flash(show.flashes[2] - 0.001)).toBeLessThan(0.05)
    expect(motion.flash(show.flashes[2])).toBe(1)
    expect(motion.lips(show.speechAt + 0.5)).toBeGreaterThan(0.5)
    expect(motion.lips(show.speechAt - 1)).toBe(0)
  })

  test('seeded numbers repeat and fill the range', () => {
    const a = Array.from({ length: 500 }, seeded(4))
    expect(Array.from({ length: 500 }, seeded(4))).toEqual(a)
    expect(Math.min(...a)).toBeGreaterThanOrEqual(0)
    expect(Math.max(...a)).toBeLessThan(1)
    expect(Math.abs(a.reduce((s, x) => s + x) / 500 - 0.5)).toBeLessThan(0.05)
  })
})
