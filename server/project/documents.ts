import { setImmediate } from 'node:timers/promises'
import { applyKeptPatches, difference, migrate, type ProjectDoc } from '@pendolo/core/project'
import type { Mutex } from 'async-mutex'
import { and, asc, eq, gt, inArray, lt, sql } from 'drizzle-orm'
import type { Patch } from 'immer'
import { allOrNone, type Database, isRefused } from '../db/open.ts'
import { edits, projects } from '../db/schema.ts'
import { HurtProject } from '../ports/store.ts'
import { type LogRow, logRow } from './log.ts'

/** A document in memory, and how far what is kept of it is behind. */
export interface Open {
  doc: ProjectDoc
  revision: number
  /** Last row of the log. */
  seq: number
  /** Rows and bytes of the log that the kept snapshot does not hold. */
  rows: number
  bytes: number
  /** Set while the document is being written whole. */
  snapshot?: Promise<void>
  /** What was changed lately, for those whose edits were made before they knew. */
  recent: { revision: number; author: string; label: string; paths: string[] }[]
}

/** The document is written whole after so many rows or bytes of the log, so that opening it applies little more. */
const SNAPSHOT_ROWS = 200
const SNAPSHOT_BYTES = 1024 * 1024
/** Documents held in memory. */
const MOST_OPEN = 12
/** Letters of a document that are written in one go, and entries of a list or record. */
const WRITTEN_AT_ONCE = 40_000
const ENTRIES_AT_ONCE = 200
/** Lists of thousands are not deeper in a document than the switch points of a version: cuts, version, points. */
const DEEPEST_LIST = 3

/** Open documents: read from what is kept and the log beyond it, written whole now and then. */
export class Documents {
  readonly #db: Database
  /** The turn of all writing. */
  readonly #turn: Mutex
  readonly #open = new Map<string, Open>()

  constructor(db: Database, turn: Mutex) {
    this.#db = db
    this.#turn = turn
  }

  /** What somebody else has written is read anew. */
  forget(): void {
    this.#open.clear()
  }

  /** Holds a document after an edit, and writes it whole when its turn has come. */
  changed(id: string, open: Open): void {
    this.#hold(id, open)
    if (open.rows >= SNAPSHOT_ROWS || open.bytes >= SNAPSHOT_BYTES) this.#keepWhole(id, open)
  }

