import fc from 'fast-check'
import type { Why } from '../lineup/index.ts'
import { flicks, ZERO } from '../time/index.ts'
import {
  type Angle,
  anglesInUse,
  applyEdits,
  applyKeptPatches,
  type Edit,
  EditError,
  emptyProject,
  nextHue,
  type Placement,
  type ProjectDoc,
  stripOf,
} from './index.ts'

const LOST: Why = [{ code: 'nothing-alike' }]

const angle = (id: string, hue = 0): Angle => ({ id, name: id.toUpperCase(), hue, framing: 'fit' })
const placement = (start: number, over: Partial<Placement> = {}): Placement => ({
  start: flicks(start),
  rate: 1,
  method: 'sound',
  verdict: 'sure',
  confidence: 1,
  why: [{ code: 'windows', agreeing: 5, windows: 5, ratio: 0.2 }],
  locked: false,
  ...over,
})

function project(): ProjectDoc {
  return applyEdits(emptyProject('cut'), [
    {
      type: 'addClips',
      angles: [angle('a'), angle('b', 1)],
      clips: [
        { id: 'master', fileId: 'f0', angleId: null, state: 'in' },
        { id: 'a1', fileId: 'f1', angleId: 'a', state: 'in' },
        { id: 'b1', fileId: 'f2', angleId: 'b', state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'master' },
    { type: 'place', by: 'search', placements: { a1: placement(1000), b1: placement(2000) }, loose: {} },
  ]).doc
}
const apply = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc

const anyEdit: fc.Arbitrary<Edit> = fc.oneof(
  fc.record({
    type: fc.constant('choose' as const),
    cutId: fc.constant('cut'),
    time: fc.nat(1e6).map(flicks),
    choice: fc.record({ angleId: fc.constantFrom('a', 'b') }),
  }),
  fc.record({
    type: fc.constant('nudge' as const),
    clipIds: fc.constantFrom<string[]>(['a1'], ['a1', 'b1']),
    by: fc.integer({ min: -500, max: 500 }).map(flicks),
  }),
  fc.record({ type: fc.constant('orderAngles' as const), angleIds: fc.constantFrom<string[]>(['a', 'b'], ['b', 'a']) }),
  fc.record({ type: fc.constant('renameAngle' as const), angleId: fc.constantFrom('a', 'b'), name: fc.constantFrom('Gantry', 'Roof') }),
  fc.record({ type: fc.constant('park' as const), clipIds: fc.constant<string[]>(['b1']), parked: fc.constant(false) }),
  fc.record({ type: fc.constant('strip' as const), clipId: fc.constantFrom('a1', 'master'), change: fc.record({ gainDb: fc.integer({ min: -20, max: 6 }) }) }),
)

describe('edits', () => {
  test('any run of edits can be undone to exactly what was, and redone', () => {
    fc.assert(
      fc.property(fc.array(anyEdit, { maxLength: 12 }), (edits) => {
        const start = project()
        const states = [start]
        const log = edits.map((edit) => {
          const result = applyEdits(states[states.length - 1], [edit])
          states.push(result.doc)
          return result
        })
        let doc = states[states.length - 1]
        for (let i = log.length - 1; i >= 0; i--) {
          doc = applyKeptPatches(doc, JSON.parse(JSON.stringify(log[i].backward)))
          expect(doc).toEqual(states[i])
        }
        for (const [i, { forward }] of log.entries()) {
          doc = applyKeptPatches(doc, JSON.parse(JSON.stringify(forward)))
          expect(doc).toEqual(states[i + 1])
        }
      }),
    )
  })

  test('a list of edits holds as a whole or not at all', () => {
    const doc = project()
    const before = JSON.stringify(doc)
    expect(() =>
      apply(doc, { type: 'renameAngle', angleId: 'a', name: 'New' }, { type: 'choose', cutId: 'cut', time: ZERO, choice: { angleId: 'nobody' } }),
    ).toThrow(EditError)
    expect(JSON.stringify(doc)).toBe(before)
  })

  test('a search that runs again leaves locked and hand-placed clips where they are', () => {
    const doc = apply(project(), { type: 'lock', clipIds: ['a1'], locked: true }, { type: 'nudge', clipIds: ['b1'], by: flicks(7) })
    const after = apply(doc, { type: 'place', by: 'search', placements: { a1: placement(9), b1: placement(9) }, loose: {} })
    expect(after.placements.a1.start).toBe(1000)
    expect(after.placements.b1).toMatchObject({ start: 2007, method: 'hand' })
    const lost = apply(doc, { type: 'place', by: 'search', placements: {}, loose: { a1: LOST, b1: LOST } })
    expect(Object.keys(lost.placements).sort()).toEqual(['a1', 'b1', 'master'])
  })

  test('the master has no other place, even when it is unlocked: a search leaves it, a hand is told so', () => {
    const doc = apply(project(), { type: 'lock', clipIds: ['master'], locked: false })
    const search = (edit: Pick<Extract<Edit, { type: 'place' }>, 'placements' | 'loose'>) => apply(doc, { type: 'place', by: 'search', ...edit })
    expect(search({ placements: {}, loose: { master: LOST } }).placements.master).toMatchObject({ start: 0, method: 'master' })
    expect(search({ placements: { master: placement(5) }, loose: {} }).placements.master.start).toBe(0)
    expect(() => apply(doc, { type: 'place', by: 'hand', placements: { master: placement(5) }, loose: {} })).toThrow(/choose another master/)
  })

  test('a locked clip does not move and cannot be parked', () => {
    const doc = apply(project(), { type: 'lock', clipIds: ['a1'], locked: true })
    expect(() => apply(doc, { type: 'nudge', clipIds: ['a1'], by: flicks(1) })).toThrow(/unlock/)
    expect(() => apply(doc, { type: 'park', clipIds: ['a1'], parked: true })).toThrow(/unlock/)
    expect(() => apply(doc, { type: 'place', by: 'hand', placements: { a1: placement(0) }, loose: {} })).toThrow(/unlock/)
  })

  test('a clip that could not be placed waits with its reason, and loses it when placed', () => {
    const waiting = apply(project(), { type: 'place', by: 'search', placements: {}, loose: { a1: LOST } })
    expect(waiting.placements.a1).toBeUndefined()
    expect(waiting.loose.a1).toEqual(LOST)
    expect(apply(waiting, { type: 'place', by: 'hand', placements: { a1: placement(5, { method: 'hand' }) }, loose: {} }).loose.a1).toBeUndefined()
  })

  test('moving the last file of an angle away leaves no empty angle and no choice of it', () => {
    const cut = apply(
      project(),
      { type: 'choose', cutId: 'cut', time: ZERO, choice: { angleId: 'a' } },
      { type: 'choose', cutId: 'cut', time: flicks(500), choice: { angleId: 'b' } },
    )
    const after = apply(cut, { type: 'moveClips', clipIds: ['a1'], angle: { id: 'b' } })
    expect(after.angles.map((a) => a.id)).toEqual(['b'])
    expect(after.cuts[0].points.map((p) => p.angleId)).toEqual(['b'])
  })

  test('another master that has a place takes all others along', () => {
    const after = apply(project(), { type: 'setMaster', clipId: 'a1' })
    expect(after.placements.a1).toMatchObject({ start: 0, method: 'master', locked: true })
    expect(after.placements.b1.start).toBe(1000)
    expect(after.placements.master.start).toBe(-1000)
    expect(stripOf(after, 'a1').on).toBe(true)
    expect(stripOf(after, 'master').on).toBe(false)
  })

  test('the master can be neither set aside nor parked', () => {
    expect(() => apply(project(), { type: 'setAside', clipIds: ['master'], aside: true })).toThrow(EditError)
    expect(() => apply(project(), { type: 'park', clipIds: ['master'], parked: true })).toThrow(EditError)
  })

  test('versions of the cut stand side by side; the last one stays', () => {
    const doc = apply(
      project(),
      { type: 'choose', cutId: 'cut', time: ZERO, choice: { angleId: 'a' } },
      { type: 'addCut', cutId: 'two', name: 'Cut B', from: 'cut' },
    )
    const changed = apply(doc, { type: 'choose', cutId: 'two', time: ZERO, choice: { angleId: 'b' } })
    expect(changed.cuts.map((c) => c.points[0].angleId)).toEqual(['a', 'b'])
    const one = apply(changed, { type: 'removeCut', cutId: 'two' })
    expect(one.activeCutId).toBe('cut')
    expect(() => apply(one, { type: 'removeCut', cutId: 'cut' })).toThrow(/stays/)
  })

  test('marks stay in order of time', () => {
    const doc = apply(
      project(),
      {
        type: 'addMarks',
        marks: [
          { id: 'x', time: flicks(50), kind: 'cue', name: 'x', hue: 0 },
          { id: 'y', time: flicks(10), kind: 'cue', name: 'y', hue: 0 },
        ],
      },
      { type: 'changeMark', markId: 'y', change: { time: flicks(90) } },
    )
    expect(doc.marks.map((m) => m.id)).toEqual(['x', 'y'])
    expect(apply(doc, { type: 'removeMarks', markIds: ['x'] }).marks.map((m) => m.id)).toEqual(['y'])
  })

  test('a film cannot end before it begins', () => {
    const doc = apply(project(), { type: 'keep', start: flicks(100) })
    expect(() => apply(doc, { type: 'keep', end: flicks(50) })).toThrow(/end after/)
  })

  test('new angles take the hue least used', () => {
    expect(nextHue([])).toBe(0)
    expect(nextHue([angle('a', 0), angle('b', 1)])).toBe(2)
    expect(nextHue(Array.from({ length: 12 }, (_, i) => angle(`${i}`, i)))).toBe(0)
  })
})

describe('placing by what the user set', () => {
  const points = (doc: ProjectDoc, clip: number, master: number, point: 'mark' | 'in' | 'out' = 'mark') =>
    apply(doc, { type: 'clipPoint', clipId: 'a1', point, time: flicks(clip) }, { type: 'clipPoint', clipId: 'master', point, time: flicks(master) })

  test.each(['mark', 'in', 'out'] as const)('the %s of a clip is put on that of the master', (point) => {
    const doc = apply(points(project(), 300, 5000, point), { type: 'placeByPoint', clipIds: ['a1'], point })
    expect(doc.placements.a1).toMatchObject({ start: 4700, verdict: 'sure', method: point === 'mark' ? 'mark' : 'points' })
  })

  test('an off-speed clip keeps its speed', () => {
    const fast = apply(project(), { type: 'place', by: 'search', placements: { a1: placement(0, { rate: 1.5 }) }, loose: {} })
    const doc = apply(points(fast, 300, 5000), { type: 'placeByPoint', clipIds: ['a1'], point: 'mark' })
    expect(doc.placements.a1).toMatchObject({ start: 5000 - 450, rate: 1.5 })
  })

  test('missing points and locked clips are refused in words, and nothing changes', () => {
    const doc = project()
    expect(() => apply(doc, { type: 'placeByPoint', clipIds: ['a1'], point: 'in' })).toThrow(/master has no in point/)
    const half = apply(doc, { type: 'clipPoint', clipId: 'master', point: 'in', time: flicks(5) })
    expect(() => apply(half, { type: 'placeByPoint', clipIds: ['a1'], point: 'in' })).toThrow(/clip has no in point/)
    const locked = apply(points(doc, 1, 2), { type: 'lock', clipIds: ['a1'], locked: true })
    expect(() => apply(locked, { type: 'placeByPoint', clipIds: ['a1'], point: 'mark' })).toThrow(/locked/)
  })

  test('a point can be taken away again', () => {
    const doc = apply(points(project(), 1, 2), { type: 'clipPoint', clipId: 'a1', point: 'mark', time: null })
    expect(doc.clips.a1.points).toEqual({})
  })

  test('a search of all leaves what the user placed; one that was asked for moves it', () => {
    const placed = apply(points(project(), 300, 5000), { type: 'placeByPoint', clipIds: ['a1'], point: 'mark' })
    const found = { a1: placement(999) }
    expect(apply(placed, { type: 'place', by: 'search', placements: found, loose: {} }).placements.a1.start).toBe(4700)
    expect(apply(placed, { type: 'place', by: 'search', placements: {}, loose: { a1: LOST } }).placements.a1.start).toBe(4700)
    expect(apply(placed, { type: 'place', by: 'asked', placements: found, loose: {} }).placements.a1.start).toBe(999)
  })
})

describe('the colour of an angle', () => {
  test('is one of twelve', () => {
    expect(apply(project(), { type: 'colourAngle', angleId: 'b', hue: 11 }).angles[1].hue).toBe(11)
    for (const hue of [-1, 12, 1.5]) expect(() => apply(project(), { type: 'colourAngle', angleId: 'b', hue })).toThrow(/12 colours/)
  })
})

describe('angles in use', () => {
  test('are all but those whose clips are all aside; the tile and the key come back with a clip', () => {
    const names = (doc: ProjectDoc) => anglesInUse(doc).map((a) => a.id)
    const all = project()
    const own = Object.values(all.clips)
      .filter((c) => c.angleId === 'a')
      .map((c) => c.id)
    const without = apply(all, { type: 'setAside', clipIds: own, aside: true })
    expect(names(all)).toContain('a')
    expect(names(without)).toEqual(names(all).filter((id) => id !== 'a'))
    expect(anglesInUse(without)).toBe(anglesInUse(without))
    expect(names(apply(without, { type: 'setAside', clipIds: own.slice(0, 1), aside: false }))).toEqual(names(all))
    // An angle that has no clip yet is one that somebody has just made.
    expect(names({ ...all, clips: {} })).toEqual(all.angles.map((a) => a.id))
  })
})

describe('sound from afar', () => {
  const metre = Math.round(705_600_000 / 343.2)
  const far = (metres: number): Edit => ({ type: 'angleDistance', angleId: 'a', metres })

  test('the picture follows the light: what was found by sound moves later by the way of the sound, and back', () => {
    const doc = apply(project(), far(34.32))
    expect(doc.placements.a1.start).toBe(1000 + 70_560_000)
    expect(doc.placements.b1.start).toBe(2000)
    expect(Math.abs(apply(doc, far(1)).placements.a1.start - 1000 - metre)).toBeLessThanOrEqual(1)
    expect(apply(doc, far(0)).placements.a1.start).toBe(1000)
    expect(apply(doc, far(0)).angles[0]).not.toHaveProperty('distance')
  })

  test('a new search is corrected alike; what the user or the light placed, or locked, is not', () => {
    const doc = apply(project(), far(34.32))
    const search = (over: Partial<Placement>) =>
      apply(doc, { type: 'place', by: 'search', placements: { a1: placement(5000, over) }, loose: {} }).placements.a1.start
    expect(search({})).toBe(5000 + 70_560_000)
    expect(search({ method: 'through' })).toBe(5000 + 70_560_000)
    expect(search({ method: 'light' })).toBe(5000)
    const locked = apply(project(), { type: 'lock', clipIds: ['a1'], locked: true }, far(10))
    expect(locked.placements.a1.start).toBe(1000)
  })
})

describe('channels of a clip', () => {
  const after = (...changes: Extract<Edit, { type: 'channel' }>['change'][]) =>
    applyEdits(
      project(),
      changes.map((change): Edit => ({ type: 'channel', clipId: 'master', channel: '0.1', change })),
    ).doc.clips.master.channels

  test('keep what was said of them, and only that', () => {
    expect(after({ name: 'Kick' }, { on: false }, { layout: 'left', turned: true })).toEqual({
      '0.1': { name: 'Kick', on: false, layout: 'left', turned: true },
    })
  })

  test('what is taken back is as it was found again', () => {
    expect(after({ name: 'Kick', layout: 'left', turned: true, delay: flicks(5) }, { layout: null, turned: false, delay: null })).toEqual({
      '0.1': { name: 'Kick' },
    })
    expect(after({ name: 'Kick', on: false }, { name: '', on: null })).toBeUndefined()
  })
})
