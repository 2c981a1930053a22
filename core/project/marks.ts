import { clipToMaster, type Flicks } from '../time/index.ts'
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
