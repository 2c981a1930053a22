import { randomUUID } from 'node:crypto'
import { existsSync } from 'node:fs'
import path from 'node:path'
import { setImmediate } from 'node:timers/promises'
import type { GatheredFile, ProjectState, ProjectSummary } from '@pendolo/api'
import {
  applyEdits,
  applyEditsWithRests,
  applyKeptPatches,
  clockOf,
  difference,
  type Edit,
  EditError,
  emptyProject,
  type FileFacts,
  migrate,
  type ProjectDoc,
  pictureSpans,
  readFacts,
} from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { and, asc, desc, eq, gt, inArray, isNull, lt, sql } from 'drizzle-orm'
import type { Patch } from 'immer'
import type { Config } from '../config.ts'
import { allOrNone, type Database, isTaken, type Statement } from '../db/open.ts'
import { edits, files, projects, proofs } from '../db/schema.ts'
import type { EventHub } from '../http/events.ts'
import { hasArtefact } from '../media/artefacts.ts'
import { type LogRow, mine, pathsOf, type RowState, touch } from './log.ts'

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
  readonly notes: string[]
}

export interface EditOutcome {
  readonly revision: number
  readonly doc: ProjectDoc
  /** What somebody else did to the same since the revision that the edit was made on; theirs came earlier, so it gave way. */
  readonly over: string[]
}

export interface EditWishes {
  /** Edits with the same group are undone together. */
  readonly group?: string
  /** Who does it; empty where nobody said. */
  readonly author?: string
  /** The revision that the author saw. */
  readonly base?: number
  /** Name that the page gave it, by which it knows its own event. */
  readonly edit?: string | null
  /** Proofs that the edits name; written in the same transaction. */
  readonly proofs?: readonly { readonly id: string; readonly proof: unknown }[]
}

/** What is gathered in one transaction: files, the edit that brings them in, and what else is written with them. */
export interface Gathered {
  readonly rows: readonly FileRow[]
  readonly edits: readonly Edit[]
  readonly label: string
}

interface Open {
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
const RECENT = 200
/** Documents held in memory. */
const MOST_OPEN = 12
/** Another process may have written in between; then the edit is made again on what is there now. */
const TRIES = 50

/** Somebody else has written the project since it was read. */
class Stale extends Error {}

/** Projects and their log of changes. All writing goes through one queue, so that every edit is one transaction in order. */
export class ProjectStore {
  readonly #db: Database
  readonly #config: Config
  readonly #events: EventHub
  readonly #open = new Map<string, Open>()
  #last: Promise<unknown> = Promise.resolve()

  constructor(db: Database, config: Config, events: EventHub) {
    this.#db = db
    this.#config = config
    this.#events = events
  }

  #inOrder<T>(task: () => Promise<T>): Promise<T> {
    const next = this.#last.then(task, task)
    this.#last = next.catch(() => undefined)
    return next
  }

  async list(): Promise<ProjectSummary[]> {
    const rows = await this.#db.select(HEAD).from(projects).where(isNull(projects.deletedAt)).orderBy(desc(projects.changedAt))
    const out: ProjectSummary[] = []
    for (const row of rows) {
      // One damaged row must not take the others with it.
      try {
        const { doc } = await this.#load(row.id)
        const known = new Map((await this.files(row.id)).map((f) => [f.id, f.facts]))
        out.push(summary(row, doc, known))
      } catch (error) {
        if (!(error instanceof HurtProject)) throw error
        out.push({ ...nothingKnown(row), hurt: true })
      }
    }
    return out
  }

  /** Ids of all projects that are not deleted. */
  async ids(): Promise<string[]> {
    return (await this.#db.select({ id: projects.id }).from(projects).where(isNull(projects.deletedAt))).map((r) => r.id)
  }

  async create(name: string, id: string = randomUUID()): Promise<string> {
    const now = Date.now()
    await this.#inOrder(() =>
      this.#db.insert(projects).values({ id, name, doc: JSON.stringify(emptyProject(randomUUID())), revision: 0, head: 0, createdAt: now, changedAt: now }),
    )
    this.#events.send({ type: 'projects' })
    return id
  }

