import fc from 'fast-check'
import { choose, pointAt, STAND_INS, type StandIn, type SwitchPoint } from '../cut/index.ts'
import type { PictureSpan } from '../project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '../time/index.ts'
import { Pictures, planFilm } from './index.ts'

/** A millisecond. */
const UNIT = FLICKS_PER_SECOND / 1000
const t = (n: number) => flicks(n * UNIT)
const point = (n: number, angleId: string): SwitchPoint => ({ time: t(n), angleId })
const anyAngle = fc.constantFrom('a', 'b', 'c')
const anyPoints = fc
  .array(fc.tuple(fc.integer({ min: 0, max: 60 }), anyAngle))
  .map((list) => list.reduce<SwitchPoint[]>((points, [n, angleId]) => choose(points, t(n), { angleId }), []))

/** The same by looking at every span. */
function clipShownAt(spans: readonly PictureSpan[], angleId: string, time: Flicks, clipId?: string): PictureSpan | null {
  let found: PictureSpan | null = null
  for (const span of spans) {
    if (span.angleId !== angleId || time < span.start || time >= span.end) continue
    if (span.clipId === clipId) return span
    if (!found || span.start > found.start) found = span
  }
  return found
}

describe('the planned film', () => {
  const spans: PictureSpan[] = [
    { clipId: 'a1', angleId: 'a', start: t(0), end: t(10) },
    { clipId: 'b1', angleId: 'b', start: t(4), end: t(8) },
    { clipId: 'b2', angleId: 'b', start: t(12), end: t(20) },
  ]
  const plan = (points: SwitchPoint[], standIn: StandIn = 'next') =>
    planFilm(points, { spans, order: ['a', 'b'], standIn }, t(0), t(20)).map(
      (s) => `${s.start / UNIT}-${s.end / UNIT} ${s.clipId ?? 'black'}${s.standIn ? '*' : ''}${s.stillAt === null ? '' : `@${(s.stillAt / UNIT).toFixed(2)}`}`,
    )

  test('where the chosen angle has no picture the next one stands in, and says so', () => {
    expect(plan([point(0, 'a'), point(5, 'b')])).toEqual(['0-5 a1', '5-8 b1', '8-10 a1*', '10-12 black*', '12-20 b2'])
  })

  test('or it is black when that is asked for', () => {
    expect(plan([point(0, 'a'), point(5, 'b')], 'black')).toEqual(['0-5 a1', '5-8 b1', '8-12 black*', '12-20 b2'])
  })

  test('or its own last picture is held; before its first one the next angle stands in', () => {
    expect(plan([point(0, 'b'), point(9, 'a')], 'hold')).toEqual(['0-4 a1*', '4-8 b1', '8-9 b1*@7.95', '9-10 a1', '10-20 a1*@9.95'])
    expect(plan([point(0, 'a'), point(5, 'b')], 'hold')).toEqual(['0-5 a1', '5-8 b1', '8-12 b1*@7.95', '12-20 b2'])
    // On the frames of a film it is still the clip's last picture, not that of the last frame.
    const moved = spans.map((s) => ({ ...s, end: flicks(s.end + UNIT / 2), until: s.end }))
    const film = planFilm([point(0, 'b')], { spans: moved, order: ['a', 'b'], standIn: 'hold' }, t(4), t(12))
    expect(film.map((s) => [s.start, s.stillAt])).toEqual([
      [t(4), null],
      [t(8.5), t(7.95)],
    ])
  })

  test('stretches tile the whole range', () => {
    fc.assert(
      fc.property(anyPoints, (points) => {
        const film = planFilm(points, { spans, order: ['a', 'b'], standIn: 'next' }, t(2), t(50))
        expect(film[0].start).toBe(t(2))
        expect(film[film.length - 1].end).toBe(t(50))
        for (let i = 1; i < film.length; i++) expect(film[i].start).toBe(film[i - 1].end)
      }),
    )
  })

  test('is what is shown at each instant, whatever the clips and cuts', () => {
    const anySpans = fc.array(
      fc.record({ clip: fc.nat(30), angleId: anyAngle, start: fc.integer({ min: -5, max: 50 }), length: fc.integer({ min: 1, max: 20 }) }),
      { maxLength: 12 },
    )
    const takes = fc.array(fc.tuple(fc.integer({ min: 0, max: 60 }), anyAngle, fc.option(fc.nat(30), { nil: undefined })))
    fc.assert(
      fc.property(anySpans, takes, fc.constantFrom(...STAND_INS), fc.integer({ min: -5, max: 60 }), (list, choices, standIn, probe) => {
        const spans = list
          .map((s, i): PictureSpan => ({ clipId: `${s.clip}-${i}`, angleId: s.angleId, start: t(s.start), end: t(s.start + s.length) }))
          .sort((a, b) => a.start - b.start)
        const points = choices.reduce<SwitchPoint[]>(
          (all, [n, angleId, clip]) =>
            choose(all, t(n), { angleId, ...(clip !== undefined && { clipId: spans[clip % Math.max(1, spans.length)]?.clipId ?? 'gone' }) }),
          [],
        )
        const film = planFilm(points, { spans, order: ['a', 'b', 'c'], standIn }, t(-5), t(61))
        const shown = film.find((s) => t(probe) >= s.start && t(probe) < s.end)
        const point = points[pointAt(points, t(probe))]
        const own = point ? clipShownAt(spans, point.angleId, t(probe), point.clipId) : null
        const other = standIn === 'black' ? null : (['a', 'b', 'c'].map((a) => clipShownAt(spans, a, t(probe))).find((s) => s !== null) ?? null)
        const gone = spans.filter((s) => s.angleId === point?.angleId && s.end <= t(probe))
        if (standIn === 'hold' && !own && gone.length > 0) {
          expect(shown?.stillAt).toBe(Math.max(...gone.map((s) => s.end)) - t(0.05))
          expect(gone.find((s) => s.clipId === shown?.clipId)?.end).toBe((shown?.stillAt as number) + t(0.05))
        } else {
          expect(shown?.clipId).toBe((own ?? other)?.clipId ?? null)
          expect(shown?.stillAt).toBeNull()
        }
        expect(shown?.standIn).toBe(!own)
        expect(shown?.wanted).toBe(point?.angleId ?? null)
        // Every cut in sight is a border of the film.
        for (const p of points) if (p.time > t(-5) && p.time < t(61)) expect(film.some((s) => s.start === p.time)).toBe(true)
      }),
      { numRuns: 500 },
    )
  })

  test('of two takes the wanted one is shown, else the one begun last', () => {
    const takes: PictureSpan[] = [
      { clipId: 'one', angleId: 'a', start: t(0), end: t(9) },
      { clipId: 'two', angleId: 'a', start: t(3), end: t(9) },
    ]
    const pictures = new Pictures(takes, ['a'])
    expect(pictures.clipAt('a', t(5))?.clipId).toBe('two')
    expect(pictures.clipAt('a', t(5), 'one')?.clipId).toBe('one')
    expect(pictures.clipAt('a', t(2), 'two')?.clipId).toBe('one')
    expect(pictures.clipAt('a', t(9))).toBeNull()
  })
})
