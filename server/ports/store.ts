import type { ProjectState, ProjectSummary, Step } from '@pendolo/api'
import type { Edit, FileFacts, Note, ProjectDoc } from '@pendolo/core/project'
import type { BatchItem } from 'drizzle-orm/batch'

/** Something written together with others, all or none; made and understood by adapters on the same database. */
export type Write = BatchItem<'sqlite'>

export class NotFound extends Error {
  readonly code = 'not-found'
}

/** A project whose row cannot be read. */
export class HurtProject extends Error {
  readonly code = 'hurt'
  constructor(name: string) {
    super(
      `what is kept of “${name}” is damaged, so it cannot be opened; the other projects are not concerned. "./pendolo restore" brings back the newest good copy`,
    )
  }
}

export interface FileRow {
  readonly id: string
  readonly projectId: string
  readonly path: string
  readonly name: string
  readonly size: number
  readonly contentKey: string
  readonly facts: FileFacts
  readonly notes: Note[]
}

export interface EditOutcome {
  readonly revision: number
  readonly doc: ProjectDoc
  /** What somebody else did to the same since the revision that the edit was made on; theirs came earlier, so it gave way. */
  readonly over: string[]
}

export interface EditWishes {
  /** Edits with the same group are undone together; those of `step:1`, `step:2` … are one step in parts. */
  readonly group?: string
  /** Who does it; empty where nobody said. */
  readonly author?: string
  /** The revision that the author saw. */
  readonly base?: number
  /** Name that the page gave it, by which it knows its own event. */
  readonly edit?: string | null
  /** It was sent before, and no answer came: if it had arrived all the same, it is not applied again. */
  readonly again?: boolean
  /** Proofs that the edits name; written in the same transaction. */
  readonly proofs?: readonly { readonly id: string; readonly proof: unknown }[]
}

/** What is gathered in one transaction: files, the edit that brings them in, and what else is written with them. */
export interface Gathered {
  readonly rows: readonly FileRow[]
  readonly edits: readonly Edit[]
  readonly label: string
}

/**
 * Projects, their files and the log of their changes. Each edit is one transaction; no process can overwrite what it
 * has not read; undo has no end. `store.contract.ts` is what any adapter must pass.
 */
export interface ProjectStore {
  /** All projects that are not deleted, the last changed first; one that cannot be read says so and hurts no other. */
  list(): Promise<ProjectSummary[]>
  /** Ids of all projects that are not deleted. */
  ids(): Promise<string[]>
  create(name: string, id?: string): Promise<string>
  rename(id: string, name: string): Promise<void>
  /** A copy with the same files, decisions and proofs, without the history. */
  duplicate(id: string): Promise<string>
  /** Deleting keeps everything until it is restored; originals are never touched. */
  setDeleted(id: string, deleted: boolean): Promise<void>
  /** @throws NotFound, HurtProject */
  doc(id: string): Promise<ProjectDoc>
  name(id: string): Promise<string>
  /** @param author whose steps of undo are told */
  state(id: string, author?: string): Promise<ProjectState>
  /**
   * Applies edits as one transaction and one log row.
   * @throws EditError or CutError when an edit does not fit
   */
  edit(id: string, list: readonly Edit[], label: string, wishes?: EditWishes): Promise<EditOutcome>
  /**
   * Brings files in: their rows, the edit and what `also` gives are one transaction, so that a process that ends
   * in between leaves either all or nothing.
   * @param build told the project as it is and its files; returns null when nothing is to be added
   */
  gather(
    id: string,
    author: string,
    build: (doc: ProjectDoc, known: readonly FileRow[]) => Promise<Gathered | null> | Gathered | null,
    also: (rows: readonly FileRow[]) => Write[],
  ): Promise<readonly FileRow[]>
  /**
   * Takes back the author's own last step that still holds, or does the one again that they took back last. What
   * others did meanwhile stays; where they changed the same, the step is refused.
   * @param part only the newest part of a step that was made in parts, such as a live pass
   * @returns its label, null when there is none
   * @throws EditError when somebody else has changed the same since
   */
  step(id: string, direction: 'undo' | 'redo', author?: string, part?: boolean): Promise<string | null>
  /** The author's newest steps, the newest first: those that were taken back, then those that can be. @throws NotFound */
  steps(id: string, author?: string): Promise<Step[]>
  /** Writes of others, in the order of all writing. */
  write(writes: readonly Write[]): Promise<void>
  files(projectId: string): Promise<FileRow[]>
  /** Paths of all gathered files, of deleted projects too. */
  allPaths(): Promise<Set<string>>
  /** Whether any change of a project ever named this; what was brought in by an edit and taken back by undo was named. */
  wasNamed(projectId: string, text: string): Promise<boolean>
  /** Originals that are somewhere else now. */
  moveFiles(projectId: string, moved: readonly { file: { id: string }; path: string }[]): Promise<void>
  /** Keeps facts that only a full pass over a file can tell (exact frame count, empty channels). */
  updateFile(id: string, projectId: string, change: { facts?: FileFacts; notes?: Note[] }): Promise<void>
  /** The proof of a clip's place as the document is now: undo brings back an earlier one. @throws NotFound */
  proof(projectId: string, clipId: string): Promise<unknown>
  /** Writes all open documents whole, so that the next process need not walk the log. */
  close(): Promise<void>
}
