import { clipToMaster, type Flicks, flicks, masterToClip } from '../time/index.ts'
import { clipOf, EditError } from './lookup.ts'
import type { Mark, ProjectDoc } from './types.ts'

/**
 * All marks on the master's time, ascending: those of clips stand where the clip is placed, and not at all while it is not.
 * The objects of marks that stand on the master are those of the document.
 */
export function marksOnMaster(doc: Pick<ProjectDoc, 'marks' | 'placements'>): Mark[] {
  const out: Mark[] = []
  for (const mark of doc.marks) {
    if (mark.clipId === undefined) out.push(mark)
    else {
      const at = doc.placements[mark.clipId]
      if (!at) continue
      const onMaster = (time: Flicks) => clipToMaster(time, at)
      out.push({ ...mark, time: onMaster(mark.time), ...(mark.end !== undefined && { end: onMaster(mark.end) }) })
    }
  }
  return out.sort((a, b) => a.time - b.time)
}

/** Puts a mark on a clip, or on the master again, without moving what it points at. */
export function standOn(doc: ProjectDoc, mark: Mark, clipId: string | null): void {
  const placeOf = (id: string | undefined) => {
    if (id === undefined) return { start: flicks(0), rate: 1 }
    const place = doc.placements[clipOf(doc, id).id]
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
