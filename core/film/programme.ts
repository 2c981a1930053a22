import { type Cut, eventRange, type FileFacts, masterRange, type Piece, type ProjectDoc, projectRate } from '../project/index.ts'
import {
  FLICKS_PER_SECOND,
  type Flicks,
  flicks,
  frameAt,
  frameStart,
  nextFrameStart,
  programmeLength,
  type Rate,
  type Run,
  sliceRuns,
  ZERO,
} from '../time/index.ts'

/** A run of a film: the version whose switch points rule in it, or a card. */
export interface FilmRun extends Run {
  readonly pieceId: string
  /** Version whose points rule here: that of the film, or one that is set into it. */
  readonly cutId: string
  /** Length of the crossfade of the sound where this run follows another. */
  readonly fade: Flicks
  /** Words of a card. */
  readonly text?: string
}

/** Where the master is, and all that was recorded. */
export interface Bounds {
  readonly master: { readonly start: Flicks; readonly end: Flicks }
  readonly event: { readonly start: Flicks; readonly end: Flicks }
}

/**
 * Where the master is, and all that was recorded, on the master's time; half-open ranges in flicks. The event holds the master.
 * @param factsOf facts of a gathered file; undefined where it is not known
 */
export function boundsOf(doc: ProjectDoc, factsOf: (fileId: string) => FileFacts | undefined): Bounds {
  const master = masterRange(doc, factsOf)
  const event = eventRange(doc, factsOf)
  return { master, event: { start: flicks(Math.min(event.start, master.start)), end: flicks(Math.max(event.end, master.end)) } }
}

/** A film may begin so long before the first recording, and end so long after the last one: a title, a quiet end. */
const QUIET = 60 * FLICKS_PER_SECOND
/** Sounds change over within this time at a join, unless it is set otherwise: too short to be heard as a fade, too long to click. */
const JOIN_FADE = flicks(FLICKS_PER_SECOND / 200)
/** Longest programme, as bounds keep every piece by itself; versions set into each other multiply. */
const MOST_RUNS = 100_000

/**
 * The programme of a version on a frame grid, beginning at 0: each piece a run, versions that are set in worked out.
 * Every run begins on a frame of the grid and lasts whole frames; on the master too. Pieces without length are left out.
 * @param rate grid; the project's own where none is given
 */
export function filmRuns(doc: ProjectDoc, cut: Cut, bounds: Bounds, rate: Rate = projectRate(doc.settings)): FilmRun[] {
  return runsOf(doc, cut, bounds, rate, [])
}

function runsOf(doc: ProjectDoc, cut: Cut, bounds: Bounds, rate: Rate, within: readonly string[]): FilmRun[] {
  const out: FilmRun[] = []
  let at: Flicks = ZERO
  for (const piece of cut.pieces) {
    for (const run of pieceRuns(doc, cut, piece, bounds, rate, [...within, cut.id])) {
      out.push({ ...run, at })
      at = flicks(at + run.length)
      if (out.length >= MOST_RUNS) return out
    }
  }
  return out
}

function pieceRuns(doc: ProjectDoc, cut: Cut, piece: Piece, bounds: Bounds, rate: Rate, within: readonly string[]): FilmRun[] {
  const fade = piece.fade ?? JOIN_FADE
  if (piece.kind === 'card') {
    const length = nextFrameStart(piece.length, rate)
    return [{ at: ZERO, length, from: null, pieceId: piece.id, cutId: cut.id, fade, ...(piece.text !== undefined && { text: piece.text }) }]
  }
  if (piece.kind === 'range') {
    const { start, end } = rangeOf(piece, bounds, rate)
    return end > start ? [{ at: ZERO, length: flicks(end - start), from: start, pieceId: piece.id, cutId: cut.id, fade }] : []
  }
  const inner = doc.cuts.find((c) => c.id === piece.cutId)
  // A circle cannot be made by edits; a document that holds one all the same ends here.
  if (!inner || within.includes(inner.id)) return []
  const runs = runsOf(doc, inner, bounds, rate, within)
  const from = piece.from === null ? ZERO : nextFrameStart(piece.from, rate)
  const to = piece.to === null ? programmeLength(runs) : nextFrameStart(piece.to, rate)
  return sliceRuns(runs, from, to).map((run, i) => ({ ...run, pieceId: piece.id, fade: i === 0 ? fade : run.fade }))
}

/** A kept range on the frame grid: as far as something was recorded near it. */
function rangeOf(piece: Extract<Piece, { kind: 'range' }>, { master, event }: Bounds, rate: Rate): { start: Flicks; end: Flicks } {
  const within = (time: Flicks) => flicks(Math.max(event.start - QUIET, Math.min(event.end + QUIET, time)))
  const end = piece.to === null ? frameStart(frameAt(master.end, rate), rate) : within(piece.to)
  return { start: nextFrameStart(within(piece.from ?? master.start), rate), end: nextFrameStart(end, rate) }
}
