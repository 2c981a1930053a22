import { type Cutout, isWhole, placing, STRAIGHT, WHOLE } from '@pendolo/core/picture'
import { applyEdits, type Edit, emptyProject, type PictureException } from '@pendolo/core/project'
import { flicks } from '@pendolo/core/time'
import fc from 'fast-check'
import { addedPoint, movedPoint, withCurve, withoutPoint } from './curve-points.ts'
import { cropped, dragged } from './drag-framing.ts'
import { cutoutEdit, cutoutIn, exceptionFor, exceptionsOf, lookEdit, lookIn, moveEdit, paceEdit, placeToSee, type Scope, scopeOf } from './seen-as.ts'

const OWN = { width: 1440, height: 1080 }
const FRAME = { width: 1920, height: 1080 }
const at = (cutout: Cutout, x: number, y: number) => {
  const [a, b, c, d, e, f] = placing(OWN.width, OWN.height, FRAME.width, FRAME.height, 'fit', cutout)
  return { x: a * x + c * y + e, y: b * x + d * y + f }
}
const some: fc.Arbitrary<Cutout> = fc.record({
  x: fc.double({ min: -0.4, max: 0.4, noNaN: true }),
  y: fc.double({ min: -0.4, max: 0.4, noNaN: true }),
  scale: fc.double({ min: 0.5, max: 2, noNaN: true }),
  turn: fc.double({ min: -170, max: 170, noNaN: true }),
})
const drag = (grip: Parameters<typeof dragged>[0], cutout: Cutout, from: { x: number; y: number }, to: { x: number; y: number }) =>
  dragged(grip, cutout, from, to, OWN, FRAME, 'fit', false)

describe('a picture that is dragged', () => {
  test('goes with the pointer: what was taken hold of lies under it', () => {
    fc.assert(
      fc.property(some, some, (cutout, other) => {
        const [corner, to] = [at(cutout, 0, 0), { x: FRAME.width * (0.5 + other.x), y: FRAME.height * (0.5 + other.y) }]
        const moved = at(drag('inside', cutout, corner, to), 0, 0)
        expect(Math.hypot(moved.x - to.x, moved.y - to.y)).toBeLessThan(1e-6)
        const middle = at(cutout, OWN.width / 2, OWN.height / 2)
        const turned = drag('knob', cutout, corner, at({ ...cutout, turn: cutout.turn + 30 }, 0, 0))
        expect(Math.abs(((turned.turn - cutout.turn + 540) % 360) - 180)).toBeCloseTo(30, 6)
        expect(Math.abs(turned.turn)).toBeLessThanOrEqual(180)
        const away = { x: middle.x + 1.5 * (corner.x - middle.x), y: middle.y + 1.5 * (corner.y - middle.y) }
        expect(drag('corner', cutout, corner, away).scale).toBeCloseTo(1.5 * cutout.scale, 6)
        // A third of the way across from the left edge.
        expect(drag('left', cutout, corner, at(cutout, OWN.width / 3, 500)).crop?.left).toBeCloseTo(1 / 3, 6)
        expect(drag('bottom', cutout, corner, at(cutout, 40, OWN.height * 0.75)).crop?.bottom).toBeCloseTo(0.25, 6)
      }),
    )
  })

  test('stands straight when it nearly does, and never loses all of its picture', () => {
    const nearly = { ...WHOLE, turn: 80 }
    const to = at({ ...WHOLE, turn: 89 }, 0, 0)
    expect(dragged('knob', nearly, at(nearly, 0, 0), to, OWN, FRAME, 'fit').turn).toBe(90)
    expect(drag('knob', nearly, at(nearly, 0, 0), to).turn).toBeCloseTo(89, 6)
    expect(cropped(cropped(WHOLE, 'left', 0.6), 'right', 0.6).crop).toEqual({ left: 0.6, top: 0, right: expect.closeTo(0.3, 9), bottom: 0 })
    expect(isWhole(cropped(cropped(WHOLE, 'top', 0.2), 'top', -1))).toBe(true)
  })
})

