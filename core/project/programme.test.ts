import fc from 'fast-check'
import { flicks } from '../time/index.ts'
import { applyEdits, type Edit, EditError, emptyProject, type Piece, type ProjectDoc } from './index.ts'

const t = (n: number) => flicks(n * 1000)
const apply = (doc: ProjectDoc, ...edits: Edit[]) => applyEdits(doc, edits).doc
const two = () => apply(emptyProject('a'), { type: 'addCut', cutId: 'b', name: 'B', from: null })
const pieces = (doc: ProjectDoc, id = 'a') =>
  (doc.cuts.find((c) => c.id === id)?.pieces ?? []).map((p) =>
    p.kind === 'card'
      ? `card ${p.length / 1000}`
      : `${p.kind === 'version' ? p.cutId : ''}${p.from === null ? '' : p.from / 1000}-${p.to === null ? '' : p.to / 1000}`,
  )
const out = (from: number, to: number): Edit => ({ type: 'leaveOut', cutId: 'a', from: t(from), to: t(to) })
const back = (from: number, to: number): Edit => ({ type: 'bringBack', cutId: 'a', from: t(from), to: t(to) })
const card = (id: string, length = 2): Piece => ({ id, kind: 'card', length: t(length) })
const version = (id: string, cutId: string): Piece => ({ id, kind: 'version', cutId, from: null, to: null })
const add = (cutId: string, piece: Piece, before: string | null = null): Edit => ({ type: 'addPiece', cutId, piece, before })

describe('what a version keeps', () => {
  test('a removed middle leaves what was before and after it', () => {
    expect(pieces(apply(emptyProject('a'), out(10, 20)))).toEqual(['-10', '20-'])
    expect(pieces(apply(emptyProject('a'), out(10, 20), out(30, 40), out(5, 12)))).toEqual(['-5', '20-30', '40-'])
    expect(pieces(apply(emptyProject('a'), out(10, 20), out(5, 40)))).toEqual(['-5', '40-'])
  })

  test('a removed head or tail is a trim', () => {
    expect(pieces(apply(emptyProject('a'), out(-5, 10)))).toEqual(['10-'])
    expect(pieces(apply(emptyProject('a'), { type: 'keep', end: t(50) }, out(40, 60)))).toEqual(['-40'])
    expect(() => apply(emptyProject('a'), { type: 'keep', end: t(50) }, out(-5, 60))).toThrow(/nothing would be left/)
  })

  test('brought back, a middle is what it was, in part or as a whole', () => {
    expect(pieces(apply(emptyProject('a'), out(10, 20), back(12, 15)))).toEqual(['-10', '12-15', '20-'])
    expect(pieces(apply(emptyProject('a'), out(10, 20), back(10, 15)))).toEqual(['-15', '20-'])
    expect(apply(emptyProject('a'), out(10, 20), back(10, 20))).toEqual(emptyProject('a'))
    expect(apply(emptyProject('a'), out(10, 20), out(40, 50), back(0, 90))).toEqual(emptyProject('a'))
    expect(apply(emptyProject('a'), out(-5, 10), back(0, 10))).toEqual(emptyProject('a'))
  })

  test('each instant is kept exactly when the last word about it was so', () => {
    const step = fc.tuple(fc.boolean(), fc.integer({ min: 0, max: 40 }), fc.integer({ min: 1, max: 12 }))
    fc.assert(
      fc.property(fc.array(step, { maxLength: 12 }), (steps) => {
        const kept = Array.from({ length: 60 }, () => true)
        let doc = emptyProject('a')
        for (const [away, from, length] of steps) {
          doc = apply(doc, away ? out(from, from + length) : back(from, from + length))
          for (let i = from; i < from + length; i++) kept[i] = !away
        }
        const list = doc.cuts[0].pieces.flatMap((p) => (p.kind === 'range' ? [p] : []))
        const now = kept.map((_, i) => list.some((p) => t(i) >= (p.from ?? 0) && t(i) < (p.to ?? Number.POSITIVE_INFINITY)))
        expect(now).toEqual(kept)
        // In the master's order, without overlap, and never two where one would do.
        for (let i = 1; i < list.length; i++) expect(list[i].from).toBeGreaterThan(list[i - 1].to as number)
        expect(new Set(list.map((p) => p.id)).size).toBe(list.length)
      }),
    )
  })

  test('every version has its own, and a copy begins with those of the other', () => {
    const doc = apply(two(), out(10, 20), { type: 'addCut', cutId: 'c', name: 'C', from: 'a' }, { type: 'wholeMaster', cutId: 'a' })
    expect(['a', 'b', 'c'].map((id) => pieces(doc, id))).toEqual([['-'], ['-'], ['-10', '20-']])
  })

  test('head and tail are set as ever: of the version at hand, or of one that is named', () => {
    const doc = apply(two(), out(10, 20), { type: 'activeCut', cutId: 'a' }, { type: 'keep', start: t(2), end: t(50) })
    expect(pieces(doc)).toEqual(['2-10', '20-50'])
    expect(pieces(apply(doc, { type: 'keep', start: t(3), cutId: 'b' }), 'b')).toEqual(['3-'])
    expect(() => apply(doc, { type: 'keep', start: t(11) })).toThrow(/end after/)
  })
})