  async rename(id: string, name: string): Promise<void> {
    await this.#row(id)
    await this.#inOrder(() => this.#db.update(projects).set({ name, changedAt: Date.now() }).where(eq(projects.id, id)))
    this.#events.send({ type: 'projects' })
    this.#events.send({ type: 'files', projectId: id })
  }

  /** A copy with the same files, decisions and proofs, without the history. */
  async duplicate(id: string): Promise<string> {
    const row = await this.#row(id)
    const copy = randomUUID()
    const now = Date.now()
    await this.#inOrder(async () => {
      let text = JSON.stringify((await this.#load(id)).doc)
      const statements: Statement[] = []
      for (const file of await this.#db.select().from(files).where(eq(files.projectId, id))) {
        const fileId = randomUUID()
        text = text.replaceAll(`"${file.id}"`, `"${fileId}"`)
        statements.push(this.#db.insert(files).values({ ...file, id: fileId, projectId: copy }))
      }
      for (const proof of await this.#db.select().from(proofs).where(eq(proofs.projectId, id)))
        statements.push(this.#db.insert(proofs).values({ ...proof, projectId: copy }))
      const name = `${row.name.slice(0, 113)} (copy)`
      statements.push(this.#db.insert(projects).values({ id: copy, name, doc: text, revision: 0, head: 0, createdAt: now, changedAt: now }))
      await allOrNone(this.#db, statements)
    })
    this.#events.send({ type: 'projects' })
    return copy
  }

  /** Deleting keeps everything until it is restored; originals are never touched. */
  async setDeleted(id: string, deleted: boolean): Promise<void> {
    await this.#row(id, true)
    await this.#inOrder(() =>
      this.#db
        .update(projects)
        .set({ deletedAt: deleted ? Date.now() : null })
        .where(eq(projects.id, id)),
    )
    this.#events.send({ type: 'projects' })
  }

  async doc(id: string): Promise<ProjectDoc> {
    await this.#row(id)
    return (await this.#load(id)).doc
  }

  async name(id: string): Promise<string> {
    return (await this.#row(id)).name
  }

  /** @param author whose steps of undo are told */
  async state(id: string, author = ''): Promise<ProjectState> {
    // Taken first: what is read from here on may know more than that, which does no harm.
    const { seq } = this.#events
    const row = await this.#row(id)
    const { doc, revision } = await this.#load(id)
    const gathered = (await this.#fileRows(id)).map(({ row, problem }) => this.#gathered(row, problem))
    const [undo, redo] = await Promise.all([this.#next(id, 'undo', author), this.#next(id, 'redo', author)])
    return { id, name: row.name, revision, doc, files: gathered, canUndo: undo?.label ?? null, canRedo: redo?.label ?? null, seq }
  }

  #gathered(f: FileRow, problem: string | null): GatheredFile {
    const has = (artefact: 'tile' | 'sharp' | 'sound' | 'peaks') => hasArtefact(this.#config, f.contentKey, artefact)
    return {
      id: f.id,
      path: f.path,
      name: f.name,
      size: f.size,
      contentKey: f.contentKey,
      facts: f.facts,
      notes: problem === null ? f.notes : [problem, ...f.notes],
      missing: !existsSync(f.path),
      ready: { tile: has('tile'), sharp: has('sharp'), sound: has('sound'), peaks: has('peaks') },
    }
  }

  /**
   * Applies edits as one transaction and one log row.
   * @throws EditError or CutError when an edit does not fit
   */
  edit(id: string, list: readonly Edit[], label: string, wishes: EditWishes = {}): Promise<EditOutcome> {
    return this.#inOrder(() =>
      this.#again(async () => {
        await this.#row(id)
        const open = await this.#load(id)
        await this.#checkFiles(id, list)
        const result = await applyEditsWithRests(open.doc, list, setImmediate)
        if (result.forward.length === 0) return { revision: open.revision, doc: open.doc, over: [] }
        const proven = (wishes.proofs ?? []).map(({ id: proofId, proof }) =>
          this.#db.insert(proofs).values({ projectId: id, id: proofId, proof: JSON.stringify(proof) }),
        )
        return this.#keep(id, open, result, label, wishes, proven)
      }),
    )
  }

  /**
   * Brings files in: their rows, the edit and what `also` gives are one transaction, so that a process that ends
   * in between leaves either all or nothing.
   * @param build told the project as it is and its files; returns null when nothing is to be added
   */
  gather(
    id: string,
    author: string,
    build: (doc: ProjectDoc, known: readonly FileRow[]) => Promise<Gathered | null> | Gathered | null,
    also: (rows: readonly FileRow[]) => Statement[],
  ): Promise<readonly FileRow[]> {
    return this.#inOrder(() =>
      this.#again(async () => {
        await this.#row(id)
        const open = await this.#load(id)
        const known = await this.files(id)
        const wanted = await build(open.doc, known)
        if (!wanted) return []
        const fresh = wanted.rows.filter((r) => !known.some((f) => f.id === r.id))
        const result = applyEdits(open.doc, wanted.edits)
        const now = Date.now()
        const values = fresh.map((r, i) => ({ ...r, facts: JSON.stringify(r.facts), notes: JSON.stringify(r.notes), addedAt: now + i }))
        const statements: Statement[] = []
        // SQLite takes a limited number of values at once.
        for (let at = 0; at < values.length; at += 500) statements.push(this.#db.insert(files).values(values.slice(at, at + 500)))
        await this.#keep(id, open, result, wanted.label, { author }, [...statements, ...also(wanted.rows)], null, fresh)
        return wanted.rows
      }),
    )
  }

  /** Writes a changed document's log row, and the document itself when its turn has come. */
  async #keep(
    id: string,
    open: Open,
    result: { doc: ProjectDoc; forward: Patch[]; backward: Patch[] },
    label: string,
    { group = randomUUID(), author = '', base, edit = null }: EditWishes,
    also: readonly Statement[] = [],
    stepOf: { seqs: number[]; state: RowState } | null = null,
    arrived: readonly FileRow[] = [],
  ): Promise<EditOutcome> {
    const [seq, revision, now] = [open.seq + 1, open.revision + 1, Date.now()]
    const [forward, backward] = [JSON.stringify(result.forward), JSON.stringify(result.backward)]
    const bytes = open.bytes + forward.length
    const own = author === '' ? undefined : inArray(edits.author, [author, ''])
    const steps = stepOf
      ? this.#db
          .update(edits)
          .set({ state: stepOf.state })
          .where(and(eq(edits.projectId, id), inArray(edits.seq, stepOf.seqs)))
      : this.#db
          .update(edits)
          .set({ state: 'gone' })
          .where(and(eq(edits.projectId, id), eq(edits.state, 'undone'), own))
    try {
      await allOrNone(this.#db, [
        // The number of a row is taken once: had another process written since the document was read, all of this fails.
        this.#db.insert(edits).values({ projectId: id, seq, groupId: group, label, forward, backward, at: now, author, state: stepOf ? 'step' : 'done' }),
        this.#db
          .update(projects)
          .set({ revision, changedAt: now })
          .where(and(eq(projects.id, id), eq(projects.revision, open.revision))),
        steps,
        ...also,
      ])
    } catch (error) {
      throw isTaken(error) ? new Stale() : error
    }
    const paths = pathsOf(result.forward)
    const over = base === undefined ? [] : open.recent.filter((r) => r.revision > base && !mine(author, r.author) && touch(r.paths, paths))
    const recent = [...open.recent, { revision, author, label, paths }].slice(-RECENT)
    const next: Open = { doc: result.doc, revision, seq, rows: open.rows + 1, bytes, recent, snapshot: open.snapshot }
    this.#hold(id, next)
    if (next.rows >= SNAPSHOT_ROWS || bytes >= SNAPSHOT_BYTES) this.#keepWhole(id, next)
    const [undo, redo] = await Promise.all([this.#next(id, 'undo', author), this.#next(id, 'redo', author)])
    this.#events.send({
      type: 'project',
      projectId: id,
      revision,
      author,
      label,
      over: [...new Set(over.map((r) => r.author))],
      edit,
      patches: result.forward,
      files: arrived.map((f) => this.#gathered(f, null)),
      steps: { undo: undo?.label ?? null, redo: redo?.label ?? null },
    })
    return { revision, doc: result.doc, over: [...new Set(over.map((r) => r.label))] }
  }

  /** Writes statements of others in the order of all writing. */
  write(statements: readonly Statement[]): Promise<void> {
    return this.#inOrder(() => allOrNone(this.#db, statements))
  }

  async #again<T>(task: () => Promise<T>): Promise<T> {
    for (let n = 1; ; n++) {
      try {
        return await task()
      } catch (error) {
        if (!(error instanceof Stale) || n === TRIES) throw error
        this.#open.clear()
      }
    }
  }

  /**
   * Takes back the author's own last step that still holds, or does the one again that they took back last. What
   * others did meanwhile stays; where they changed the same, the step is refused.
   * @returns its label, null when there is none
   * @throws EditError when somebody else has changed the same since
   */
  step(id: string, direction: 'undo' | 'redo', author = ''): Promise<string | null> {
    return this.#inOrder(() =>
      this.#again(async () => {
        await this.#row(id)
        const open = await this.#load(id)
        const found = await this.#next(id, direction, author)
        if (!found) return null
        const group = (await this.#rows(id, direction === 'undo' ? 'done' : 'undone')).filter((r) => r.groupId === found.groupId && mine(author, r.author))
        const order = direction === 'undo' ? [...group].reverse() : group
        const paths = pathsOf(group.flatMap((r) => r.forward))
        const others = await this.#later(id, group[0].seq)
        const inTheWay = others.find((r) => !mine(author, r.author) && touch(paths, pathsOf(r.forward)))
        const refused = (by: string) =>
          new EditError(`“${found.label}” cannot be ${direction === 'undo' ? 'undone' : 'redone'}: somebody else changed the same since (${by})`)
        if (inTheWay) throw refused(inTheWay.label)
        let doc = open.doc
        const [forward, backward]: [Patch[], Patch[]] = [[], []]
        try {
          for (const row of order) {
            const [ahead, back] = direction === 'undo' ? [row.backward, row.forward] : [row.forward, row.backward]
            doc = applyKeptPatches(doc, ahead)
            forward.push(...ahead)
            backward.unshift(...back)
          }
        } catch {
          throw refused('what it changed is gone')
        }
        const state = direction === 'undo' ? 'undone' : 'done'
        await this.#keep(id, open, { doc, forward, backward }, found.label, { author }, [], { seqs: group.map((r) => r.seq), state })
        return found.label
      }),
    )
  }

