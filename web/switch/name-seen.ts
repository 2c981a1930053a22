import type { ProjectState } from '@pendolo/api'
import { type Layer, pictureSpans } from '@pendolo/core/project'

/** The angle that a layer shows, and where it has no picture for all of it. */
export function nameSeen({ doc, files }: ProjectState, { angleId, from, to }: Pick<Layer, 'angleId' | 'from' | 'to'>): string {
  const name = doc.angles.find((a) => a.id === angleId)?.name ?? '?'
  const spans = pictureSpans(doc, (id) => files.find((f) => f.id === id)?.facts)
    .filter((s) => s.angleId === angleId && s.start < to && s.end > from)
    .sort((a, b) => a.start - b.start)
  let seen: number = from
  for (const { start, end } of spans) if (start <= seen) seen = Math.max(seen, end)
  if (spans.length === 0) return `${name} (no picture here)`
  return seen < to ? `${name} (no picture in some of it)` : name
}
