import fc from 'fast-check'
import { WHOLE } from '../picture/index.ts'
import type { PictureException } from '../project/index.ts'
import { flicks } from '../time/index.ts'
import { movedAt, Sights } from './sight.ts'

const wide = { ...WHOLE, scale: 2 }
const angle = { id: 'a', framing: 'fill' as const, look: { exposure: 1 } }
const sightsOf = (...list: Omit<PictureException, 'angleId'>[]) =>
  new Sights([angle, { id: 'b', framing: 'fit' }], Object.fromEntries(list.map((one) => [one.id, { angleId: 'a', ...one }])))
const t = (n: number) => flicks(n)

describe('how an angle is seen', () => {
  test('is its own way, but for stretches that are seen in another', () => {
    const sights = sightsOf({ id: 'close', from: t(10), to: t(20), cutout: wide }, { id: 'dark', from: t(15), to: t(30), look: { exposure: -1 } })
    expect(sights.at('a', t(5))).toEqual({ framing: 'fill', cutout: null, look: { exposure: 1 } })
    expect(sights.at('a', t(10))).toMatchObject({ cutout: wide, look: { exposure: 1 } })
    expect(sights.at('a', t(19))).toMatchObject({ cutout: wide, look: { exposure: -1 } })
    expect(sights.at('a', t(20))).toMatchObject({ cutout: null, look: { exposure: -1 } })
    expect(sights.at('a', t(30))).toEqual(sights.at('a', t(5)))
    expect(sights.at('b', t(15))).toEqual({ framing: 'fit', cutout: null, look: null })
    expect(sights.at('gone', t(15))).toEqual({ framing: 'fit', cutout: null, look: null })
  })

  test('of several stretches that which begins last counts; a whole picture and a look that changes nothing are none', () => {
    const sights = sightsOf({ id: 'one', from: t(0), to: t(100), cutout: wide }, { id: 'in', from: t(40), to: t(60), cutout: WHOLE, look: {} })
    expect(sights.at('a', t(50))).toMatchObject({ cutout: null, look: null })
    expect(sights.at('a', t(60)).cutout).toEqual(wide)
  })

  test('one clip of an angle can be seen in a way of its own, whatever another one is seen in', () => {
    const sights = sightsOf({ id: 'take', clipId: 'second', from: t(0), to: t(100), look: { exposure: 2 }, pace: { start: 0.5, end: 0.5 } })
    expect(sights.at('a', t(50), 'second').look).toEqual({ exposure: 2 })
    expect(sights.at('a', t(50), 'first').look).toEqual({ exposure: 1 })
    expect(sights.at('a', t(50)).look).toEqual({ exposure: 1 })
    expect([sights.pictured('a', t(50), 'second'), sights.pictured('a', t(50), 'first')]).toEqual([25, 50])
    expect(sights.ranges('a', t(50), t(150), 'second').map((r) => [r.from, r.to, r.look?.exposure])).toEqual([
      [50, 100, 2],
      [100, 150, 1],
    ])
    expect(sights.ranges('a', t(50), t(150), 'first')).toHaveLength(1)
  })

  test('pictures blend where a stretch says so', () => {
    const sights = sightsOf(
      { id: 'slow', from: t(0), to: t(100), pace: { start: 0.5, end: 0.5, blends: true } },
      { id: 'take', clipId: 'second', from: t(100), to: t(200), pace: { start: 0.5, end: 0.5, blends: true } },
      { id: 'plain', from: t(100), to: t(200), pace: { start: 0.5, end: 0.5 } },
    )
    expect([t(0), t(99), t(100), t(200)].map((at) => sights.blends('a', at))).toEqual([true, true, false, false])
    expect(sights.blends('a', t(150), 'second')).toBe(true)
  })

  test('moves from one framing to another', () => {
    const sights = sightsOf({ id: 'move', from: t(100), to: t(200), cutout: WHOLE, cutoutTo: { ...WHOLE, scale: 4, x: 1 } })
    expect(sights.at('a', t(100)).cutout?.scale).toBe(1)
    expect(sights.at('a', t(150)).cutout).toMatchObject({ scale: 2, x: 0.5 })
    const [range] = sights.ranges('a', t(150), t(160))
    expect(movedAt(range, t(150))).toMatchObject({ scale: 2, x: 0.5 })
  })

  test('changes from one look to another in steps that are not seen, in ranges as at every instant', () => {
    const sights = sightsOf({ id: 'dusk', from: t(0), to: t(64_000), look: { exposure: 0 }, lookTo: { exposure: 1 } })
    const ranges = sights.ranges('a', t(0), t(64_000))
    expect(ranges.length).toBeGreaterThan(30)
    for (const [i, { from, to, look }] of ranges.entries()) {
      for (const at of [from, t((from + to) >> 1), t(to - 1)]) expect(sights.at('a', at).look).toEqual(look)
      if (i > 0) expect((look?.exposure ?? 0) - (ranges[i - 1].look?.exposure ?? 0)).toBeLessThan(1 / 30)
    }
    expect([ranges[0].look?.exposure, ranges.at(-1)?.look?.exposure].map((x) => Math.round(20 * (x ?? 0)) / 20)).toEqual([0, 1])
    expect(ranges.slice(1).every(({ from }, i) => from === ranges[i].to)).toBe(true)
  })

  test('its ranges tile what is asked for and say the same as every instant', () => {
    const stretch = fc.record({
      id: fc.uuid(),
      from: fc.integer({ min: 0, max: 50 }).map(t),
      length: fc.integer({ min: 1, max: 30 }),
      cutout: fc.option(fc.constantFrom(WHOLE, wide), { nil: undefined }),
      look: fc.option(fc.constantFrom({}, { contrast: 2 }), { nil: undefined }),
    })
    fc.assert(
      fc.property(fc.array(stretch, { maxLength: 6 }), (list) => {
        const sights = sightsOf(
          ...list.map(({ id, from, length, cutout, look }) => ({ id, from, to: t(from + length), ...(cutout && { cutout }), ...(look && { look }) })),
        )
        const ranges = sights.ranges('a', t(3), t(70))
        expect([ranges[0].from, ranges.at(-1)?.to]).toEqual([3, 70])
        for (const [i, { from, to, cutout, look }] of ranges.entries()) {
          if (i > 0) expect(from).toBe(ranges[i - 1].to)
          for (let n: number = from; n < to; n++) expect(sights.at('a', t(n))).toMatchObject({ cutout, look })
        }
      }),
    )
  })
})