  /** The row whose group the author's next undo or redo takes. */
  async #next(id: string, direction: 'undo' | 'redo', author: string): Promise<{ label: string; groupId: string } | null> {
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

  async #rows(id: string, state: RowState): Promise<LogRow[]> {
    const rows = await this.#db
      .select()
      .from(edits)
      .where(and(eq(edits.projectId, id), eq(edits.state, state)))
      .orderBy(asc(edits.seq))
    return rows.map(logRow)
  }

  /** Rows after one that change the document as it is: all but those taken back for good count, steps too. */
  async #later(id: string, seq: number): Promise<LogRow[]> {
    const rows = await this.#db
      .select()
      .from(edits)
      .where(and(eq(edits.projectId, id), gt(edits.seq, seq), inArray(edits.state, ['done', 'step'])))
    return rows.map(logRow)
  }

  async #checkFiles(id: string, list: readonly Edit[]): Promise<void> {
    const named = list.flatMap((e) => (e.type === 'addClips' ? e.clips.map((c) => c.fileId) : []))
    if (named.length === 0) return
    const known = new Set((await this.#db.select({ id: files.id }).from(files).where(eq(files.projectId, id))).map((f) => f.id))
    if (named.some((fileId) => !known.has(fileId))) throw new EditError('a clip names a file that was not gathered into this project')
  }

  async files(projectId: string): Promise<FileRow[]> {
    return (await this.#fileRows(projectId)).map((r) => r.row)
  }

  async #fileRows(projectId: string): Promise<{ row: FileRow; problem: string | null }[]> {
    const rows = await this.#db.select().from(files).where(eq(files.projectId, projectId)).orderBy(files.addedAt)
    return rows.map((r) => {
      const { facts, problem } = readFacts(r.facts)
      return { row: { ...r, facts, notes: readNotes(r.notes) }, problem }
    })
  }

  /** Paths of all gathered files, of deleted projects too. */
  async allPaths(): Promise<Set<string>> {
    return new Set((await this.#db.select({ path: files.path }).from(files)).map((f) => f.path))
  }

  /** Whether any change of a project ever named this; what was brought in by an edit and taken back by undo was named. */
  async wasNamed(projectId: string, text: string): Promise<boolean> {
    const rows = await this.#db.select({ forward: edits.forward }).from(edits).where(eq(edits.projectId, projectId))
    return rows.some((r) => r.forward.includes(text))
  }

  /** Originals that are somewhere else now. */
  async moveFiles(projectId: string, moved: readonly { file: { id: string }; path: string }[]): Promise<void> {
    if (moved.length === 0) return
    await this.write(
      moved.map(({ file, path: now }) =>
        this.#db
          .update(files)
          .set({ path: now, name: path.basename(now) })
          .where(eq(files.id, file.id)),
      ),
    )
    this.#events.send({ type: 'files', projectId })
  }

  /** Keeps facts that only a full pass over a file can tell (exact frame count, empty channels). */
  async updateFile(id: string, projectId: string, change: { facts?: FileFacts; notes?: string[] }): Promise<void> {
    const set = { ...(change.facts && { facts: JSON.stringify(change.facts) }), ...(change.notes && { notes: JSON.stringify(change.notes) }) }
    if (change.facts || change.notes) await this.#inOrder(() => this.#db.update(files).set(set).where(eq(files.id, id)))
    const found = (await this.#fileRows(projectId)).find(({ row }) => row.id === id)
    if (found) this.#events.send({ type: 'file', projectId, file: this.#gathered(found.row, found.problem) })
  }

  /** The proof of a clip's place as the document is now: undo brings back an earlier one. */
  async proof(projectId: string, clipId: string): Promise<unknown> {
    const doc = await this.doc(projectId)
    const [row] = await this.#db
      .select()
      .from(proofs)
      .where(and(eq(proofs.projectId, projectId), eq(proofs.id, Object.hasOwn(doc.proofs, clipId) ? doc.proofs[clipId] : clipId)))
    if (!row) throw new NotFound('there is no proof for this clip yet; line it up first')
    return JSON.parse(row.proof)
  }

  /** Writes a document whole beside all else: nobody waits for it, and a process that ends meanwhile has lost nothing but this. */
  #keepWhole(id: string, open: Open): void {
    if (open.snapshot) return
    open.snapshot = (async () => {
      const text = await textOf(open.doc)
      await this.#inOrder(() =>
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
    await this.#inOrder(async () => {
      for (const [id, open] of this.#open) {
        if (open.rows === 0) continue
        await this.#db
          .update(projects)
          .set({ doc: JSON.stringify(open.doc), head: open.seq })
          .where(and(eq(projects.id, id), eq(projects.revision, open.revision)))
      }
    })
  }

  #hold(id: string, open: Open): void {
    this.#open.delete(id)
    this.#open.set(id, open)
    for (const [oldest] of this.#open) {
      if (this.#open.size <= MOST_OPEN) break
      this.#open.delete(oldest)
    }
  }

  /** The document as it is now: the kept one with what the log holds beyond it. @throws HurtProject, NotFound */
  async #load(id: string): Promise<Open> {
    const head = await this.#row(id, true)
    const held = this.#open.get(id)
    if (held?.revision === head.revision) return held
    // Read at one instant, so that document, revision and log belong together.
    const [[{ text, snapshot, revision }], rows] = await this.#db.batch([
      this.#db.select({ text: projects.doc, snapshot: projects.head, revision: projects.revision }).from(projects).where(eq(projects.id, id)),
      this.#db
        .select({ seq: edits.seq, forward: edits.forward })
        .from(edits)
        .where(and(eq(edits.projectId, id), gt(edits.seq, sql`(SELECT head FROM projects WHERE id = ${id})`)))
        .orderBy(asc(edits.seq)),
    ])
    try {
      const kept = JSON.parse(text) as unknown
      const last = rows.at(-1)?.seq ?? snapshot
      // What was done since it was written as a whole is in the form in which it was written.
      let newest = kept as ProjectDoc
      for (const row of rows) newest = applyKeptPatches(newest, JSON.parse(row.forward) as Patch[])
      const doc = migrate(newest)
      if (doc !== newest) {
        await this.#bringForward(id, revision, last, newest, doc)
        rows.length = 0
      }
      const open: Open = {
        doc,
        revision,
        seq: last,
        rows: rows.length,
        bytes: rows.reduce((sum, r) => sum + r.forward.length, 0),
        recent: [],
      }
      this.#hold(id, open)
      return open
    } catch (error) {
      if (error instanceof Stale) throw error
      throw new HurtProject(head.name)
    }
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
    const rewrite = (row: LogRow, before: ProjectDoc, after: ProjectDoc) => {
      const [from, to] = [migrate(before), migrate(after)]
      changed.push({ seq: row.seq, forward: JSON.stringify(difference(from, to)), backward: JSON.stringify(difference(to, from)) })
    }
    let at = newest
    for (const row of rows.filter((r) => r.state === 'done').reverse()) {
      const before = applyKeptPatches(at, row.backward)
      rewrite(row, before, at)
      at = before
    }
    at = newest
    for (const row of rows.filter((r) => r.state === 'undone')) {
      const after = applyKeptPatches(at, row.forward)
      rewrite(row, at, after)
      at = after
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

  async #row(id: string, deletedToo = false) {
    const [row] = await this.#db.select(HEAD).from(projects).where(eq(projects.id, id))
    if (!row || (row.deletedAt !== null && !deletedToo)) throw new NotFound('this project does not exist (it may have been deleted)')
    return row
  }
}

