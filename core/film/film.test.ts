import fc from 'fast-check'
import { applyEdits, type Edit, emptyProject, type FileFacts, type Piece, type Placement, type ProjectDoc, standInOrder } from '../project/index.ts'
import { type Flicks, flicks, frameStart, programmeLength, type Rate } from '../time/index.ts'
import { filmOf, filmRuns, filmWarnings, rhythmOf, shareAt } from './index.ts'

const T = 705_600_000
const at = (seconds: number) => flicks(Math.round(seconds * T))
const facts = (durationSeconds: number, picture = true): FileFacts => ({
  durationSeconds,
  container: 'mov',
  video: picture
    ? {
        codec: 'h264',
        width: 640,
        height: 360,
        rate: { num: 25, den: 1 },
        variableRate: false,
        startSeconds: 0,
        frames: durationSeconds * 25,
        pixelAspect: '1:1',
      }
    : null,
  audio: { codec: 'aac', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
})
const files: Record<string, FileFacts> = { fm: facts(100, false), fa: facts(100), fb: facts(40) }
const factsOf = (id: string) => files[id]
const place = (start: number): Placement => ({ start: at(start), rate: 1, method: 'sound', verdict: 'sure', confidence: 1, why: [], locked: false })
const apply = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc

/** A master of 100 s; angle a sees all of it, b the seconds 30 to 70. Cut: a, from 40 on b, from 60 on a. */
const show = (...edits: Edit[]) =>
  apply(
    emptyProject('cut'),
    {
      type: 'addClips',
      angles: ['a', 'b'].map((id, hue) => ({ id, name: id.toUpperCase(), hue, framing: 'fit' as const })),
      clips: [
        { id: 'm', fileId: 'fm', angleId: null, state: 'in' },
        { id: 'a1', fileId: 'fa', angleId: 'a', state: 'in' },
        { id: 'b1', fileId: 'fb', angleId: 'b', state: 'in' },
      ],
    },
    { type: 'setMaster', clipId: 'm' },
    { type: 'place', by: 'search', placements: { a1: place(0), b1: place(30) }, loose: {} },
    { type: 'choose', cutId: 'cut', time: at(0), choice: { angleId: 'a' } },
    { type: 'choose', cutId: 'cut', time: at(40), choice: { angleId: 'b' } },
    { type: 'choose', cutId: 'cut', time: at(60), choice: { angleId: 'a' } },
    ...edits,
  )
const add = (piece: Piece, before: string | null = null, cutId = 'cut'): Edit => ({ type: 'addPiece', cutId, piece, before })
const out = (from: number, to: number): Edit => ({ type: 'leaveOut', cutId: 'cut', from: at(from), to: at(to) })
const plan = (doc: ProjectDoc) =>
  filmOf(doc, factsOf)
    .plan()
    .map((s) => `${s.at / T}+${s.length / T} ${s.from === null ? 'card' : s.from / T} ${s.clipId ?? '-'}`)

describe('a film', () => {
  test('of a project that knows nothing of pieces is the whole master', () => {
    expect(plan(show())).toEqual(['0+40 0 a1', '40+20 40 b1', '60+40 60 a1'])
  })

  test('with a removed middle goes on behind it at once, with the picture that is chosen there', () => {
    expect(plan(show(out(35, 50)))).toEqual(['0+35 0 a1', '35+10 50 b1', '45+40 60 a1'])
  })

  test('with a card in front and another version set in shows what the other shows', () => {
    const doc = show(
      { type: 'addCut', cutId: 'other', name: 'Other', from: null },
      { type: 'choose', cutId: 'other', time: at(0), choice: { angleId: 'b' } },
      { type: 'keep', cutId: 'other', start: at(30), end: at(34) },
      { type: 'activeCut', cutId: 'cut' },
      { type: 'keep', start: at(80) },
      add({ id: 'title', kind: 'card', length: at(3) }, 'whole'),
      add({ id: 'in', kind: 'version', cutId: 'other', from: at(1), to: null }, 'whole'),
    )
    expect(plan(doc)).toEqual(['0+3 card -', '3+3 31 b1', '6+20 80 a1'])
    // When the other changes, so does what is set in.
    const shorter = apply(doc, { type: 'keep', cutId: 'other', end: at(33) }, { type: 'choose', cutId: 'other', time: at(32), choice: { angleId: 'a' } })
    expect(plan(shorter)).toEqual(['0+3 card -', '3+1 31 b1', '4+1 32 a1', '5+20 80 a1'])
    expect(plan(apply(doc, { type: 'changePiece', cutId: 'cut', pieceId: 'in', change: { from: null, to: at(2) } }))[1]).toBe('3+2 30 b1')
  })

  test('knows of an angle the take that a version chose there, and where none is, the one that the angle shows', () => {
    const doc = show(
      { type: 'addClips', angles: [], clips: [{ id: 'a2', fileId: 'fa', angleId: 'a', state: 'in' }] },
      { type: 'place', by: 'hand', placements: { a2: place(10) }, loose: {} },
      { type: 'choose', cutId: 'cut', time: at(20), choice: { angleId: 'a', clipId: 'a1' } },
      { type: 'choose', cutId: 'cut', time: at(25), choice: { angleId: 'a', clipId: 'a2' } },
    )
    const film = filmOf(doc, factsOf)
    const seen = (seconds: number, angleId = 'a') => film.takeIn('cut', angleId, at(seconds))?.clipId ?? null
    const [newest] = film.takesAt('a', at(50))
    // Before the second take began there is but the first; where another angle is chosen, what the angle shows is meant.
    expect([seen(5), seen(22), seen(27), seen(50), seen(50, 'b'), seen(75, 'b')]).toEqual(['a1', 'a1', 'a2', newest, 'b1', null])
  })

  test('limited to a part shows what the film shows of it', () => {
    const film = filmOf(show(out(35, 50)), factsOf, { part: { from: at(30), to: at(55) } })
    expect(film.plan().map((s) => [(s.from ?? 0) / T, s.length / T])).toEqual([
      [30, 5],
      [50, 5],
    ])
  })

  test('shows at each instant what its plan shows there, whatever its pieces', () => {
    const piece = fc.oneof(
      fc
        .tuple(fc.integer({ min: 0, max: 99 }), fc.integer({ min: 1, max: 30 }))
        .map(([from, length]) => ({ kind: 'range' as const, from: at(from), to: at(from + length) })),
      fc.integer({ min: 1, max: 9 }).map((length) => ({ kind: 'card' as const, length: at(length) })),
      fc.constant({ kind: 'version' as const, cutId: 'other', from: null, to: null }),
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 5 }), fc.double({ min: 0, max: 1, noNaN: true }), (list, share) => {
        const doc = show(
          { type: 'addCut', cutId: 'other', name: 'Other', from: 'cut' },
          { type: 'choose', cutId: 'other', time: at(33), choice: { angleId: 'b' } },
          { type: 'leaveOut', cutId: 'other', from: at(10), to: at(90) },
          { type: 'activeCut', cutId: 'cut' },
          ...list.map((p, n) => add({ id: `p${n}`, ...p })),
        )
        const film = filmOf(doc, factsOf)
        const stretches = film.plan()
        expect(stretches.reduce((sum, s) => sum + s.length, 0)).toBe(film.length)
        for (let i = 1; i < stretches.length; i++) expect(stretches[i].at).toBe(stretches[i - 1].at + stretches[i - 1].length)
        const time = flicks(Math.floor(share * (film.length - 1)))
        const there = stretches.find((s) => time >= s.at && time < s.at + s.length)
        const seen = film.seenAt(time)
        expect(seen && [seen.clipId, seen.angleId, seen.standIn, seen.run.pieceId]).toEqual(
          there && [there.clipId, there.angleId, there.standIn, there.run.pieceId],
        )
        expect(seen?.master ?? null).toBe(there && there.from !== null ? there.from + (time - there.at) : null)
      }),
      { numRuns: 200 },
    )
  })

  test('begins and lasts whole frames in every run, on the master too, at every rate', () => {
    const rates: Rate[] = [
      { num: 24000, den: 1001 },
      { num: 25, den: 1 },
      { num: 30000, den: 1001 },
      { num: 60, den: 1 },
    ]
    fc.assert(
      fc.property(fc.constantFrom(...rates), fc.integer({ min: 0, max: 30 * T }), fc.integer({ min: 1, max: 40 * T }), (rate, from, length) => {
        const doc = show(
          { type: 'settings', change: { rate: `${rate.num}/${rate.den}` } },
          { type: 'leaveOut', cutId: 'cut', from: flicks(from), to: flicks(from + length) },
        )
        const bounds = { master: { start: flicks(0), end: at(100) }, event: { start: flicks(0), end: at(100) } }
        const runs = filmRuns(doc, doc.cuts[0], bounds)
        const frame = frameStart(1, rate)
        for (const run of runs) for (const time of [run.at, run.length, run.from as number]) expect(time % frame).toBe(0)
        expect(programmeLength(runs)).toBeLessThanOrEqual(at(100))
      }),
    )
  })

  test('one picture gives way to the next around the cut, and no further than to the middle of its stretch', () => {
    const dissolve = (length: number) =>
      filmOf(show({ type: 'transition', cutId: 'cut', time: at(40), transition: { kind: 'dissolve', length: at(length) } }), factsOf)
    const film = dissolve(2)
    const seen = (seconds: number) => {
      const now = film.seenAt(at(seconds))
      return now && [now.clipId, now.with?.shown.clipId ?? null, now.with?.share ?? 0]
    }
    expect(seen(38.9)).toEqual(['a1', null, 0])
    expect(seen(39.5)).toEqual(['a1', 'b1', 0.25])
    expect(seen(40)).toEqual(['b1', 'a1', 0.5])
    expect(seen(40.5)).toEqual(['b1', 'a1', 0.25])
    expect(seen(41)).toEqual(['b1', null, 0])
    // The stretch behind the cut lasts 20 s, so the dissolve reaches 10 s into it, not 50.
    expect(dissolve(100).seenAt(at(51))?.with).toBeNull()
    expect(dissolve(100).seenAt(at(49))?.with?.shown.clipId).toBe('a1')
  })

  test('the stretches of a transition are those of every instant, and nothing gives way where a picture is missing', () => {
    const kinds = fc.constantFrom('dissolve' as const, 'dip' as const)
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 400 }), fc.constantFrom(40, 60), kinds, fc.boolean(), (length, cut, kind, middle) => {
        const film = filmOf(
          show({ type: 'transition', cutId: 'cut', time: at(cut), transition: { kind, length: at(length / 10) } }, ...(middle ? [out(20, 39.5)] : [])),
          factsOf,
        )
        const givings = film.givings()
        for (let n = 0; n < 400; n++) {
          const time = at(n / 4)
          const seen = film.seenAt(time)
          const giving = givings.find((g) => g.at <= time && time < g.at + g.length)
          // At the very beginning of a transition its share is nothing yet.
          if (seen?.with) expect([giving?.clipId, giving?.passage.kind]).toEqual([seen.with.shown.clipId, kind])
          else if (giving && seen) expect(shareAt(giving.passage, seen.master as Flicks)).toBeLessThan(1e-6)
        }
      }),
      { numRuns: 30 },
    )
    // b has a picture from 30 to 70 s: a dissolve at 32 s cannot begin before it.
    const late = filmOf(
      show(
        { type: 'choose', cutId: 'cut', time: at(32), choice: { angleId: 'b' } },
        { type: 'transition', cutId: 'cut', time: at(32), transition: { kind: 'dissolve', length: at(8) } },
      ),
      factsOf,
    )
    expect([late.seenAt(at(29.9))?.with ?? null, late.seenAt(at(30.5))?.with?.shown.clipId, late.seenAt(at(34.1))?.with ?? null]).toEqual([null, 'b1', null])
  })

  test('says where a transition had to be shorter', () => {
    const dissolve = (seconds: number, length: number): Edit => ({
      type: 'transition',
      cutId: 'cut',
      time: at(seconds),
      transition: { kind: 'dissolve', length: at(length) },
    })
    const doc = show({ type: 'choose', cutId: 'cut', time: at(30.4), choice: { angleId: 'b' } }, dissolve(30.4, 2), dissolve(60, 1))
    const found = filmWarnings(filmOf(doc, factsOf), doc, { num: 25, den: 1 })
    expect(found.filter((w) => w.kind === 'hurried')).toEqual([
      { kind: 'hurried', at: at(30.4), wanted: 50, frames: 20, key: `hurried:${at(30.4)}`, accepted: false },
    ])
  })

  test('comes out of black and goes into it', () => {
    const film = filmOf(show({ type: 'endFades', cutId: 'cut', fadeIn: at(2), fadeOut: at(4) }), factsOf)
    expect([0, 1, 2, 50, 98, 100].map((s) => film.darkAt(at(s)))).toEqual([1, 0.5, 0, 0, 0.5, 1])
    expect(filmOf(show(), factsOf).darkAt(at(0))).toBe(0)
    const other = show({ type: 'endFades', cutId: 'cut', fadeIn: at(2) }, { type: 'addCut', cutId: 'next', name: 'Next', from: 'cut' })
    expect(other.cuts[1].fadeIn).toBe(at(2))
    expect(apply(other, { type: 'endFades', cutId: 'next', fadeIn: at(0) }).cuts[1]).not.toHaveProperty('fadeIn')
  })

  test('has its layers where they are, from the lowest up', () => {
    const layer = (id: string, height: number, from: number, to: number) => ({
      id,
      kind: 'title' as const,
      text: id,
      height,
      from: at(from),
      to: at(to),
      place: { x: 0, y: 0, width: 1, height: 1 },
    })
    const film = filmOf(show({ type: 'layers', cutId: 'cut', layers: [layer('over', 2, 5, 9), layer('under', 1, 0, 8)] }, out(2, 4)), factsOf)
    // Two seconds were left out before: film second 4 is master second 6.
    expect(film.seenAt(at(4))?.layers.map((l) => l.id)).toEqual(['under', 'over'])
    expect(film.seenAt(at(6.5))?.layers.map((l) => l.id)).toEqual(['over'])
    expect(film.seenAt(at(7.5))?.layers).toEqual([])
  })

  test('warns of what somebody should know', () => {
    const doc = show(
      { type: 'choose', cutId: 'cut', time: at(75), choice: { angleId: 'b' } },
      { type: 'choose', cutId: 'cut', time: at(75.1), choice: { angleId: 'a' } },
      {
        type: 'place',
        by: 'search',
        placements: { a1: { ...place(0), verdict: 'check' } },
        loose: {},
      },
    )
    const rate = { num: 25, den: 1 }
    const kinds = (d: ProjectDoc) => filmWarnings(filmOf(d, factsOf), d, rate).map((w) => [w.kind, w.at / T])
    expect(kinds(doc)).toEqual([
      ['dark', 75],
      ['doubtful', 0],
    ])
    // What is left out of the film needs no warning, but the jump over it does.
    expect(kinds(apply(doc, out(74, 76)))).toEqual([
      ['alike', 76],
      ['doubtful', 0],
    ])
    expect(kinds(apply(doc, { type: 'join', cutId: 'cut', times: [at(0)] }))[0]).toEqual(['unchosen', 0])
    expect(
      kinds(apply(show(), { type: 'choose', cutId: 'cut', time: at(99.9), choice: { angleId: 'b' } }, { type: 'settings', change: { standIn: 'black' } })),
    ).toEqual([['dark', 99.9]])
  })

  test('points at cuts beside their beat, cuts without a change, jumps, changed sides and short stretches, and lets accepted ones stand', () => {
    const rate = { num: 25, den: 1 }
    const beats = Array.from({ length: 240 }, (_, i) => at(i / 2))
    const doc = show(
      { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats: [0] } },
      { type: 'choose', cutId: 'cut', time: at(50.12), choice: { angleId: 'a' } },
      { type: 'split', cutId: 'cut', time: at(55) },
      { type: 'sideAngle', angleId: 'a', side: 'left' },
      { type: 'sideAngle', angleId: 'b', side: 'right' },
    )
    const found = (d: ProjectDoc) => filmWarnings(filmOf(d, factsOf), d, rate)
    const kinds = (d: ProjectDoc) => found(d).map((w) => `${w.kind} ${w.at / T}${w.accepted ? ' stands' : ''}`)
    expect(kinds(doc)).toEqual(['sides 40', 'sides 50.12', 'off-beat 50.12', 'alike 55'])
    expect(found(doc)[2]).toMatchObject({ frames: 3 })
    // The lead is no fault, and a cut in the middle between two beats was meant for none.
    const led = apply(doc, { type: 'settings', change: { lead: -3 } })
    expect(kinds(led)).toContain('off-beat 40')
    expect(kinds(led)).not.toContain('off-beat 50.12')
    expect(kinds(apply(doc, { type: 'roll', cutId: 'cut', times: [at(50.12)], by: at(0.12) }))).not.toContain('off-beat 50.24')
    expect(kinds(apply(doc, { type: 'acceptWarning', cutId: 'cut', key: found(doc)[3].key, accepted: true }))).toContain('alike 55 stands')
    expect(kinds(apply(doc, { type: 'settings', change: { shortest: 260 } }))).toEqual(expect.arrayContaining(['short 40', 'short 50.12']))
    expect(found(apply(doc, out(5, 6))).find((w) => w.kind === 'alike')).toMatchObject({ jumps: true, angleId: 'a' })
  })

  test('the safe angle stands in first', () => {
    const dark = show({ type: 'choose', cutId: 'cut', time: at(0), choice: { angleId: 'b' } })
    const [first] = filmOf(dark, factsOf)
      .plan()
      .filter((s) => s.standIn)
    expect(first).toBeDefined()
    const order = dark.angles.map((a) => a.id)
    const safe = apply(dark, { type: 'settings', change: { safeAngle: order.at(-1) as string } })
    expect(standInOrder(safe)).toEqual([order.at(-1), ...order.slice(0, -1)])
    expect(standInOrder(apply(dark, { type: 'settings', change: { safeAngle: 'gone' } }))).toEqual(order)
  })
})

