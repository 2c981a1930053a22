import { current, isDraft } from 'immer'
import { clipToMaster, type Flicks, flicks, masterToClip } from '../time/index.ts'
import { own } from './ids.ts'
import { clipOf, EditError } from './lookup.ts'
import type { Mark, MarkKind, ProjectDoc } from './types.ts'

/**
 * All marks on the master's time, ascending: those of clips stand where the clip is placed, and not at all while it is not.
 * The objects of marks that stand on the master are those of the document.
 */
export function marksOnMaster(doc: Pick<ProjectDoc, 'marks' | 'placements'>): Mark[] {
  const out: Mark[] = []
  for (const mark of doc.marks) {
    if (mark.clipId === undefined) out.push(mark)
    else {
      const at = own(doc.placements, mark.clipId)
      if (!at) continue
      const onMaster = (time: Flicks) => clipToMaster(time, at)
      out.push({ ...mark, time: onMaster(mark.time), ...(mark.end !== undefined && { end: onMaster(mark.end) }) })
    }
  }
  return out.sort((a, b) => a.time - b.time)
}

/** The marks as plain objects: walking thousands of them through a draft takes minutes. */
function plain(doc: ProjectDoc): readonly Mark[] {
  return isDraft(doc.marks) ? current(doc.marks) : doc.marks
}

function keep(doc: ProjectDoc, marks: Mark[]): void {
  doc.marks = marks.sort((a, b) => a.time - b.time)
}

/** @throws EditError for an id that exists, or a clip that is not there */
export function addMarks(doc: ProjectDoc, added: readonly Mark[]): void {
  const before = plain(doc)
  const ids = new Set(before.map((m) => m.id))
  for (const { id, clipId } of added) {
    if (ids.has(id)) throw new EditError('this mark exists already')
    ids.add(id)
    if (clipId !== undefined) clipOf(doc, clipId)
  }
  keep(doc, [...before, ...added])
}

/** What a user named, moved or made stays; only what an earlier search proposed gives way. */
export function foundMarks(doc: ProjectDoc, kinds: readonly MarkKind[], found: readonly Mark[]): void {
  const stay = plain(doc).filter((m) => !m.found || !kinds.includes(m.kind))
  if (stay.length < doc.marks.length) keep(doc, stay)
  addMarks(
    doc,
    found.map((m) => ({ ...m, found: true })),
  )
}

export function removeMarks(doc: ProjectDoc, ids: readonly string[]): void {
  const gone = new Set(ids)
  doc.marks = plain(doc).filter((m) => !gone.has(m.id))
}

/** Puts marks on a clip, or on the master again, without moving what they point at. */
export function standMarks(doc: ProjectDoc, ids: readonly string[], clipId: string | null): void {
  const moved = new Set(ids)
  keep(
    doc,
    plain(doc).map((mark) => {
      if (!moved.has(mark.id)) return mark
      const copy = { ...mark }
      standOn(doc, copy, clipId)
      return copy
    }),
  )
}

function standOn(doc: ProjectDoc, mark: Mark, clipId: string | null): void {
  const placeOf = (id: string | undefined) => {
    if (id === undefined) return { start: flicks(0), rate: 1 }
    const place = own(doc.placements, clipOf(doc, id).id)
    if (!place) throw new EditError('a mark can stand only on a clip that has a place; line it up first')
    return place
  }
  const [from, to] = [placeOf(mark.clipId), placeOf(clipId ?? undefined)]
  const moved = (time: Flicks) => masterToClip(clipToMaster(time, from), to)
  mark.time = moved(mark.time)
  if (mark.end !== undefined) mark.end = moved(mark.end)
  if (clipId === null) delete mark.clipId
  else mark.clipId = clipId
  delete mark.found
}
