import fc from 'fast-check'
import { type Flicks, flicks, frameStart, nearestFrameStart, type Rate } from '../time/index.ts'
import {
  alternate,
  CutError,
  choose,
  copyPattern,
  differing,
  endPass,
  giveWay,
  join,
  movedByBeats,
  paint,
  pointAt,
  press,
  reassign,
  replaceAngle,
  roll,
  type SwitchPoint,
  slide,
  split,
  swap,
  takeOver,
} from './index.ts'

const t = (n: number) => flicks(n * 1000)
const points = (text: string): SwitchPoint[] =>
  text.split(' ').map((one) => {
    const [, n, angleId, mark] = /^(\d+)([a-z])(!?)$/.exec(one) as RegExpExecArray
    return { time: t(Number(n)), angleId, ...(mark && { split: true as const }) }
  })
const told = (list: readonly SwitchPoint[]) => list.map((p) => `${p.time / 1000}${p.angleId}${p.split ? '!' : ''}`).join(' ')
const seen = (list: readonly SwitchPoint[], time: number) => list[pointAt(list, flicks(time))]?.angleId ?? null

describe('cuts at rest', () => {
  const cut = points('0a 10b 20c 30a')

  test('a stretch is cut in two without a change, and the cut stays until it is joined', () => {
    const two = split(cut, t(14))
    expect(told(two)).toBe('0a 10b 14b! 20c 30a')
    expect(told(choose(two, t(40), { angleId: 'b' }))).toBe('0a 10b 14b! 20c 30a 40b')
    expect(told(reassign(two, [t(14)], { angleId: 'c' }))).toBe('0a 10b 14c! 20c 30a'.replace(' 20c', ''))
    expect(told(join(two, [t(14)]))).toBe(told(cut))
    expect(() => split(cut, t(10))).toThrow(/already/)
    expect(() => split(points('5a'), t(2))).toThrow(CutError)
  })

  test('many stretches get another angle at once', () => {
    expect(told(reassign(cut, [t(30), t(10)], { angleId: 'd' }))).toBe('0a 10d 20c 30d')
    expect(() => reassign(cut, [t(11)], { angleId: 'd' })).toThrow(/no cut/)
  })

  test('several cuts are joined at once, and equal neighbours with them', () => {
    expect(told(join(points('0a 10b 20c 30b 40a'), [t(20), t(40)]))).toBe('0a 10b')
    expect(told(join(points('0a 10b 20a 30b'), [t(10), t(20)]))).toBe('0a 30b')
    expect(() => join(cut, [t(10), t(11)])).toThrow(/no cut/)
  })

  test('two stretches are swapped, their lengths stay', () => {
    expect(told(swap(points('0a 10b 13c 30d'), t(0), t(13)))).toBe('0c 10b 13a 30d')
    expect(told(swap(points('0a 10b 13c 30d'), t(13), t(10)))).toBe('0a 10c 13b 30d')
    expect(() => swap(cut, t(10), t(10))).toThrow(CutError)
  })

  test('a stretch slides with both ends, as far as its neighbours let it', () => {
    expect(told(slide(cut, t(10), 4000, t(1)))).toBe('0a 14b 24c 30a')
    expect(told(slide(cut, t(10), 40_000, t(1)))).toBe('0a 19b 29c 30a')
    expect(told(slide(cut, t(10), -40_000, t(1)))).toBe('0a 1b 11c 30a')
    expect(() => slide(cut, t(30), 1000, t(1))).toThrow(/last stretch/)
  })

  test('several cuts are moved together', () => {
    expect(told(roll(cut, [t(10), t(20)], 3000, t(1)))).toBe('0a 13b 23c 30a')
    expect(told(roll(cut, [t(10), t(20)], 30_000, t(1)))).toBe('0a 19b 29c 30a')
    expect(told(roll(cut, [t(0), t(20)], -30_000, t(1)))).toBe(told(roll(cut, [t(0), t(20)], -9000, t(1))))
  })
})

