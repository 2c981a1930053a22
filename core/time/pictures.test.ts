import { FLICKS_PER_SECOND, flicks, frameAt, frameStart, gridTolerance, pictureTime, ZERO } from './index.ts'

const NTSC = { start: flicks(FLICKS_PER_SECOND / 2), rate: { num: 30000, den: 1001 } }

test('times that a container rounded to milliseconds are the grid’s, each picture its own', () => {
  const tolerance = gridTolerance(NTSC, 0.001, false)
  for (let n = 0; n < 20_000; n += 7) {
    const true_ = 0.5 + (n * 1001) / 30000
    expect(pictureTime(Math.round(true_ * 1000) / 1000, NTSC, tolerance)).toBe(NTSC.start + frameStart(n, NTSC.rate))
  }
})

test('a picture that comes late keeps its own time', () => {
  const tolerance = gridTolerance(NTSC, 1 / 90000, false)
  const late = 0.5 + (10.4 * 1001) / 30000
  const time = pictureTime(late, NTSC, tolerance)
  expect(time).toBe(Math.round(late * FLICKS_PER_SECOND))
  expect(frameAt(flicks(time - NTSC.start), NTSC.rate)).toBe(10)
})

test('a steady file may waver a little, one of variable rate says what it means', () => {
  const grid = { start: ZERO, rate: { num: 25, den: 1 } }
  const [steady, variable] = [gridTolerance(grid, 1 / 90000, false), gridTolerance(grid, 1 / 90000, true)]
  expect(pictureTime(0.041, grid, steady)).toBe(frameStart(1, grid.rate))
  expect(pictureTime(0.041, grid, variable)).toBe(28_929_600)
  expect(pictureTime(0.04001, grid, variable)).toBe(frameStart(1, grid.rate))
  expect(pictureTime(0.043, grid, steady)).toBe(30_340_800)
})

test('pictures before the grid’s beginning lie before it', () => {
  const grid = { start: flicks(FLICKS_PER_SECOND), rate: { num: 25, den: 1 } }
  expect(pictureTime(0.92, grid, gridTolerance(grid, 0.001, false))).toBe(frameStart(23, grid.rate))
})