describe('cards and versions in a programme', () => {
  test('stand where they are put, are moved, changed and taken out', () => {
    let doc = apply(two(), add('a', card('title'), 'whole'), add('a', card('end', 5)), add('a', version('inner', 'b'), 'end'))
    expect(pieces(doc)).toEqual(['card 2', '-', 'b-', 'card 5'])
    doc = apply(doc, { type: 'movePiece', cutId: 'a', pieceId: 'inner', before: 'title' }, { type: 'movePiece', cutId: 'a', pieceId: 'title', before: null })
    expect(pieces(doc)).toEqual(['b-', '-', 'card 5', 'card 2'])
    doc = apply(
      doc,
      { type: 'changePiece', cutId: 'a', pieceId: 'end', change: { length: t(7), text: 'Thanks' } },
      { type: 'removePiece', cutId: 'a', pieceId: 'title' },
    )
    expect(doc.cuts[0].pieces.at(-1)).toEqual({ id: 'end', kind: 'card', length: t(7), text: 'Thanks' })
    expect(() => apply(doc, { type: 'changePiece', cutId: 'a', pieceId: 'end', change: { from: t(1) } })).toThrow(EditError)
    expect(() => apply(doc, { type: 'changePiece', cutId: 'a', pieceId: 'whole', change: { text: 'x' } })).toThrow(EditError)
    expect(() => apply(doc, add('a', card('end')))).toThrow(/already/)
    expect(() => apply(doc, { type: 'movePiece', cutId: 'a', pieceId: 'end', before: 'nowhere' })).toThrow(EditError)
  })

  test('a version cannot come to hold itself, not through others either', () => {
    expect(() => apply(two(), add('a', version('x', 'a')))).toThrow(/itself/)
    expect(() => apply(two(), add('a', version('x', 'b')), add('b', version('y', 'a')))).toThrow(/itself/)
    const doc = apply(two(), { type: 'addCut', cutId: 'c', name: 'C', from: null }, add('a', version('x', 'b')), add('b', version('y', 'c')))
    expect(() => apply(doc, add('c', version('z', 'a')))).toThrow(/itself/)
    expect(pieces(apply(doc, add('a', version('z', 'c'))))).toEqual(['-', 'b-', 'c-'])
  })

  test('a version that is set into another stays until it is taken out there', () => {
    const doc = apply(two(), add('a', version('x', 'b')))
    expect(() => apply(doc, { type: 'removeCut', cutId: 'b' })).toThrow(/set into Cut A/)
    const freed = apply(doc, { type: 'removePiece', cutId: 'a', pieceId: 'x' }, { type: 'removeCut', cutId: 'b' })
    expect(freed.cuts.map((c) => c.id)).toEqual(['a'])
  })
})