  /** The document as it is now: the kept one with what the log holds beyond it. @throws HurtProject */
  async load({ id, name, revision: newestRevision }: { id: string; name: string; revision: number }): Promise<Open> {
    const held = this.#open.get(id)
    if (held?.revision === newestRevision) return held
    // Read at one instant, so that document, revision and log belong together.
    const [[{ text, snapshot, revision }], rows] = await this.#db.batch([
      this.#db.select({ text: projects.doc, snapshot: projects.head, revision: projects.revision }).from(projects).where(eq(projects.id, id)),
      this.#db
        .select({ seq: edits.seq, forward: edits.forward })
        .from(edits)
        .where(and(eq(edits.projectId, id), gt(edits.seq, sql`(SELECT head FROM projects WHERE id = ${id})`)))
        .orderBy(asc(edits.seq)),
    ])
    let newest: ProjectDoc
    let doc: ProjectDoc
    try {
      // What was done since it was written as a whole is in the form in which it was written.
      newest = JSON.parse(text) as ProjectDoc
      for (const row of rows) newest = applyKeptPatches(newest, JSON.parse(row.forward) as Patch[])
      doc = migrate(newest)
    } catch {
      throw new HurtProject(name)
    }
    const seq = rows.at(-1)?.seq ?? snapshot
    if (doc !== newest) {
      await this.#bringForward(id, revision, seq, newest, doc).catch((error) => {
        // What SQLite refuses (a full disk, say) can be tried again; a history that makes no sense cannot.
        throw isRefused(error) ? error : new HurtProject(name)
      })
      rows.length = 0
    }
    const open: Open = { doc, revision, seq, rows: rows.length, bytes: rows.reduce((sum, r) => sum + r.forward.length, 0), recent: [] }
    this.#hold(id, open)
    return open
  }

  #hold(id: string, open: Open): void {
    this.#open.delete(id)
    this.#open.set(id, open)
    for (const [oldest] of this.#open) {
      if (this.#open.size <= MOST_OPEN) break
      this.#open.delete(oldest)
    }
  }

  /** Writes a document whole beside all else: nobody waits for it, and a process that ends meanwhile has lost nothing but this. */
  #keepWhole(id: string, open: Open): void {
    if (open.snapshot) return
    open.snapshot = (async () => {
      const text = await textOf(open.doc)
      await this.#turn.runExclusive(() =>
        this.#db
          .update(projects)
          .set({ doc: text, head: open.seq })
          .where(and(eq(projects.id, id), lt(projects.head, open.seq))),
      )
      const now = this.#open.get(id)
      if (!now) return
      now.rows -= open.rows
      now.bytes -= open.bytes
      now.snapshot = undefined
    })().catch(() => {
      // A full disk, say: it is tried again with the next change.
      const now = this.#open.get(id)
      if (now) now.snapshot = undefined
    })
    // What is held by then carries the mark on, so that one is written at a time.
    const held = this.#open.get(id)
    if (held) held.snapshot = open.snapshot
  }

  /** Writes all open documents whole, so that the next process need not walk the log. */
  async close(): Promise<void> {
    await Promise.all([...this.#open.values()].map((open) => open.snapshot))
    await this.#turn.runExclusive(async () => {
      for (const [id, open] of this.#open) {
        if (open.rows === 0) continue
        await this.#db
          .update(projects)
          .set({ doc: JSON.stringify(open.doc), head: open.seq })
          .where(and(eq(projects.id, id), eq(projects.revision, open.revision)))
      }
    })
  }

  /**
   * Rewrites a project of an older form, its whole history too: each kept step becomes the difference of the documents
   * before and after it, brought to today's form.
   * @param newest document of the older form after all that was done; `doc` is the same in today's form
   */
  async #bringForward(id: string, revision: number, seq: number, newest: ProjectDoc, doc: ProjectDoc): Promise<void> {
    const rows = (
      await this.#db
        .select()
        .from(edits)
        .where(and(eq(edits.projectId, id), inArray(edits.state, ['done', 'undone'])))
        .orderBy(asc(edits.seq))
    ).map(logRow)
    const changed: { seq: number; forward: string; backward: string }[] = []
    const rewrite = async (row: LogRow, from: ProjectDoc, to: ProjectDoc) => {
      changed.push({ seq: row.seq, forward: JSON.stringify(difference(from, to)), backward: JSON.stringify(difference(to, from)) })
      await setImmediate()
    }
    let [at, today] = [newest, doc]
    for (const row of rows.filter((r) => r.state === 'done').reverse()) {
      at = applyKeptPatches(at, row.backward)
      const before = migrate(at)
      await rewrite(row, before, today)
      today = before
    }
    ;[at, today] = [newest, doc]
    for (const row of rows.filter((r) => r.state === 'undone')) {
      at = applyKeptPatches(at, row.forward)
      const after = migrate(at)
      await rewrite(row, today, after)
      today = after
    }
    await allOrNone(this.#db, [
      this.#db
        .update(projects)
        .set({ doc: JSON.stringify(doc), head: seq })
        .where(and(eq(projects.id, id), eq(projects.revision, revision))),
      ...changed.map(({ seq, ...patches }) =>
        this.#db
          .update(edits)
          .set(patches)
          .where(and(eq(edits.projectId, id), eq(edits.seq, seq))),
      ),
    ])
  }
}

/** A document as JSON, made piece by piece so that others get their turn. */
async function textOf(doc: ProjectDoc): Promise<string> {
  const parts: string[] = []
  let since = 0
  for (const part of written(doc, 0)) {
    parts.push(part)
    since += part.length
    if (since < WRITTEN_AT_ONCE) continue
    since = 0
    await setImmediate()
  }
  return parts.join('')
}

/** JSON in pieces: long lists and records some entries at a time, those that hold such a list by what they hold. */
function* written(value: unknown, depth: number): Generator<string> {
  if (value === null || typeof value !== 'object' || depth > DEEPEST_LIST) {
    yield JSON.stringify(value)
    return
  }
  const list = Array.isArray(value)
  const entries = Object.entries(value).filter(([, entry]) => entry !== undefined)
  yield list ? '[' : '{'
  for (let at = 0; at < entries.length; ) {
    if (at > 0) yield ','
    if (entries.length > ENTRIES_AT_ONCE) {
      const some = entries.slice(at, at + ENTRIES_AT_ONCE)
      yield JSON.stringify(list ? some.map(([, entry]) => entry) : Object.fromEntries(some)).slice(1, -1)
      at += some.length
    } else {
      const [key, entry] = entries[at++]
      if (!list) yield `${JSON.stringify(key)}:`
      yield* written(entry, depth + 1)
    }
  }
  yield list ? ']' : '}'
}