describe('cuts over a range', () => {
  test('two angles take turns from border to border, and what ruled behind goes on', () => {
    expect(told(alternate(points('0a 50b'), { from: t(10), to: t(30) }, [10, 15, 20, 25, 30, 35].map(t), [{ angleId: 'c' }, { angleId: 'd' }]))).toBe(
      '0a 10c 15d 20c 25d 30a 50b',
    )
    expect(() => alternate(points('0a'), { from: t(1), to: t(2) }, [], [{ angleId: 'c' }])).toThrow(/two angles/)
  })

  test('one angle gives way to another only within the range', () => {
    expect(told(replaceAngle(points('0a 10b 20a 30b'), { from: t(5), to: t(25) }, 'a', { angleId: 'c' }))).toBe('0a 5c 10b 20c 25a 30b')
  })

  test('a pattern is repeated beat by beat where the music is slower', () => {
    const beats = [0, 10, 20, 30, 40, 60, 80, 100, 120].map(t)
    const place = (time: Flicks) => movedByBeats(beats, time, 4)
    expect(told(copyPattern(points('0a 10b 25c 40d'), { from: t(0), to: t(40) }, place))).toBe('0a 10b 25c 40a 60b 90c 120d')
    expect(() => movedByBeats([t(1)], t(1), 2)).toThrow(/beats/)
  })

  test('a range is taken over from another version', () => {
    expect(told(takeOver(points('0a 40b'), points('0c 20d 30c 60a'), { from: t(10), to: t(50) }))).toBe('0a 10c 20d 30c 50b')
  })

  test('two versions differ where they show something else', () => {
    expect(differing(points('0a 10b 20c'), points('0a 12b 20c 30d'), t(40))).toEqual([
      { from: t(10), to: t(12) },
      { from: t(30), to: t(40) },
    ])
    expect(differing(points('5a'), points('5a 8a!'), t(10))).toEqual([])
  })
})

describe('a live pass', () => {
  const before = points('0a 12b 16c 40d')

  test('what is pressed holds until the stop, and what stood there comes back', () => {
    let cut = press(before, t(10), { angleId: 'x' }, t(10))
    cut = giveWay(cut, { from: t(10), to: t(13) })
    expect(told(cut)).toBe('0a 10x 16c 40d')
    cut = press(cut, t(15), { angleId: 'y' }, t(10))
    cut = giveWay(cut, { from: t(15), to: t(18) })
    expect(told(endPass(cut, { from: t(15), to: t(20) }, { angleId: 'c' }))).toBe('0a 10x 15y 20c 40d')
  })

  test('pressing what is seen holds it over the cuts that were there', () => {
    const pressed = press(before, t(10), { angleId: 'a' }, t(10))
    expect(told(pressed)).toBe(told(before))
    expect(told(endPass(giveWay(pressed, { from: t(10), to: t(20) }), { from: t(10), to: t(20) }, { angleId: 'c' }))).toBe('0a 20c 40d')
  })

  test('what lies ahead stays, though presses choose the same as it', () => {
    let cut = points('0a 40b 50c 60d')
    for (const [at, angleId] of [
      [10, 'b'],
      [20, 'c'],
      [30, 'd'],
    ] as const)
      cut = press(cut, t(at), { angleId }, t(Math.max(10, at - 10)))
    expect(told(endPass(cut, { from: t(30), to: t(35) }, { angleId: 'a' }))).toBe('0a 10b 20c 30d 35a 40b 50c 60d')
  })

  test('a press that lands before the last one takes its place', () => {
    expect(told(press(points('0a 10x 40d'), t(8), { angleId: 'y' }, t(10)))).toBe('0a 8y 40d')
    expect(told(press(points('0a 10x 40d'), t(10), { angleId: 'y' }, t(10)))).toBe('0a 10y 40d')
  })

  test('a pass over a passage leaves exactly its presses there and all else as it was', () => {
    const presses = fc.array(fc.record({ after: fc.integer({ min: 1, max: 5 }), angleId: fc.constantFrom('a', 'b', 'x') }), { minLength: 1, maxLength: 8 })
    fc.assert(
      fc.property(
        anyCut,
        fc.integer({ min: 0, max: 40 }),
        presses,
        fc.integer({ min: 1, max: 12 }),
        fc.integer({ min: 0, max: 120 }),
        (old, start, list, tail, probe) => {
          let cut: SwitchPoint[] = old
          let at = start
          let last: number | undefined
          const own: SwitchPoint[] = []
          for (const { after, angleId } of list) {
            at += after
            cut = press(cut, t(at), { angleId }, t(last ?? at))
            own.push({ time: t(at), angleId })
            last = at
          }
          const stop = at + tail
          const back = old[pointAt(old, t(stop))]
          cut = endPass(giveWay(cut, { from: t(at), to: t(stop) }), { from: t(at), to: t(stop) }, back ?? null)
          const first = own[0].time / 1000
          if (probe >= first && (probe < stop || !back)) {
            if (probe < stop) expect(seen(cut, t(probe))).toBe(seen(own, t(probe)))
          } else expect(seen(cut, t(probe))).toBe(seen(old, t(probe)))
          expectTidy(cut)
        },
      ),
      { numRuns: 2000 },
    )
  })
})

