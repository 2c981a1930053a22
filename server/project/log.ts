import type { Step } from '@pendolo/api'
import { and, asc, desc, eq, gt, inArray } from 'drizzle-orm'
import type { Patch } from 'immer'
import type { Database } from '../db/open.ts'
import { edits } from '../db/schema.ts'
import type { Write } from '../ports/store.ts'

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

/** The step that a group is part of: a live pass is one step, each of its presses a part, `step:number`. */
export function wholeOf(groupId: string): string {
  return groupId.split(':')[0]
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

export function logRow(row: typeof edits.$inferSelect): LogRow {
  return { ...row, state: row.state as RowState, forward: JSON.parse(row.forward) as Patch[], backward: JSON.parse(row.backward) as Patch[] }
}

/** A step to be written. */
export interface NewRow {
  readonly projectId: string
  readonly seq: number
  readonly groupId: string
  readonly label: string
  readonly forward: string
  readonly backward: string
  readonly at: number
  readonly author: string
}

/** Steps that are told at once; a group has several rows. */
const STEPS_LISTED = 100
const ROWS_LISTED = 1000

/** The log of changes, which is only added to. */
export class EditLog {
  readonly #db: Database

  constructor(db: Database) {
    this.#db = db
  }

  /**
   * A new row and what it means for those before it: an undo or redo marks the rows that it took, anything else ends
   * what its author could have done again. The number of a row is taken once: had another process written since the
   * document was read, the transaction fails.
   */
  writes(row: NewRow, stepOf: { seqs: number[]; state: RowState } | null): Write[] {
    const own = row.author === '' ? undefined : inArray(edits.author, [row.author, ''])
    const marked = stepOf ? { state: stepOf.state, which: inArray(edits.seq, stepOf.seqs) } : { state: 'gone', which: and(eq(edits.state, 'undone'), own) }
    return [
      this.#db.insert(edits).values({ ...row, state: stepOf ? 'step' : 'done' }),
      this.#db
        .update(edits)
        .set({ state: marked.state })
        .where(and(eq(edits.projectId, row.projectId), marked.which)),
    ]
  }

  /** The row whose group the author's next undo or redo takes. */
  async next(id: string, direction: 'undo' | 'redo', author: string): Promise<{ label: string; groupId: string } | null> {
    const [row] = await this.#db
      .select({ label: edits.label, groupId: edits.groupId })
      .from(edits)
      .where(
        and(
          eq(edits.projectId, id),
          eq(edits.state, direction === 'undo' ? 'done' : 'undone'),
          author === '' ? undefined : inArray(edits.author, [author, '']),
        ),
      )
      .orderBy(direction === 'undo' ? desc(edits.seq) : asc(edits.seq))
      .limit(1)
    return row ?? null
  }

  /** The author's newest steps, the newest first. */
  async steps(id: string, author: string): Promise<Step[]> {
    const rows = await this.#db
      .select({ id: edits.groupId, label: edits.label, at: edits.at, state: edits.state })
      .from(edits)
      .where(and(eq(edits.projectId, id), inArray(edits.state, ['done', 'undone']), author === '' ? undefined : inArray(edits.author, [author, ''])))
      .orderBy(desc(edits.seq))
      .limit(ROWS_LISTED)
    const steps = new Map<string, { step: Step; parts: Set<string> }>()
    for (const { state, ...row } of rows) {
      // Of a step in parts some may have been taken back: what is left of it, and what could be done again.
      const key = `${wholeOf(row.id)} ${state}`
      const known = steps.get(key)
      if (known) known.parts.add(row.id)
      else steps.set(key, { step: { ...row, id: key, done: state === 'done', parts: 1 }, parts: new Set([row.id]) })
    }
    return [...steps.values()].slice(0, STEPS_LISTED).map(({ step, parts }) => ({ ...step, parts: parts.size }))
  }

  async rows(id: string, state: RowState): Promise<LogRow[]> {
    const rows = await this.#db
      .select()
      .from(edits)
      .where(and(eq(edits.projectId, id), eq(edits.state, state)))
      .orderBy(asc(edits.seq))
    return rows.map(logRow)
  }

  /** Rows after one that change the document as it is: all but those taken back for good count, steps too. */
  async later(id: string, seq: number): Promise<LogRow[]> {
    const rows = await this.#db
      .select()
      .from(edits)
      .where(and(eq(edits.projectId, id), gt(edits.seq, seq), inArray(edits.state, ['done', 'step'])))
    return rows.map(logRow)
  }

  /** Whether a step of this name was ever made. */
  async has(id: string, groupId: string): Promise<boolean> {
    const [row] = await this.#db
      .select({ seq: edits.seq })
      .from(edits)
      .where(and(eq(edits.projectId, id), eq(edits.groupId, groupId)))
      .limit(1)
    return row !== undefined
  }

  /** Whether any change of a project ever named this; what was brought in by an edit and taken back by undo was named. */
  async wasNamed(id: string, text: string): Promise<boolean> {
    const rows = await this.#db.select({ forward: edits.forward }).from(edits).where(eq(edits.projectId, id))
    return rows.some((r) => r.forward.includes(text))
  }
}
