import type { SwitchPoint } from '@pendolo/core/cut'
import { flicks, secondsToFlicks } from '@pendolo/core/time'
import { headsInView } from './draw.ts'
import { geometryOf, HEAD, LABELS, laneMiddle, NAMED_LANE, OVERVIEW, secondsAt, spotAt, xAt } from './geometry.ts'
import { takeRows } from './ground.ts'
import { layerRows } from './layer-rows.ts'
import { lineAt } from './line-at.ts'
import { levelFor, readPeaks } from './peaks.ts'
import { headAt } from './use-score-gestures.ts'

jest.mock('../playback/use-engine.ts', () => ({ engine: {} }))
jest.mock('../ui/theme.ts', () => ({ hueOf: () => '#000' }))

const point = (seconds: number, angleId: string): SwitchPoint => ({ time: secondsToFlicks(seconds), angleId })
const geometry = geometryOf(LABELS + 1000, 400, 4, { from: 100, span: 20 })
const laneOf = (id: string) => 'abcd'.indexOf(id)

describe('where things stand on the score', () => {
  test('pixels and instants are each other’s way back', () => {
    for (const t of [100, 107.3, 120]) expect(secondsAt(geometry, xAt(geometry, t))).toBeCloseTo(t, 9)
    expect(xAt(geometry, 100)).toBe(LABELS)
    expect(xAt(geometry, 120)).toBe(LABELS + 1000)
  })

  test('a pixel is on the names, the master, a lane, or below all of them', () => {
    expect(spotAt(geometry, 20, 200)).toEqual({ kind: 'labels' })
    expect(spotAt(geometry, 500, 10)).toEqual({ kind: 'ruler' })
    expect(spotAt(geometry, 500, 60)).toEqual({ kind: 'master' })
    for (let lane = 0; lane < 4; lane++) expect(spotAt(geometry, 500, laneMiddle(geometry, lane))).toEqual({ kind: 'lane', lane })
    expect(spotAt(geometry, 500, geometry.lanesBottom + 2)).toEqual({ kind: 'below' })
  })

  test('a note-head is caught in its own lane and near its own instant, the nearest of two', () => {
    const points = [point(105, 'a'), point(105.1, 'b'), point(110, 'a'), point(110.1, 'a')]
    const y = laneMiddle(geometry, 0)
    expect(headAt(geometry, points, laneOf, xAt(geometry, 105) + 3, y)).toBe(points[0].time)
    expect(headAt(geometry, points, laneOf, xAt(geometry, 105) + 3, laneMiddle(geometry, 2))).toBeNull()
    expect(headAt(geometry, points, laneOf, xAt(geometry, 110.1) - 1, y)).toBe(points[3].time)
    expect(headAt(geometry, points, laneOf, xAt(geometry, 107), y)).toBeNull()
  })

  test('a note-head at the left edge is caught at either half; one beside the view is not', () => {
    const y = laneMiddle(geometry, 0)
    const edge = [point(99.9, 'a'), point(100, 'a')]
    for (const off of [-4, -0.01, 0, 4]) expect(headAt(geometry, edge, laneOf, LABELS + off, y)).toBe(edge[1].time)
    expect(headAt(geometry, edge.slice(0, 1), laneOf, LABELS - 4, y)).toBeNull()
  })

  test('cuts in view are drawn one by one only where they stand apart', () => {
    const far = [point(90, 'a'), point(105, 'a'), point(110, 'b'), point(130, 'a')]
    expect(headsInView(geometry, far).map((p) => p.time)).toEqual([far[1].time, far[2].time])
    // 50 pixels a second: a hundred cuts in two seconds are a pixel apart.
    const dense = Array.from({ length: 100 }, (_, i) => point(106 + i / 50, i % 2 ? 'a' : 'b'))
    expect(headsInView(geometry, dense)).toEqual([])
    expect(headsInView(geometry, [point(103, 'a'), ...dense, point(115, 'a')])).toHaveLength(2)
  })
})

