import type { ProjectState } from '@pendolo/api'
import { partsOf } from '@pendolo/core/lineup'
import type { Clip, Mark } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { newId } from '../ids.ts'

/** A part that begins so near one that is marked is that one, s. */
const SAME_PART = 0.5

/** Those of the marks that are not there yet. */
export function newParts({ doc }: ProjectState, marks: readonly Mark[]): Mark[] {
  const known = Object.values(doc.marks).filter((m) => m.kind === 'part')
  return marks.filter((mark) => !known.some((k) => Math.abs(k.time - mark.time) < SAME_PART * FLICKS_PER_SECOND))
}

/** A mark over each act or take, by when the cameras were started; empty where nothing divides the event. */
export function partMarks({ doc, files }: ProjectState, clips: readonly Clip[]): Mark[] {
  const runs = clips.flatMap((c) => {
    const at = doc.placements[c.id]
    const facts = files.find((f) => f.id === c.fileId)?.facts
    if (!at || !facts?.video || !c.angleId) return []
    const from = at.start / FLICKS_PER_SECOND
    return [{ angleId: c.angleId, from, to: from + facts.durationSeconds * at.rate }]
  })
  const starts = partsOf(runs)
  if (starts.length < 2) return []
  const last = Math.max(...runs.map((r) => r.to))
  const ends = starts.map((_, i) => starts[i + 1] ?? last)
  return starts.map((t, i) => ({
    id: newId(),
    // The part with which the master begins begins with it.
    time: flicks(t < 0 && ends[i] > 0 ? 0 : Math.round(t * FLICKS_PER_SECOND)),
    end: flicks(Math.round(ends[i] * FLICKS_PER_SECOND)),
    kind: 'part' as const,
    name: `Part ${i + 1}`,
    hue: i % 12,
  }))
}
