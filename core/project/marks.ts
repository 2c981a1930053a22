import { current, isDraft } from 'immer'
import { clipToMaster, type Flicks, flicks, masterToClip } from '../time/index.ts'
import { own } from './ids.ts'
import { clipOf, EditError } from './lookup.ts'
import { marksOf } from './sorted.ts'
import type { Mark, MarkKind, ProjectDoc } from './types.ts'

/**
 * All marks on the master's time, ascending: those of clips stand where the clip is placed, and not at all while it is not.
 * The objects of marks that stand on the master are those of the document.
 */
export function marksOnMaster(doc: Pick<ProjectDoc, 'marks' | 'placements'>): Mark[] {
  const out: Mark[] = []
  let moved = false
  for (const mark of marksOf(doc)) {
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

/** The marks as plain objects: walking thousands of them through a draft takes minutes. */
function plain(doc: ProjectDoc): Readonly<Record<string, Mark>> {
  return isDraft(doc.marks) ? current(doc.marks) : doc.marks
}

/** @throws EditError for an id that exists, or a clip that is not there */
export function addMarks(doc: ProjectDoc, added: readonly Mark[]): void {
  const before = plain(doc)
  const seen = new Set<string>()
  for (const { id, clipId } of added) {
    if (own(before, id) || seen.has(id)) throw new EditError('this mark exists already')
    seen.add(id)
    if (clipId !== undefined) clipOf(doc, clipId)
  }
  for (const mark of added) doc.marks[mark.id] = mark
}

export type MarkChange = Partial<Pick<Mark, 'time' | 'kind' | 'name' | 'hue' | 'text'>> & { end?: Flicks | null }

/** @throws EditError when the mark is gone */
export function changeMark(doc: ProjectDoc, id: string, { end, ...change }: MarkChange): void {
  const mark = own(doc.marks, id)
  if (!mark) throw new EditError('this mark is gone')
  Object.assign(mark, change)
  if (end === null) delete mark.end
  else if (end !== undefined) mark.end = end
  delete mark.found
  // A range that ends before it begins is a point.
  if (mark.end !== undefined && mark.end <= mark.time) delete mark.end
}

/** What a user named, moved or made stays; only what an earlier search proposed gives way. */
export function foundMarks(doc: ProjectDoc, kinds: readonly MarkKind[], found: readonly Mark[]): void {
  for (const mark of Object.values(plain(doc))) if (mark.found && kinds.includes(mark.kind)) delete doc.marks[mark.id]
  addMarks(
    doc,
    found.map((m) => ({ ...m, found: true })),
  )
}

export function removeMarks(doc: ProjectDoc, ids: readonly string[]): void {
  const before = plain(doc)
  for (const id of ids) if (own(before, id)) delete doc.marks[id]
}

/** Puts marks on a clip, or on the master again, without moving what they point at. */
export function standMarks(doc: ProjectDoc, ids: readonly string[], clipId: string | null): void {
  const before = plain(doc)
  for (const id of ids) {
    const mark = own(before, id)
    if (mark) doc.marks[id] = standingOn(doc, mark, clipId)
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
