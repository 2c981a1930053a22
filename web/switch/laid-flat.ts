import type { FilmRun } from '@pendolo/core/film'
import type { Cut, Edit, Piece } from '@pendolo/core/project'
import { flicks } from '@pendolo/core/time'
import { newId } from '../ids.ts'

/**
 * Edits that make the same film of a version without any version set in: what those show is taken over into its own cut,
 * and the ranges they give become its own pieces.
 * @param runs the version's programme as it plays
 */
export function laidFlat(cut: Cut, runs: readonly FilmRun[]): Edit[] {
  const edits: Edit[] = []
  for (const [i, piece] of cut.pieces.entries()) {
    if (piece.kind !== 'version') continue
    const before = cut.pieces.slice(i + 1).find((p) => p.kind !== 'version')?.id ?? null
    const own = runs.filter((r) => r.pieceId === piece.id)
    for (const run of own) {
      if (run.from === null)
        edits.push({ type: 'addPiece', cutId: cut.id, piece: { id: newId(), kind: 'card', length: run.length, ...(run.text && { text: run.text }) }, before })
      else {
        const range: Piece = { id: newId(), kind: 'range', from: run.from, to: flicks(run.from + run.length) }
        edits.push({ type: 'addPiece', cutId: cut.id, piece: range, before })
        if (run.cutId !== cut.id) edits.push({ type: 'takeOver', cutId: cut.id, from: run.from, to: flicks(run.from + run.length), otherId: run.cutId })
      }
    }
  }
  for (const piece of cut.pieces) if (piece.kind === 'version') edits.push({ type: 'removePiece', cutId: cut.id, pieceId: piece.id })
  return edits
}