const anyCut = fc
  .array(fc.tuple(fc.integer({ min: 0, max: 90 }), fc.constantFrom('a', 'b', 'c', 'x')))
  .map((list) => list.reduce<SwitchPoint[]>((all, [n, angleId]) => choose(all, t(n), { angleId }), []))

/** Sorted, no stretch of no length, and no cut without a change that nobody asked for. */
function expectTidy(list: readonly SwitchPoint[]): void {
  for (let i = 1; i < list.length; i++) {
    expect(list[i].time).toBeGreaterThan(list[i - 1].time)
    if (!list[i].split) expect(list[i].angleId).not.toBe(list[i - 1].angleId)
  }
}

describe('whatever the cut', () => {
  const RATES: Rate[] = [
    { num: 24000, den: 1001 },
    { num: 24, den: 1 },
    { num: 25, den: 1 },
    { num: 30000, den: 1001 },
    { num: 50, den: 1 },
    { num: 60000, den: 1001 },
    { num: 60, den: 1 },
  ]
  /** A cut on frames of a rate anywhere in twelve hours. */
  const onFrames = fc.constantFrom(...RATES).chain((rate) =>
    fc.record({
      rate: fc.constant(rate),
      cut: fc
        .uniqueArray(fc.integer({ min: 0, max: Math.floor((12 * 3600 * rate.num) / rate.den) }), { minLength: 3, maxLength: 40 })
        .map((frames) => frames.sort((a, b) => a - b).map((f, i): SwitchPoint => ({ time: frameStart(f, rate), angleId: 'abc'[i % 3] }))),
      pick: fc.nat(),
      other: fc.nat(),
      by: fc.integer({ min: -3000, max: 3000 }),
    }),
  )

  test('moving a stretch there and back, where it has room, is nothing at all', () => {
    fc.assert(
      fc.property(onFrames, ({ rate, cut, pick, by }) => {
        const frame = frameStart(1, rate)
        const at = pick % (cut.length - 1)
        const moved = slide(cut, cut[at].time, by * frame, frame)
        expectTidy(moved)
        expect(moved).toHaveLength(cut.length)
        for (let i = 1; i < cut.length; i++) expect(moved[i].time - moved[i - 1].time).toBeGreaterThanOrEqual(Math.min(frame, cut[i].time - cut[i - 1].time))
        expect(moved[at + 1].time - moved[at].time).toBe(cut[at + 1].time - cut[at].time)
        expect(slide(moved, moved[at].time, cut[at].time - moved[at].time, frame)).toEqual(cut)
      }),
    )
  })

  test('moving cuts together and back is nothing at all, and none passes another', () => {
    fc.assert(
      fc.property(onFrames, fc.array(fc.boolean(), { minLength: 40, maxLength: 40 }), ({ rate, cut, by }, chosen) => {
        const frame = frameStart(1, rate)
        const times = cut.filter((_, i) => chosen[i]).map((p) => p.time)
        if (times.length === 0) return
        const moved = roll(cut, times, by * frame, frame)
        expectTidy(moved)
        expect(moved.map((p) => p.angleId)).toEqual(cut.map((p) => p.angleId))
        const there = cut.flatMap((p, i) => (times.includes(p.time) ? [moved[i].time] : []))
        expect(roll(moved, there, times[0] - there[0], frame)).toEqual(cut)
      }),
    )
  })

  test('splitting and joining, swapping twice, and rolling there and back are nothing at all', () => {
    fc.assert(
      fc.property(onFrames, ({ rate, cut, pick, other, by }) => {
        const frame = frameStart(1, rate)
        const at = pick % (cut.length - 1)
        const middle = nearestFrameStart(flicks((cut[at].time + cut[at + 1].time) / 2), rate)
        if (middle > cut[at].time && middle < cut[at + 1].time) {
          const two = split(cut, middle)
          expectTidy(two)
          expect(join(two, [middle])).toEqual(cut)
          expect(seen(two, middle)).toBe(seen(cut, middle))
        }
        const to = other % cut.length
        if (to !== at) {
          const swapped = swap(cut, cut[at].time, cut[to].time)
          expectTidy(swapped)
          if (swapped.length === cut.length) expect(swap(swapped, cut[at].time, cut[to].time)).toEqual(cut)
        }
        const rolled = roll(cut, [cut[at].time], by * frame, frame)
        expectTidy(rolled)
        expect(roll(rolled, [rolled[at].time], cut[at].time - rolled[at].time, frame)).toEqual(cut)
      }),
    )
  })

  test('what is done over a range changes nothing outside of it', () => {
    const range = fc.tuple(fc.integer({ min: 0, max: 90 }), fc.integer({ min: 1, max: 30 })).map(([a, n]) => ({ from: t(a), to: t(a + n) }))
    fc.assert(
      fc.property(anyCut, anyCut, range, fc.integer({ min: 0, max: 130 }), fc.integer({ min: 1, max: 7 }), (cut, other, where, probe, every) => {
        const inside = probe * 1000 >= where.from && probe * 1000 < where.to
        const borders = Array.from({ length: 130 }, (_, i) => t(i * every))
        const done = {
          alternated: alternate(cut, where, borders, [{ angleId: 'x' }, { angleId: 'y' }]),
          replaced: replaceAngle(cut, where, 'a', { angleId: 'z' }),
          taken: takeOver(cut, other, where),
          painted: paint(cut, where.from, where.to, { angleId: 'z' }),
        }
        for (const list of Object.values(done)) {
          expectTidy(list)
          // Where nothing ruled behind the range, what was done there goes on.
          if (!inside && (probe * 1000 < where.from || seen(cut, where.to) !== null)) expect(seen(list, t(probe))).toBe(seen(cut, t(probe)))
        }
        if (!inside) return
        expect(['x', 'y']).toContain(seen(done.alternated, t(probe)))
        expect(seen(done.replaced, t(probe))).toBe(seen(cut, t(probe)) === 'a' ? 'z' : seen(cut, t(probe)))
        if (pointAt(other, where.from) >= 0) expect(seen(done.taken, t(probe))).toBe(seen(other, t(probe)))
        const same = differing(done.taken, other, t(200)).some((d) => d.from <= probe * 1000 && probe * 1000 < d.to)
        if (pointAt(other, where.from) >= 0) expect(same).toBe(false)
      }),
      { numRuns: 500 },
    )
  })

  test('moved by beats and back an instant is where it was, to the flick, and order stays', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 100, max: 900 }), { minLength: 12, maxLength: 40 }),
        fc.integer({ min: -4, max: 4 }),
        fc.double({ min: 4.01, max: 6.99, noNaN: true }),
        (lengths, shift, position) => {
          const beats = lengths.map((_, i) => flicks(lengths.slice(0, i + 1).reduce((sum, n) => sum + n * 1_000_000, 0)))
          const time = flicks(Math.round(beats[Math.floor(position)] + (position % 1) * (beats[Math.floor(position) + 1] - beats[Math.floor(position)])))
          const moved = movedByBeats(beats, time, shift)
          expect(Math.abs(movedByBeats(beats, moved, -shift) - time)).toBeLessThanOrEqual(9)
          expect(movedByBeats(beats, flicks(time + 2000), shift)).toBeGreaterThan(moved)
          expect(movedByBeats(beats, beats[5], shift)).toBe(beats[5 + shift])
        },
      ),
    )
  })
})