/** All of a project's row but its document, which may be large. */
const HEAD = {
  id: projects.id,
  name: projects.name,
  revision: projects.revision,
  createdAt: projects.createdAt,
  changedAt: projects.changedAt,
  deletedAt: projects.deletedAt,
}
type Head = Pick<typeof projects.$inferSelect, keyof typeof HEAD>

/** Entries of a record that are written as text in one go. */
const WRITTEN_AT_ONCE = 400

/** A document as JSON, made piece by piece so that others get their turn. */
async function textOf(doc: ProjectDoc): Promise<string> {
  const parts: string[] = []
  for (const [key, value] of Object.entries(doc)) {
    if (value === undefined) continue
    const entries = value !== null && typeof value === 'object' && !Array.isArray(value) ? Object.entries(value as object) : []
    if (entries.length <= WRITTEN_AT_ONCE) parts.push(`${JSON.stringify(key)}:${JSON.stringify(value)}`)
    else {
      const pieces: string[] = []
      for (let at = 0; at < entries.length; at += WRITTEN_AT_ONCE) {
        pieces.push(JSON.stringify(Object.fromEntries(entries.slice(at, at + WRITTEN_AT_ONCE))).slice(1, -1))
        await setImmediate()
      }
      parts.push(`${JSON.stringify(key)}:{${pieces.filter((p) => p !== '').join(',')}}`)
    }
  }
  return `{${parts.join(',')}}`
}

