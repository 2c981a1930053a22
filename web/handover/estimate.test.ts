import type { FilmResult, Job } from '@pendolo/api'
import { estimateOf } from './estimate.ts'

const RATE = { num: 25, den: 1 }
const asked = { width: 1280, height: 720, frames: 2500, rate: RATE, lossless: false }
const film = (made: NonNullable<FilmResult['made']>, bytes: number, name = 'night.mp4') => ({ result: { path: '/x', name, bytes, made } }) as unknown as Job
const MADE = { width: 1280, height: 720, rate: '25/1', seconds: 50, took: 20, version: 'Cut A' }

test('without a film made before it is what is kept free for it, and nobody knows how long', () => {
  expect(estimateOf(asked, [])).toEqual({ bytes: 0.03 * 1280 * 720 * 2500 + 32_000 * 100, seconds: null, told: false })
})

test('the film that was made last tells: twice as long is twice as large and takes twice as long', () => {
  const { bytes, seconds, told } = estimateOf(asked, [film(MADE, 30e6), film({ ...MADE, took: 500 }, 900e6)])
  expect([bytes, seconds, told]).toEqual([60e6, 40, true])
})

test('larger pictures cost less a pixel, and time by their number', () => {
  const { bytes, seconds } = estimateOf({ ...asked, width: 2560, height: 1440 }, [film(MADE, 30e6)])
  expect(bytes).toBeCloseTo((30e6 - 50 * 32_000) * 2 * 4 ** 0.75 + 100 * 32_000, 3)
  expect(seconds).toBe(160)
})

test('sound that is left as it was is counted apart from the pictures', () => {
  const untouched = estimateOf({ ...asked, lossless: true }, [film(MADE, 30e6)])
  expect(untouched.bytes - estimateOf(asked, [film(MADE, 30e6)]).bytes).toBe(100 * (288_000 - 32_000))
  expect(estimateOf(asked, [film(MADE, 30e6 + 50 * 256_000, 'night.mov')]).bytes).toBe(60e6)
})

test('what failed, and films that do not tell how they were made, are passed over', () => {
  const jobs = [{ result: null }, { result: { path: '/y', name: 'y.mp4', bytes: 9 } }, film({ ...MADE, took: undefined }, 30e6)] as unknown as Job[]
  expect(estimateOf(asked, jobs)).toEqual({ bytes: 60e6, seconds: null, told: true })
})
