import type { ProjectState } from '@pendolo/api'
import type { Edit } from '@pendolo/core/project'
import type { ReactNode } from 'react'

/** What every stage is given. */
export interface StageProps {
  readonly project: ProjectState
  /**
   * Shows edits at once and sends them.
   * @param group `step:number` where they are a part of a step
   * @returns false when they do not fit
   */
  readonly edit: (edits: Edit[], label: string, group?: string) => boolean
  /** Line at the top: the project's name first, undo and redo last. */
  readonly top: (middle: ReactNode) => ReactNode
}