describe('the rhythm of a film', () => {
  const beats = Array.from({ length: 240 }, (_, i) => at(i / 2))
  const doc = show(
    { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats: beats.flatMap((_, i) => (i % 4 === 0 ? [i] : [])) } },
    { type: 'choose', cutId: 'cut', time: at(44.5), choice: { angleId: 'a' } },
    { type: 'split', cutId: 'cut', time: at(46) },
    { type: 'choose', cutId: 'cut', time: at(52.24), choice: { angleId: 'b' } },
    { type: 'choose', cutId: 'cut', time: at(60), choice: { angleId: 'a' } },
  )
  const rhythm = rhythmOf(filmOf(apply(doc, out(62, 100)), factsOf).plan(), doc)

  test('tells what cuts fall on, and how far from the beat they are', () => {
    expect(rhythm.stretches.map((s) => [s.from / T, s.length / T, s.angleId, s.on])).toEqual([
      [0, 40, 'a', 'bar'],
      [40, 4.5, 'b', 'bar'],
      [44.5, 7.74, 'a', 'beat'],
      [52.24, 7.76, 'b', 'none'],
      [60, 2, 'a', 'bar'],
    ])
    expect(rhythm.counts).toEqual({ bar: 2, phrase: 0, beat: 1, hit: 0, none: 1 })
    expect(rhythm.stretches[3].off).toBe(6)
    expect(rhythm.medianOff).toBe(0)
  })

  test('shares add up, and the longest stretch is named', () => {
    expect(rhythm.shares.reduce((sum, s) => sum + s.share, 0)).toBeCloseTo(1)
    expect(rhythm.shares.map((s) => s.angleId)).toEqual(['a', 'b'])
    expect(rhythm.shares[0].seen / T).toBeCloseTo(49.74)
    expect(rhythm.longest?.from).toBe(at(0))
    expect((rhythm.medianLength ?? 0) / T).toBeCloseTo(7.74)
  })

  test('an empty film has no rhythm', () => {
    expect(rhythmOf([], doc)).toMatchObject({ stretches: [], medianOff: null, medianLength: null, longest: null })
  })
})
