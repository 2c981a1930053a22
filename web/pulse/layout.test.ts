import type { Mark, Pulse } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import fc from 'fast-check'
import { beatsIn, breakLines, lineAt, marksOnLine, tempoPoints } from './layout.ts'

const pulseOf = (times: number[], downbeats: number[], over: Partial<Pulse> = {}): Pulse => ({
  tempoBpm: 120,
  metre: 4,
  confidence: 1,
  beats: times.map(secondsToFlicks),
  downbeats,
  ...over,
})
const steady = (from: number, count: number, distance: number) => Array.from({ length: count }, (_, i) => from + i * distance)
const every = (n: number, count: number, from = 0) => Array.from({ length: Math.ceil((count - from) / n) }, (_, i) => from + n * i)

describe('lines of the sheet', () => {
  test('cover the recording without gaps, whatever the beats are', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.2, max: 30, noNaN: true }), { maxLength: 200 }),
        fc.integer({ min: 2, max: 7 }),
        fc.double({ min: 1, max: 900, noNaN: true }),
        (distances, metre, total) => {
          let t = 0
          const times = distances.map((d) => (t += d))
          const lines = breakLines(pulseOf(times, every(metre, times.length)), total)
          expect(lines[0].from).toBe(0)
          expect(lines[lines.length - 1].to).toBeCloseTo(total, 6)
          for (const [i, line] of lines.entries()) {
            expect(line.to).toBeGreaterThan(line.from)
            // Never so long that its beats could not be told apart.
            expect(line.to - line.from).toBeLessThan(16 * 1.6 + 0.01)
            if (i > 0) expect(line.from).toBe(lines[i - 1].to)
          }
        },
      ),
    )
  })

  test('of music hold eight bars each and begin with one', () => {
    const times = steady(4, 160, 0.5)
    const lines = breakLines(pulseOf(times, every(4, 160)), 84)
    expect(lines.map((l) => [l.from, l.bar])).toEqual([
      [0, null],
      [4, 1],
      [20, 9],
      [36, 17],
      [52, 25],
      [68, 33],
    ])
  })

  test('without beats last sixteen seconds; a second without sound has one line, none has none', () => {
    expect(breakLines(null, 40).map((l) => l.to - l.from)).toEqual([16, 16, 8])
    expect(breakLines(null, 1)).toHaveLength(1)
    expect(breakLines(null, 0)).toEqual([])
  })
})

describe('finding things on the sheet', () => {
  const times = steady(4, 160, 0.5)
  const pulse = pulseOf(times, every(4, 160))
  const lines = breakLines(pulse, 84)

  test('every time lies on the line that holds it; before and after, on the first and the last', () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 83.99, noNaN: true }), (t) => {
        const line = lines[lineAt(lines, t)]
        expect(line.from <= t && t < line.to).toBe(true)
      }),
    )
    expect(lineAt(lines, -3)).toBe(0)
    expect(lineAt(lines, 500)).toBe(lines.length - 1)
    expect(lineAt([], 1)).toBe(-1)
  })

  test('beats of a stretch are all those in it, and bars are told', () => {
    const found = beatsIn(pulse, 20, 36)
    const inside = found.filter((b) => b.at >= secondsToFlicks(20) && b.at < secondsToFlicks(36))
    expect(inside.map((b) => b.at)).toEqual(steady(20, 32, 0.5).map(secondsToFlicks))
    expect(inside.map((b) => b.bar)).toEqual(inside.map((_, i) => i % 4 === 0))
    // No more than a second around it: an evening has thousands.
    expect(found.length).toBeLessThanOrEqual(36)
    expect(beatsIn(null, 0, 10)).toEqual([])
    expect(beatsIn(pulse, 100, 120)).toEqual([])
  })
})

describe('marks on the lines', () => {
  const times = steady(4, 160, 0.5)
  const lines = breakLines(pulseOf(times, every(4, 160)), 84)
  const point = (id: string, time: number, end?: number): Mark => ({
    id,
    time: secondsToFlicks(time),
    ...(end !== undefined && { end: secondsToFlicks(end) }),
    kind: 'cue',
    name: id,
    hue: 0,
  })

  test('a mark set a touch before a bar stands at that bar, at the beginning of its line', () => {
    const marks = [point('early', 19.94), point('clearly before', 19.6)]
    expect(marksOnLine(marks, lines, 1).map((m) => m.mark.id)).toEqual(['clearly before'])
    expect(marksOnLine(marks, lines, 2)).toEqual([{ mark: marks[0], begins: true, from: 20 }])
  })

  test('every mark begins on one line and no other; a range goes on where it lasts', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.double({ min: 0, max: 84, noNaN: true }), fc.double({ min: 0.001, max: 40, noNaN: true })), { maxLength: 40 }),
        (ranges) => {
          const marks = ranges.map(([from, length], i) => point(`m${i}`, from, from + length))
          const drawn = lines.flatMap((line, i) => marksOnLine(marks, lines, i).map((m) => ({ ...m, line })))
          for (const [i, [from, length]] of ranges.entries()) {
            const own = drawn.filter((d) => d.mark === marks[i])
            expect(own.filter((d) => d.begins)).toHaveLength(1)
            for (const { line } of own) expect(from <= line.to && from + length > line.from - 0.121).toBe(true)
            for (const line of lines) if (from < line.to - 0.121 && from + length > line.from + 1e-6) expect(own.map((d) => d.line)).toContain(line)
          }
        },
      ),
    )
  })

  test('the very end of the recording keeps its marks', () => {
    expect(marksOnLine([point('end', 84)], lines, lines.length - 1)).toHaveLength(1)
  })
})

describe('the tempo curve', () => {
  test('tells the tempo around each place, and nothing in a pause', () => {
    const times = [...steady(2, 40, 0.5), ...steady(60, 60, 0.4)]
    const points = tempoPoints(pulseOf(times, []), 90)
    const at = (t: number) => points.reduce((best, p) => (Math.abs(p.t - t) < Math.abs(best.t - t) ? p : best)).bpm
    expect(at(10)).toBe(120)
    expect(at(75)).toBe(150)
    expect(at(40)).toBeNull()
    expect(at(88)).toBeNull()
  })

  test('has at most four hundred points, and the sureness of the stretch', () => {
    const times = steady(0, 14_400, 0.5)
    const points = tempoPoints(pulseOf(times, [], { clarity: Array.from({ length: 14_400 }, (_, i) => (i < 7200 ? 0.9 : 0.4)), clarityStep: 0.5 }), 7200)
    expect(points.length).toBeLessThanOrEqual(401)
    expect(points[50].sure).toBe(90)
    expect(points[350].sure).toBe(40)
  })
})
