import type { Edit } from '@pendolo/core/project'
import { useState } from 'react'
import { AfterPicture } from '../playback/after-picture.ts'
import { playAhead } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'

/** A table of colours and a picture through it take so long until they are seen, refreshes of the page. */
const REFRESHES = 4

/** Edits of how pictures are seen: their picture comes first, and then they are made and the page is drawn anew. What does not fit is told by the edit itself. */
export function useAhead({ project, edit }: Pick<StageProps, 'project' | 'edit'>): (edits: Edit[], label: string, group?: string) => void {
  const [later] = useState(() => new AfterPicture(REFRESHES))
  return (edits, label, group) => {
    later.add(() => edit(edits, label, group))
    playAhead(project, edits)
  }
}
