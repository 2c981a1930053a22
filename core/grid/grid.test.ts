import fc from 'fast-check'
import {
  clearBeats,
  countFrom,
  doubleGrid,
  dragBeat,
  type Grid,
  halveGrid,
  keepLocked,
  laySong,
  lockStretch,
  measureLag,
  nearestBeat,
  shiftGrid,
  tapStretch,
  usualDistance,
} from './index.ts'

const SECOND = 705_600_000

const grids = fc
  .record({
    distances: fc.array(fc.integer({ min: SECOND * 0.3, max: SECOND }), { minLength: 8, maxLength: 60 }),
    metre: fc.constantFrom(2, 3, 4, 6),
    lock: fc.tuple(fc.integer({ min: 0, max: 20 }), fc.integer({ min: 1, max: 10 })),
    locked: fc.boolean(),
  })
  .map(({ distances, metre, lock, locked }): Grid => {
    let time = 0
    const beats = distances.map((d) => {
      time += Math.round(d)
      return time
    })
    const grid: Grid = { beats, downbeats: beats.flatMap((_, i) => (i % metre === 0 ? [i] : [])), metre }
    const from = beats[Math.min(lock[0], beats.length - 1)]
    return locked ? lockStretch(grid, { from, to: from + lock[1] * SECOND }, true) : grid
  })

const places = fc.integer({ min: -2 * SECOND, max: 40 * SECOND })
const acts = fc.oneof(
  places.map((by) => (g: Grid) => shiftGrid(g, by % SECOND)),
  fc.tuple(places, places).map(
    ([a, b]) =>
      (g: Grid) =>
        shiftGrid(g, Math.round(SECOND / 7), { from: Math.min(a, b), to: Math.max(a, b) }),
  ),
  fc.constant((g: Grid) => doubleGrid(g)),
  fc.tuple(places, places).map(
    ([a, b]) =>
      (g: Grid) =>
        doubleGrid(g, { from: Math.min(a, b), to: Math.max(a, b) }),
  ),
  fc.constant((g: Grid) => halveGrid(g)),
  fc.tuple(places, fc.constantFrom(2, 3, 4, 6)).map(
    ([at, metre]) =>
      (g: Grid) =>
        countFrom(g, at, metre),
  ),
  fc.tuple(places, places).map(
    ([at, to]) =>
      (g: Grid) =>
        g.beats.length > 0 ? dragBeat(g, nearestBeat(g, at), to) : g,
  ),
  fc.tuple(places, places).map(
    ([a, b]) =>
      (g: Grid) =>
        clearBeats(g, { from: Math.min(a, b), to: Math.max(a, b) }),
  ),
  fc.tuple(places, fc.integer({ min: 4, max: 20 })).map(
    ([at, n]) =>
      (g: Grid) =>
        tapStretch(
          g,
          Array.from({ length: n }, (_, i) => at + i * SECOND * 0.6),
        ),
  ),
)

const lockedBeats = (g: Grid, locked = g.locked ?? []) => g.beats.filter((t) => locked.some((r) => t >= r.from && t < r.to))

test('whatever is corrected, beats stay in order, bars begin on beats, and locked stretches stay as they were', () => {
  fc.assert(
    fc.property(grids, fc.array(acts, { minLength: 1, maxLength: 6 }), (grid, list) => {
      const before = lockedBeats(grid)
      const after = list.reduce((g, act) => act(g), grid)
      expect(after.beats.every((t, i) => i === 0 || t > after.beats[i - 1])).toBe(true)
      expect(after.downbeats.every((d, i) => d >= 0 && d < after.beats.length && (i === 0 || d > after.downbeats[i - 1]))).toBe(true)
      expect(lockedBeats(after, grid.locked)).toEqual(before)
    }),
    { numRuns: 400 },
  )
})

const steady = (n: number, metre = 4): Grid => ({
  beats: Array.from({ length: n }, (_, i) => i * SECOND * 0.5),
  downbeats: Array.from({ length: Math.ceil(n / metre) }, (_, i) => i * metre),
  metre,
})

test('doubling and halving give the grid back', () => {
  const doubled = doubleGrid(steady(32))
  expect(doubled.beats).toHaveLength(63)
  expect(usualDistance(doubled)).toBe(SECOND / 4)
  expect(doubled.downbeats[1]).toBe(4)
  const back = halveGrid(doubled)
  expect(back.beats).toEqual(steady(32).beats)
  expect(back.downbeats).toEqual(steady(32).downbeats)
})

