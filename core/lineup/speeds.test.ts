import { ANALYSIS_RATE, resample, sourceOf } from '../signal/index.ts'
import { anySpeeds, FASTEST_SPEED, SLOWEST_SPEED } from './speeds.ts'
import { music } from './testing.ts'

test('a speed that nobody named is found, and how far the search is is told evenly', () => {
  const master = music(40, 21)
  const speed = 1.137
  // The clip holds the master from 12 s on, shot so that it lasts longer there.
  const clip = resample(master.slice(12 * ANALYSIS_RATE, 26 * ANALYSIS_RATE), 1 / speed)
  const shares: number[] = []
  const [best] = anySpeeds(sourceOf(master), sourceOf(clip), (share) => shares.push(share))
  expect(Math.abs(best.speed / speed - 1)).toBeLessThan(0.005)
  expect(Math.abs(best.startSeconds - 12)).toBeLessThan(0.2)
  expect(best.speed).toBeGreaterThan(SLOWEST_SPEED)
  expect(best.speed).toBeLessThan(FASTEST_SPEED)
  expect(shares.length).toBeGreaterThan(500)
  for (const [i, share] of shares.entries()) expect(share).toBeGreaterThanOrEqual(i === 0 ? 0 : shares[i - 1])
  expect(shares[shares.length - 1]).toBeLessThanOrEqual(1)
})
