import { clipToMaster, type Flicks, flicks, masterToClip } from '../time/index.ts'
import type { Reducers } from './drawer.ts'
import { own } from './ids.ts'
import { markOf } from './keyed.ts'
import { clipOf, EditError } from './lookup.ts'
import type { Recorder } from './recorder.ts'
import type { Mark, MarkKind, ProjectDoc, SoundSpan } from './types.ts'

export type MarkChange = Partial<Pick<Mark, 'time' | 'kind' | 'name' | 'hue' | 'text'>> & { end?: Flicks | null }

export type MarkEdit =
  | { type: 'addMarks'; marks: Mark[] }
  | { type: 'changeMark'; markId: string; change: MarkChange }
  | { type: 'standMarks'; markIds: string[]; clipId: string | null }
  | { type: 'removeMarks'; markIds: string[] }
  | { type: 'found'; kinds: MarkKind[]; marks: Mark[]; spans?: SoundSpan[] }

export const markReducers: Reducers<MarkEdit> = {
  addMarks: (recorder, { marks }) => addMarks(recorder, marks),
  changeMark: (recorder, { markId, change }) => changeMark(recorder, markId, change),
  standMarks: (recorder, { markIds, clipId }) => standMarks(recorder, markIds, clipId),
  removeMarks: (recorder, { markIds }) => removeMarks(recorder, markIds),
  found: (recorder, { kinds, marks, spans }) => {
    foundMarks(recorder, kinds, marks)
    if (spans) recorder.set(['spans'], spans)
  },
}

/**
 * All marks on the master's time, ascending: those of clips stand where the clip is placed, and not at all while it is not.
 * The objects of marks that stand on the master are those of the document.
 */
export function marksOnMaster(doc: Pick<ProjectDoc, 'marks' | 'placements'>): Mark[] {
  const out: Mark[] = []
  let moved = false
  for (const mark of doc.marks) {
    if (mark.clipId === undefined) out.push(mark)
    else {
      const at = own(doc.placements, mark.clipId)
      if (!at) continue
      const onMaster = (time: Flicks) => clipToMaster(time, at)
      out.push({ ...mark, time: onMaster(mark.time), ...(mark.end !== undefined && { end: onMaster(mark.end) }) })
      moved = true
    }
  }
  return moved ? out.sort((a, b) => a.time - b.time) : out
}

/** @throws EditError for an id that exists, or a clip that is not there */
function addMarks(recorder: Recorder, added: readonly Mark[]): void {
  const { doc } = recorder
  const seen = new Set<string>()
  for (const { id, clipId } of added) {
    if (markOf(doc.marks, id) || seen.has(id)) throw new EditError('this mark exists already')
    seen.add(id)
    if (clipId !== undefined) clipOf(doc, clipId)
  }
  for (const mark of added) recorder.set(['marks', mark.id], mark)
}

/** @throws EditError when the mark is gone */
function changeMark(recorder: Recorder, id: string, { end, ...change }: MarkChange): void {
  const before = markOf(recorder.doc.marks, id)
  if (!before) throw new EditError('this mark is gone')
  const { found: _, ...mark }: Mark = { ...before, ...change }
  if (end === null) delete mark.end
  else if (end !== undefined) mark.end = end
  // A range that ends before it begins is a point.
  if (mark.end !== undefined && mark.end <= mark.time) delete mark.end
  if (JSON.stringify(mark, Object.keys(mark).sort()) === JSON.stringify(before, Object.keys(before).sort())) return
  recorder.set(['marks', id], mark)
}

/** What a user named, moved or made stays; only what an earlier search proposed gives way. */
function foundMarks(recorder: Recorder, kinds: readonly MarkKind[], found: readonly Mark[]): void {
  const gone = recorder.doc.marks.filter((m) => m.found && kinds.includes(m.kind))
  for (const { id } of gone) recorder.remove(['marks', id])
  addMarks(
    recorder,
    found.map((m) => ({ ...m, found: true })),
  )
}

function removeMarks(recorder: Recorder, ids: readonly string[]): void {
  for (const id of ids) recorder.remove(['marks', id])
}

/** Puts marks on a clip, or on the master again, without moving what they point at. */
function standMarks(recorder: Recorder, ids: readonly string[], clipId: string | null): void {
  for (const id of ids) {
    const mark = markOf(recorder.doc.marks, id)
    if (mark) recorder.set(['marks', id], standingOn(recorder.doc, mark, clipId))
  }
}

function standingOn(doc: ProjectDoc, mark: Mark, clipId: string | null): Mark {
  const placeOf = (id: string | undefined) => {
    if (id === undefined) return { start: flicks(0), rate: 1 }
    const place = own(doc.placements, clipOf(doc, id).id)
    if (!place) throw new EditError('a mark can stand only on a clip that has a place; line it up first')
    return place
  }
  const [from, to] = [placeOf(mark.clipId), placeOf(clipId ?? undefined)]
  const moved = (time: Flicks) => masterToClip(clipToMaster(time, from), to)
  const { clipId: _, found: __, ...rest } = mark
  return { ...rest, time: moved(mark.time), ...(mark.end !== undefined && { end: moved(mark.end) }), ...(clipId !== null && { clipId }) }
}