describe('a waveform at several resolutions', () => {
  const count = 50_000
  const bytes = new ArrayBuffer(24 + 2 * count)
  const view = new DataView(bytes)
  view.setInt32(8, 8000, true)
  view.setInt32(12, 80, true)
  view.setUint32(16, count, true)
  for (let i = 0; i < count; i++) {
    view.setInt8(24 + 2 * i, i === 33_333 ? -100 : -10)
    view.setInt8(25 + 2 * i, i === 12_345 ? 120 : 10)
  }
  const peaks = readPeaks(bytes)

  test('no peak is lost at any of them', () => {
    expect(peaks.levels.length).toBeGreaterThan(2)
    expect(peaks.loudest).toBe(120)
    for (const { perSecond, low, high } of peaks.levels) {
      expect(high[Math.floor((12_345 / 100) * perSecond)]).toBe(120)
      expect(low[Math.floor((33_333 / 100) * perSecond)]).toBe(-100)
      expect([...high].filter((h) => h > 10)).toHaveLength(1)
    }
  })

  test('the coarsest is taken that still has a piece a pixel', () => {
    expect(levelFor(peaks, 0.001).perSecond).toBe(100)
    expect(levelFor(peaks, 0.02).perSecond).toBe(100)
    expect(levelFor(peaks, 0.1).perSecond).toBe(12.5)
    expect(levelFor(peaks, 1000).perSecond).toBe(peaks.levels.at(-1)?.perSecond)
  })
})

test('takes of the same stretch have rows of their own, clips one after the other share one', () => {
  const span = (clipId: string, start: number, end: number) => ({ clipId, angleId: 'a', start: flicks(start), end: flicks(end) })
  const rows = (...spans: ReturnType<typeof span>[]) => takeRows(spans).map(({ span: s, row }) => `${s.clipId}${row}`)
  expect(rows(span('b', 10, 20), span('a', 0, 10), span('c', 30, 40))).toEqual(['a0', 'b0', 'c0'])
  expect(rows(span('a', 0, 30), span('b', 5, 25), span('c', 6, 8), span('d', 26, 40))).toEqual(['a0', 'b1', 'c2', 'd1'])
  expect(rows(...['a', 'b', 'c', 'd', 'e', 'f'].map((id, i) => span(id, i, 100)))).toEqual(['a0', 'b1', 'c2', 'd3', 'e3', 'f3'])
})

test('lanes, master and the whole event share the height: no lane lies outside it, and the master gives way before the names do', () => {
  for (const lanes of [1, 4, 9, 16, 24])
    for (let height = 220; height <= 900; height += 20) {
      const { lanesBottom, lanesTop, laneHeight, wave } = geometryOf(LABELS + 1000, height, lanes, { from: 0, span: 10 })
      expect(lanesBottom).toBeLessThanOrEqual(height - OVERVIEW)
      expect(lanesTop).toBe(HEAD + wave)
      if (laneHeight < NAMED_LANE) expect(wave).toBe(22)
      const banded = geometryOf(LABELS + 1000, height, lanes, { from: 0, span: 10 }, 18)
      expect(banded.lanesBottom).toBeLessThanOrEqual(height - OVERVIEW)
      expect(banded.lanesTop).toBe(HEAD + banded.wave + 18)
    }
})

describe('rows of layers', () => {
  const rows = (...ranges: [number, number][]) => {
    const { count, rowOf, height } = layerRows(ranges.map(([from, to], i) => ({ id: String(i), from: flicks(from), to: flicks(to) })))
    return { count, height, rows: ranges.map((_, i) => rowOf.get(String(i))) }
  }
  test('layers that lie over each other stand above each other, others beside each other', () => {
    expect(rows()).toMatchObject({ count: 0 })
    expect(rows([0, 5], [5, 9])).toEqual({ count: 1, height: 20, rows: [0, 0] })
    expect(rows([0, 5], [4, 9], [7, 12], [1, 2])).toEqual({ count: 3, height: 17, rows: [0, 1, 2, 1] })
  })
  test('however many there are, lanes keep their room', () => {
    expect(rows([0, 9], [0, 9], [0, 9], [0, 9], [0, 9], [0, 9])).toMatchObject({ count: 4, rows: [0, 1, 2, 3, 3, 3] })
  })
})

test('the playhead stands on whole pixels of the screen; running it goes two of the page at once, never further than one from where it belongs', () => {
  expect(lineAt(100.3, 2, false)).toBe(100.5)
  expect(lineAt(100.3, 1, false)).toBe(100)
  const run = Array.from({ length: 100 }, (_, n) => lineAt(100 + n / 10, 2, true))
  expect(new Set(run).size).toBe(6)
  for (const [n, x] of run.entries()) expect(Math.abs(x - (100 + n / 10))).toBeLessThanOrEqual(1)
  // On a screen whose pixels are larger than that it goes from one to the next.
  expect(lineAt(103, 0.25, true)).toBe(104)
})
