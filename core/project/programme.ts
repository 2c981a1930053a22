import { type Flicks, flicks, ZERO } from '../time/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { cutOf, EditError } from './lookup.ts'
import { type Cut, type Piece, type ProjectDoc, wholeMaster } from './types.ts'

export type PieceChange = { from?: Flicks | null; to?: Flicks | null; length?: Flicks; text?: string | null; fade?: Flicks | null }

export type ProgrammeEdit =
  /** Where the version's first range begins and its last one ends; without a version, those of the one at hand. */
  | { type: 'keep'; start?: Flicks | null; end?: Flicks | null; cutId?: string }
  | { type: 'leaveOut'; cutId: string; from: Flicks; to: Flicks }
  | { type: 'bringBack'; cutId: string; from: Flicks; to: Flicks }
  /** Nothing of the master is left out any more; other pieces stay. */
  | { type: 'wholeMaster'; cutId: string }
  | { type: 'addPiece'; cutId: string; piece: Piece; before: string | null }
  | { type: 'changePiece'; cutId: string; pieceId: string; change: PieceChange }
  | { type: 'movePiece'; cutId: string; pieceId: string; before: string | null }
  | { type: 'removePiece'; cutId: string; pieceId: string }

type RangePiece = Extract<Piece, { kind: 'range' }>

export const programmeReducers: Reducers<ProgrammeEdit> = {
  keep: drafted((doc, { start, end, cutId }) => {
    const { pieces } = cutOf(doc, cutId ?? doc.activeCutId)
    const ranges = pieces.filter((p) => p.kind === 'range')
    const [first, last] = [ranges.at(0), ranges.at(-1)]
    if (!first || !last) throw new EditError('this version keeps no range of the master; bring one back first')
    if (start !== undefined) first.from = start
    if (end !== undefined) last.to = end
    for (const range of ranges) lasting(range)
  }),
  leaveOut: drafted((doc, { cutId, from, to }) => {
    const cut = cutOf(doc, cutId)
    if (to <= from) throw new EditError('a range must end after it begins')
    const pieces = cut.pieces.flatMap((piece): Piece[] => (piece.kind === 'range' ? without(cut, piece, from, to) : [piece]))
    if (pieces.length === 0) throw new EditError('nothing would be left of the film')
    cut.pieces = pieces
  }),
  bringBack: drafted((doc, { cutId, from, to }) => {
    const cut = cutOf(doc, cutId)
    if (to <= from) throw new EditError('a range must end after it begins')
    for (const gap of uncovered(cut.pieces, from, to)) insertRange(cut, gap)
    cut.pieces = joined(cut.pieces)
  }),
  wholeMaster: drafted((doc, { cutId }) => {
    const cut = cutOf(doc, cutId)
    const first = cut.pieces.findIndex((p) => p.kind === 'range')
    const others = cut.pieces.filter((p, i) => i === first || p.kind !== 'range')
    const taken = others.some((p) => p.kind !== 'range' && p.id === 'whole')
    const whole: Piece = taken ? { id: freshId(cut, ZERO), kind: 'range', from: null, to: null } : wholeMaster()[0]
    cut.pieces = first < 0 ? [whole, ...others] : others.map((p) => (p.kind === 'range' ? whole : p))
  }),
  addPiece: drafted((doc, { cutId, piece, before }) => {
    const cut = cutOf(doc, cutId)
    if (cut.pieces.some((p) => p.id === piece.id)) throw new EditError('this piece is in the programme already')
    if (piece.kind === 'version') checkNesting(doc, cutId, piece.cutId)
    lasting(piece)
    cut.pieces.splice(placeBefore(cut, before), 0, piece)
  }),
  changePiece: drafted((doc, { cutId, pieceId, change }) => {
    const piece = pieceOf(cutOf(doc, cutId), pieceId)
    const { from, to, length, text, fade } = change
    if (piece.kind === 'card') {
      if (from !== undefined || to !== undefined) throw new EditError('a card has a length and no range')
      if (length !== undefined) piece.length = length
      if (text === null) delete piece.text
      else if (text !== undefined) piece.text = text
    } else {
      if (length !== undefined || text !== undefined) throw new EditError('only a card has a length and words of its own')
      if (from !== undefined) piece.from = from
      if (to !== undefined) piece.to = to
    }
    if (fade === null) delete piece.fade
    else if (fade !== undefined) piece.fade = fade
    lasting(piece)
  }),
  movePiece: drafted((doc, { cutId, pieceId, before }) => {
    const cut = cutOf(doc, cutId)
    const piece = pieceOf(cut, pieceId)
    if (before === pieceId) return
    placeBefore(cut, before)
    cut.pieces = cut.pieces.filter((p) => p.id !== pieceId)
    cut.pieces.splice(placeBefore(cut, before), 0, piece)
  }),
  removePiece: drafted((doc, { cutId, pieceId }) => {
    const cut = cutOf(doc, cutId)
    pieceOf(cut, pieceId)
    if (cut.pieces.length === 1) throw new EditError('nothing would be left of the film')
    cut.pieces = cut.pieces.filter((p) => p.id !== pieceId)
  }),
}