function logRow(row: typeof edits.$inferSelect): LogRow {
  return { ...row, state: row.state as RowState, forward: JSON.parse(row.forward) as Patch[], backward: JSON.parse(row.backward) as Patch[] }
}

function readNotes(text: string): string[] {
  try {
    const notes = JSON.parse(text) as unknown
    return Array.isArray(notes) ? notes.map(String) : []
  } catch {
    return []
  }
}

function nothingKnown(row: Head): ProjectSummary {
  return { id: row.id, name: row.name, createdAt: row.createdAt, changedAt: row.changedAt, angles: 0, clips: 0, masterSeconds: 0, coverage: [] }
}

function summary(row: Head, doc: ProjectDoc, facts: ReadonlyMap<string, FileFacts>): ProjectSummary {
  const masterFacts = facts.get(doc.clips[clockOf(doc) ?? '']?.fileId ?? '')
  const masterSeconds = masterFacts?.durationSeconds ?? 0
  const length = Math.max(1, secondsToFlicks(masterSeconds))
  const spans = pictureSpans(doc, (id) => facts.get(id))
  const share = (t: number) => Math.max(0, Math.min(1, t / length))
  return {
    ...nothingKnown(row),
    angles: doc.angles.length,
    clips: Object.keys(doc.clips).length,
    masterSeconds,
    coverage: doc.angles.map((a) => ({
      hue: a.hue,
      spans: spans.filter((s) => s.angleId === a.id).map((s): [number, number] => [share(s.start), share(s.end)]),
    })),
  }
}