test('doubling leaves a pause empty', () => {
  const grid: Grid = { beats: [0, 1, 2, 3, 10, 11, 12, 13].map((x) => x * SECOND), downbeats: [0, 4], metre: 4 }
  expect(doubleGrid(grid).beats.filter((t) => t > 3 * SECOND && t < 10 * SECOND)).toEqual([])
})

test('the bar is counted from here with another metre, and anew after a pause', () => {
  const counted = countFrom(steady(16), 2.6 * SECOND, 3)
  expect(counted.downbeats).toEqual([0, 4, 5, 8, 11, 14])
  const paused: Grid = { ...steady(8), beats: [0, 1, 2, 3, 4, 20, 21, 22].map((x) => x * SECOND) }
  expect(countFrom(paused, 0, 4).downbeats).toEqual([0, 4, 5])
})

test('a dragged beat arrives, its neighbours follow by less, those a bar away stay', () => {
  const grid = steady(32)
  const by = Math.round(0.08 * SECOND)
  const after = dragBeat(grid, 12, grid.beats[12] + by)
  const moved = after.beats.map((t, i) => t - grid.beats[i])
  expect(moved[12]).toBe(by)
  expect(moved[11]).toBeGreaterThan(0)
  expect(moved[11]).toBeLessThan(by)
  expect(moved[13]).toBe(moved[11])
  expect(moved[7]).toBe(0)
  expect(moved[17]).toBe(0)
})

test('tapping a stretch averages the taps, takes the lag off and leaves the rest alone', () => {
  const grid = steady(40)
  const scatter = [0.02, -0.015, 0.01, -0.02, 0.018, -0.012, 0.008, -0.018, 0.02, -0.011, 0.012, -0.02]
  const taps = scatter.map((s, i) => Math.round((5.05 + i * 0.52 + s + 0.06) * SECOND))
  const fitted = tapStretch(grid, taps, Math.round(0.06 * SECOND))
  const own = fitted.beats.filter((t) => t > 5 * SECOND && t < 10.9 * SECOND)
  expect(own).toHaveLength(12)
  const worst = Math.max(...own.map((t, i) => Math.abs(t / SECOND - 5.05 - i * 0.52)))
  expect(worst).toBeLessThan(0.012)
  expect(fitted.beats.filter((t) => t < 4.6 * SECOND)).toEqual(grid.beats.filter((t) => t < 4.6 * SECOND))
})

test('what is locked survives a new search; unlocking a part leaves the other locked', () => {
  const locked = lockStretch(steady(20), { from: 2 * SECOND, to: 4 * SECOND }, true)
  const found: Grid = { beats: Array.from({ length: 30 }, (_, i) => i * SECOND * 0.37), downbeats: [0, 4, 8], metre: 4 }
  const merged = keepLocked(locked, found)
  expect(lockedBeats(merged, locked.locked)).toEqual([2, 2.5, 3, 3.5].map((x) => x * SECOND))
  expect(merged.beats[1]).toBe(0.37 * SECOND)
  expect(lockStretch(locked, { from: 3 * SECOND, to: 9 * SECOND }, false).locked).toEqual([{ from: 2 * SECOND, to: 3 * SECOND }])
})

test('the touch lag is the middle of the presses; stray and first presses do not count', () => {
  const beats = Array.from({ length: 34 }, (_, i) => i * 0.6)
  const presses = beats.map((t, i) => t + 0.085 + 0.012 * Math.sin(i * 2.3) + (i < 3 ? 0.2 : 0))
  presses[12] += 0.29
  const lag = measureLag(beats, presses)
  expect(lag?.seconds).toBeCloseTo(0.085, 2)
  expect(lag?.spread).toBeLessThan(0.02)
  expect(measureLag(beats, beats.slice(0, 8))).toBeNull()
})

test('a written song is laid on the recording where its notes are heard', () => {
  let a = 5
  const random = () => {
    a = (a * 1103515245 + 12345) & 0x7fffffff
    return a / 0x7fffffff
  }
  const notes: number[] = []
  for (let t = 0.4; t < 60; t += 0.12 + Math.floor(random() * 4) * 0.12) notes.push(t)
  const loudness = new Float32Array(9000).map(() => 0.02 + 0.03 * random())
  for (const t of notes) for (let i = 0; i < 14; i++) loudness[Math.round((t + 17.32 + 0.01 * (random() - 0.5)) * 100) + i] += 0.4 * Math.exp(-i / 5)
  const laid = laySong(notes, loudness, 100)
  expect(laid?.shift).toBeCloseTo(17.32, 1)
  expect(laid?.clear).toBeGreaterThan(8)
  expect(laySong(notes, new Float32Array(9000), 100)).toBeNull()
})
