import type { ProjectState, ServerEvent, Told } from '@pendolo/api'
import { applyEdits, applyKeptPatches, type Edit, type ProjectDoc } from '@pendolo/core/project'

interface Pending {
  readonly id: string
  readonly edits: Edit[]
  readonly label: string
  /** What it was applied to, and what came of it. */
  before: ProjectDoc
  after: ProjectDoc
  /** The revision in which the server has it, once that has answered: with an event of its own, or without where it changed nothing. */
  accepted?: number
}

type ProjectEvent = Extract<ServerEvent, { type: 'project' }> & { seq: number }
type FileEvent = Extract<ServerEvent, { type: 'file' }> & { seq: number }

/** Events kept for a state that is on its way. */
const MOST_HELD = 200

/**
 * What a page knows of one project: what the server said last, with the page's own edits on top that the server has not
 * confirmed. Events lead from revision to revision; one that does not follow tells of a gap, and the whole state is
 * asked for. Events that come while it is on its way are kept and applied to it where it does not know them.
 */
export class ProjectLine {
  #server: ProjectState | null = null
  #pending: Pending[] = []
  #held: Told[] = []

  /** The state as it is to be shown; null before the first answer. */
  get shown(): ProjectState | null {
    if (!this.#server) return null
    const last = this.#pending.at(-1)
    return last ? { ...this.#server, doc: last.after, canUndo: last.label, canRedo: null } : this.#server
  }

  get revision(): number {
    return this.#server?.revision ?? 0
  }

  /** The whole state, as an answer brought it. @returns what is to be shown; null when events tell that it is too old by now */
  fetched(state: ProjectState): ProjectState | null {
    // An older answer that came late tells nothing.
    if (this.#server && state.seq < this.#server.seq) return this.shown
    this.#server = state
    this.#pending = this.#pending.filter((p) => p.accepted === undefined || p.accepted > state.revision)
    for (const event of this.#held) if (event.seq > state.seq && !this.#apply(event)) return null
    this.#rebase()
    return this.shown
  }

  /** @returns false when something before this event was missed, so that the state must be asked for */
  heard(event: Told): boolean {
    // Kept in any case: an answer on its way may know less.
    this.#hold(event)
    if (!this.#server || event.seq <= this.#server.seq) return true
    return this.#apply(event)
  }

  #hold(event: Told): void {
    this.#held.push(event)
    if (this.#held.length > MOST_HELD) this.#held.shift()
  }

  /** Puts the page's own edits on top at once. @throws EditError or CutError when they do not fit. @returns false when nothing changes */
  begin(id: string, edits: Edit[], label: string): boolean {
    const state = this.shown
    if (!state) return false
    const { doc, forward } = applyEdits(state.doc, edits)
    if (forward.length === 0) return false
    this.#pending.push({ id, edits, label, before: state.doc, after: doc })
    return true
  }

  /** The server took an edit; its event may be on its way. @returns false when that has to be waited for */
  accepted(id: string, revision: number): boolean {
    const pending = this.#pending.find((p) => p.id === id)
    if (!pending) return true
    if (revision > this.revision) {
      pending.accepted = revision
      return false
    }
    // It changed nothing on what was there by then.
    this.refused(id)
    return true
  }

  refused(id: string): void {
    this.#pending = this.#pending.filter((p) => p.id !== id)
    this.#rebase()
  }

  #apply(event: Told): boolean {
    const state = this.#server
    if (!state) return false
    if (event.type === 'project') return this.#applyProject(state, event)
    if (event.type === 'file') this.#server = this.#withFiles(state, event, [event.file])
    return true
  }

  #applyProject(state: ProjectState, event: ProjectEvent): boolean {
    if (event.revision <= state.revision) return true
    if (event.revision !== state.revision + 1) return false
    const [first] = this.#pending
    // Our own edit on just what it was made on: what we have is what the server has, so nothing is drawn anew.
    const known = first && first.id === event.edit && first.before === state.doc
    const doc = known ? first.after : applyKeptPatches(state.doc, event.patches)
    this.#pending = this.#pending.filter((p) => p.id !== event.edit && !(p.accepted !== undefined && p.accepted <= event.revision))
    const steps = event.steps && { canUndo: event.steps.undo, canRedo: event.steps.redo }
    this.#server = { ...this.#withFiles(state, event, event.files), revision: event.revision, doc, ...steps }
    if (!known) this.#rebase()
    return true
  }

  #withFiles(state: ProjectState, { seq }: ProjectEvent | FileEvent, files: readonly ProjectState['files'][number][]): ProjectState {
    if (files.length === 0) return { ...state, seq }
    const changed = new Map(files.map((f) => [f.id, f]))
    const kept = state.files.map((f) => changed.get(f.id) ?? f)
    const known = new Set(state.files.map((f) => f.id))
    return { ...state, seq, files: [...kept, ...files.filter((f) => !known.has(f.id))] }
  }

  /** Puts the pending edits on what the server says now; one that does not fit any more is left out until the server refuses it too. */
  #rebase(): void {
    let at = this.#server?.doc
    if (!at) return
    for (const pending of this.#pending) {
      pending.before = at
      try {
        at = applyEdits(at, pending.edits).doc
      } catch {
        // The server will say so in words.
      }
      pending.after = at
    }
  }
}
