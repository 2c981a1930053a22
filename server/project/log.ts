import type { Patch } from 'immer'

/** One row of a project's log as undo looks at it. */
export interface LogRow {
  readonly seq: number
  readonly groupId: string
  readonly label: string
  readonly author: string
  readonly state: RowState
  readonly forward: Patch[]
  readonly backward: Patch[]
}

/** done and undone are steps of their author; step is an undo or redo itself; gone can never be done again. */
export type RowState = 'done' | 'undone' | 'gone' | 'step'

/** Whose steps somebody may take: their own, and those of nobody; who does not say who they are takes any. */
export function mine(author: string, of: string): boolean {
  return author === '' || of === '' || author === of
}

/** Where a patch changes the document. The length of a list stands for the whole list: it moves what is in it. */
export function pathsOf(patches: readonly Patch[]): string[] {
  return patches.map(({ path }) => `${(path.at(-1) === 'length' ? path.slice(0, -1) : path).join('/')}/`)
}

/** Whether two sets of places in the document share one: the same, or one within the other. */
export function touch(a: readonly string[], b: readonly string[]): boolean {
  const set = new Set(a)
  const parents = (path: string) => {
    const parts = path.split('/').slice(0, -1)
    return parts.map((_, i) => `${parts.slice(0, i + 1).join('/')}/`)
  }
  if (b.some((path) => parents(path).some((p) => set.has(p)))) return true
  const other = new Set(b)
  return a.some((path) => parents(path).some((p) => other.has(p)))
}
