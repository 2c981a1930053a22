import type { ProjectState } from '@pendolo/api'
import { useRef } from 'react'

const PARTS = ['clips', 'placements', 'angles', 'master', 'settings'] as const satisfies (keyof ProjectState['doc'])[]

/** Whether nothing of what was recorded, and where it lies, has changed between two states of a project: a cut changes nothing of it. */
export function sameMaterial(a: ProjectState, b: ProjectState): boolean {
  return a.id === b.id && a.files === b.files && PARTS.every((part) => a.doc[part] === b.doc[part])
}

/** The project as it was, as long as nothing but the cut has changed: what does not show the cut need not be drawn anew. */
export function useMaterial(project: ProjectState): ProjectState {
  const kept = useRef(project)
  if (!sameMaterial(kept.current, project)) kept.current = project
  return kept.current
}