function pieceOf(cut: Cut, id: string): Piece {
  const piece = cut.pieces.find((p) => p.id === id)
  if (!piece) throw new EditError('this piece is no longer in the programme')
  return piece
}

function placeBefore(cut: Cut, before: string | null): number {
  return before === null ? cut.pieces.length : cut.pieces.indexOf(pieceOf(cut, before))
}

/** @throws EditError for a piece that ends before it begins */
function lasting(piece: Piece): void {
  if (piece.kind === 'card' ? piece.length <= 0 : piece.from !== null && piece.to !== null && piece.to <= piece.from)
    throw new EditError('the film must end after it begins')
}

/** A version may be set into another, but never, not through others either, into itself. */
function checkNesting(doc: ProjectDoc, outer: string, inner: string): void {
  const open = [cutOf(doc, inner).id]
  const seen = new Set<string>()
  for (let id = open.pop(); id !== undefined; id = open.pop()) {
    if (id === outer) throw new EditError('this version holds the other one already; a version cannot be set into itself')
    if (seen.has(id)) continue
    seen.add(id)
    for (const piece of cutOf(doc, id).pieces) if (piece.kind === 'version') open.push(piece.cutId)
  }
}

/** Names of versions that a version is set into. */
export function setInto(doc: ProjectDoc, cutId: string): string[] {
  return doc.cuts.filter((c) => c.pieces.some((p) => p.kind === 'version' && p.cutId === cutId)).map((c) => c.name)
}

const beginOf = (piece: RangePiece): number => piece.from ?? ZERO
const endOf = (piece: RangePiece): number => piece.to ?? Number.POSITIVE_INFINITY

function freshId(cut: Cut, from: Flicks): string {
  const base = `from-${from}`
  let id = base
  for (let n = 2; cut.pieces.some((p) => p.id === id); n++) id = `${base}-${n}`
  return id
}

/** What is left of a range when another is taken out of it: nothing, one piece, or two. */
function without(cut: Cut, piece: RangePiece, from: Flicks, to: Flicks): RangePiece[] {
  const [begin, end] = [beginOf(piece), endOf(piece)]
  if (to <= begin || from >= end) return [piece]
  const out: RangePiece[] = []
  if (from > begin) out.push({ ...piece, to: from })
  if (to < end) out.push(out.length > 0 ? { id: freshId(cut, to), kind: 'range', from: to, to: piece.to } : { ...piece, from: to })
  return out
}

/** Parts of a range of the master that no piece keeps, ascending. */
function uncovered(pieces: readonly Piece[], from: Flicks, to: Flicks): { from: Flicks; to: Flicks }[] {
  let open = [{ from: from as number, to: to as number }]
  for (const piece of pieces) {
    if (piece.kind !== 'range') continue
    const [begin, end] = [beginOf(piece), endOf(piece)]
    open = open.flatMap((gap) =>
      [
        { from: gap.from, to: Math.min(gap.to, begin) },
        { from: Math.max(gap.from, end), to: gap.to },
      ].filter((g) => g.to > g.from),
    )
  }
  return open.sort((a, b) => a.from - b.from).map((g) => ({ from: flicks(g.from), to: flicks(g.to) }))
}

/** Puts a range behind the last one that begins before it. */
function insertRange(cut: Cut, { from, to }: { from: Flicks; to: Flicks }): void {
  const behind = cut.pieces.findLastIndex((p) => p.kind === 'range' && beginOf(p) <= from)
  const first = cut.pieces.findIndex((p) => p.kind === 'range')
  cut.pieces.splice(behind >= 0 ? behind + 1 : Math.max(0, first), 0, { id: freshId(cut, from), kind: 'range', from, to })
}

/** Neighbours that go on from each other on the master are one piece again. */
function joined(pieces: readonly Piece[]): Piece[] {
  const out: Piece[] = []
  for (const piece of pieces) {
    const last = out.at(-1)
    if (last?.kind === 'range' && piece.kind === 'range' && endOf(last) === beginOf(piece)) out[out.length - 1] = { ...last, to: piece.to }
    else out.push(piece)
  }
  const only = out.length === 1 && out[0].kind === 'range' ? out[0] : null
  // Begun at the master's beginning: said so, as a project begins.
  return only && only.from === ZERO && only.to === null ? wholeMaster() : out
}