describe('what is changed', () => {
  const doc = applyEdits(emptyProject('cut'), [
    { type: 'addClips', angles: ['a', 'b'].map((id, hue) => ({ id, name: id, hue, framing: 'fit' as const })), clips: [] },
    { type: 'seeAngle', angleId: 'a', look: { exposure: 1 } },
  ]).doc
  const apply = (of: typeof doc, ...edits: Edit[]) => applyEdits(of, edits).doc
  const scope = (of: typeof doc, exceptionId: string | null = null, end: Scope['end'] = 'start') => scopeOf(of, 'a', exceptionId, end) as Scope
  const close = { ...WHOLE, scale: 2 }
  const withOne = apply(doc, { type: 'exceptions', exceptions: [exceptionFor('one', doc.angles[0], { from: flicks(100), to: flicks(200) })] })

  test('is all of an angle, or one stretch of it', () => {
    const framed = apply(doc, cutoutEdit(scope(doc), close))
    expect(framed.angles[0].cutout).toEqual(close)
    expect(apply(framed, cutoutEdit(scope(framed), WHOLE)).angles[0]).not.toHaveProperty('cutout')
    const one = apply(withOne, cutoutEdit(scope(withOne, 'one'), close))
    expect([one.angles[0].cutout, one.exceptions.one.cutout]).toEqual([undefined, close])
    expect([scopeOf(doc, 'gone', null, 'start'), scope(doc, 'gone').exception, scopeOf(withOne, 'b', 'one', 'start')?.exception]).toEqual([null, null, null])
  })

  test('a stretch without a look of its own has that of its angle, until it gets one; as recorded is one too', () => {
    expect(lookIn(scope(withOne, 'one'))).toEqual({ exposure: 1 })
    const plain = apply(withOne, lookEdit(scope(withOne, 'one'), null))
    expect(lookIn(scope(plain, 'one'))).toEqual({})
    expect(plain.angles[0].look).toEqual({ exposure: 1 })
    expect(apply(doc, lookEdit(scope(doc), { exposure: 0 })).angles[0]).not.toHaveProperty('look')
  })

  test('a framing that moves has two ends, which begin alike', () => {
    const framed = apply(withOne, cutoutEdit(scope(withOne, 'one'), close))
    const own = scope(framed, 'one') as Scope & { exception: PictureException }
    const moving = apply(framed, moveEdit(own, true))
    expect(moving.exceptions.one).toMatchObject({ cutout: close, cutoutTo: close })
    const ended = apply(moving, cutoutEdit(scope(moving, 'one', 'end'), WHOLE))
    expect([cutoutIn(scope(ended, 'one', 'start')), cutoutIn(scope(ended, 'one', 'end'))]).toEqual([close, WHOLE])
    const stands = apply(ended, moveEdit(scope(ended, 'one') as typeof own, false))
    // Slower and as fast as it was recorded again; how it is framed stays.
    const slow = apply(stands, paceEdit(stands.exceptions.one, { start: 0.5, end: 1 }))
    expect(slow.exceptions.one).toEqual({ ...stands.exceptions.one, pace: { start: 0.5, end: 1 } })
    expect(apply(slow, paceEdit(slow.exceptions.one, { start: 1, end: 1 })).exceptions.one).toEqual(stands.exceptions.one)
    const blended = apply(slow, paceEdit(slow.exceptions.one, { start: 0.5, end: 1, blends: true }))
    expect(blended.exceptions.one.pace).toEqual({ start: 0.5, end: 1, blends: true })
    expect(apply(blended, paceEdit(blended.exceptions.one, { start: 1, end: 1, blends: true })).exceptions.one).toEqual(stands.exceptions.one)
    expect(stands.exceptions.one).not.toHaveProperty('cutoutTo')
    // The playhead goes where what is changed is seen.
    expect(placeToSee(scope(ended, 'one', 'end'), flicks(150), flicks(4))).toBe(196)
    expect(placeToSee(scope(stands, 'one'), flicks(150), flicks(4))).toBeNull()
    expect(placeToSee(scope(stands, 'one'), flicks(250), flicks(4))).toBe(100)
    expect(exceptionsOf(stands, 'a').map((e) => e.id)).toEqual(['one'])
  })
})

describe('a curve', () => {
  const bent = [
    [0, 0],
    [0.5, 0.7],
    [1, 1],
  ] as const

  test('gets points, which stay between their neighbours, and loses them; two stay', () => {
    expect(addedPoint(STRAIGHT, [0.5, 0.7])).toEqual({ list: bent, index: 1 })
    // Where one is near already it is moved.
    expect(addedPoint(bent, [0.51, 0.2])).toEqual({
      list: [
        [0, 0],
        [0.5, 0.2],
        [1, 1],
      ],
      index: 1,
    })
    expect(movedPoint(bent, 1, [3, -1])[1]).toEqual([0.99, 0])
    expect(movedPoint(bent, 0, [0.2, 0.1])[0]).toEqual([0.2, 0.1])
    expect(withoutPoint(bent, 1)).toEqual(STRAIGHT)
    expect(withoutPoint(STRAIGHT, 0)).toBe(STRAIGHT)
  })

  test('is part of the look of an angle; straight it is none', () => {
    const look = withCurve(withCurve({ exposure: 1 }, 'all', bent), 'red', bent)
    expect(look).toEqual({ exposure: 1, curves: { all: bent, red: bent } })
    expect(withCurve(withCurve(look, 'red', STRAIGHT), 'all', STRAIGHT)).toEqual({ exposure: 1 })
  })
})
