import { randomUUID } from 'node:crypto'
import { setImmediate } from 'node:timers/promises'
import type { JobResult, ProjectState, ProjectSummary, Step } from '@pendolo/api'
import {
  applyEdits,
  applyEditsWithRests,
  applyKeptPatches,
  type Edit,
  EditError,
  emptyProject,
  type FileFacts,
  type Note,
  type ProjectDoc,
} from '@pendolo/core/project'
import { Mutex } from 'async-mutex'
import { and, desc, eq, isNotNull, isNull } from 'drizzle-orm'
import type { Patch } from 'immer'
import type { Config } from '../config.ts'
import { allOrNone, type Database, isTaken } from '../db/open.ts'
import { files, jobs, projects, proofs } from '../db/schema.ts'
import type { EventBus } from '../ports/bus.ts'
import { type EditOutcome, type EditWishes, type FileRow, type Gathered, HurtProject, NotFound, type ProjectStore, type Write } from '../ports/store.ts'
import { Documents, type Open } from './documents.ts'
import { ProjectFiles } from './files.ts'
import { EditLog, mine, pathsOf, type RowState, touch, wholeOf } from './log.ts'
import { nothingKnown, summary } from './summary.ts'

/** Changes remembered for those whose edits were made before they knew of them. */
const RECENT = 200
/** Another process may have written in between; then the edit is made again on what is there now. */
const TRIES = 50

/** Somebody else has written the project since it was read. */
class Stale extends Error {}

/** An edit that is sent again was one of so many last ones. */
const NAMES_KEPT = 2000

/** Projects in SQLite. All writing takes turns, so that every edit is one transaction in order. */
export class SqliteStore implements ProjectStore {
  readonly #db: Database
  readonly #events: EventBus
  readonly #turn = new Mutex()
  readonly #documents: Documents
  readonly #log: EditLog
  readonly #files: ProjectFiles
  readonly #config: Config

  constructor(db: Database, config: Config, events: EventBus) {
    this.#db = db
    this.#events = events
    this.#config = config
    this.#documents = new Documents(db, this.#turn)
    this.#log = new EditLog(db)
    this.#files = new ProjectFiles(db, config)
  }

  async list(): Promise<ProjectSummary[]> {
    const rows = await this.#db.select(HEAD).from(projects).where(isNull(projects.deletedAt)).orderBy(desc(projects.changedAt))
    const out: ProjectSummary[] = []
    for (const row of rows) {
      // One damaged row must not take the others with it.
      try {
        const { doc } = await this.#load(row.id)
        out.push(summary(row, doc, await this.files(row.id), await this.#results(row.id), this.#config))
      } catch (error) {
        if (!(error instanceof HurtProject)) throw error
        out.push({ ...nothingKnown(row), hurt: true })
      }
    }
    return out
  }

  /** What the work on a project came to. */
  async #results(id: string): Promise<JobResult[]> {
    const done = await this.#db
      .select({ result: jobs.result })
      .from(jobs)
      .where(and(eq(jobs.projectId, id), isNotNull(jobs.result)))
    return done.map((job) => JSON.parse(job.result as string) as JobResult)
  }

  /** Ids of all projects that are not deleted. */
  async ids(): Promise<string[]> {
    return (await this.#db.select({ id: projects.id }).from(projects).where(isNull(projects.deletedAt))).map((r) => r.id)
  }

  async create(name: string, id: string = randomUUID()): Promise<string> {
    const now = Date.now()
    await this.#turn.runExclusive(() =>
      this.#db.insert(projects).values({ id, name, doc: JSON.stringify(emptyProject(randomUUID())), revision: 0, head: 0, createdAt: now, changedAt: now }),
    )
    this.#events.send({ type: 'projects' })
    return id
  }

  async rename(id: string, name: string): Promise<void> {
    await this.#row(id)
    await this.#turn.runExclusive(() => this.#db.update(projects).set({ name, changedAt: Date.now() }).where(eq(projects.id, id)))
    this.#events.send({ type: 'projects' })
    this.#events.send({ type: 'files', projectId: id })
  }

  /** A copy with the same files, decisions and proofs, without the history. */
  async duplicate(id: string): Promise<string> {
    const row = await this.#row(id)
    const copy = randomUUID()
    const now = Date.now()
    await this.#turn.runExclusive(async () => {
      let text = JSON.stringify((await this.#load(id)).doc)
      const writes: Write[] = []
      for (const file of await this.#db.select().from(files).where(eq(files.projectId, id))) {
        const fileId = randomUUID()
        text = text.replaceAll(`"${file.id}"`, `"${fileId}"`)
        writes.push(this.#db.insert(files).values({ ...file, id: fileId, projectId: copy }))
      }
      for (const proof of await this.#db.select().from(proofs).where(eq(proofs.projectId, id)))
        writes.push(this.#db.insert(proofs).values({ ...proof, projectId: copy }))
      const name = `${row.name.slice(0, 113)} (copy)`
      writes.push(this.#db.insert(projects).values({ id: copy, name, doc: text, revision: 0, head: 0, createdAt: now, changedAt: now }))
      await allOrNone(this.#db, writes)
    })
    this.#events.send({ type: 'projects' })
    return copy
  }

  /** Deleting keeps everything until it is restored; originals are never touched. */
  async setDeleted(id: string, deleted: boolean): Promise<void> {
    await this.#row(id, true)
    await this.#turn.runExclusive(() =>
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
    const gathered = (await this.#files.rows(id)).map((file) => this.#files.gathered(file))
    const [undo, redo] = await Promise.all([this.#log.next(id, 'undo', author), this.#log.next(id, 'redo', author)])
    return { id, name: row.name, revision, doc, files: gathered, canUndo: undo?.label ?? null, canRedo: redo?.label ?? null, seq }
  }

  /**
   * Applies edits as one transaction and one log row.
   * @throws EditError or CutError when an edit does not fit
   */
  edit(id: string, list: readonly Edit[], label: string, wishes: EditWishes = {}): Promise<EditOutcome> {
    return this.#turn.runExclusive(() =>
      this.#again(async () => {
        await this.#row(id)
        const open = await this.#load(id)
        if (wishes.again && wishes.edit && (await this.#took(id, wishes.edit))) return { revision: open.revision, doc: open.doc, over: [] }
        await this.#checkFiles(id, list)
        const result = await applyEditsWithRests(open.doc, list, setImmediate)
        // One edit can be as large as a whole pulse: what is made of it is written down when others have been heard.
        await setImmediate()
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
    also: (rows: readonly FileRow[]) => Write[],
  ): Promise<readonly FileRow[]> {
    return this.#turn.runExclusive(() =>
      this.#again(async () => {
        await this.#row(id)
        const open = await this.#load(id)
        const known = await this.files(id)
        const wanted = await build(open.doc, known)
        if (!wanted) return []
        const fresh = wanted.rows.filter((r) => !known.some((f) => f.id === r.id))
        const result = applyEdits(open.doc, wanted.edits)
        await this.#keep(id, open, result, wanted.label, { author }, [...this.#files.added(fresh, Date.now()), ...also(wanted.rows)], null, fresh)
        return wanted.rows
      }),
    )
  }

  /** Writes a changed document's log row, and tells of it. */
  async #keep(
    id: string,
    open: Open,
    result: { doc: ProjectDoc; forward: Patch[]; backward: Patch[] },
    label: string,
    { edit = null, group = edit ?? randomUUID(), author = '', base }: EditWishes,
    also: readonly Write[] = [],
    stepOf: { seqs: number[]; state: RowState } | null = null,
    arrived: readonly FileRow[] = [],
  ): Promise<EditOutcome> {
    const [seq, revision, now] = [open.seq + 1, open.revision + 1, Date.now()]
    const [forward, backward] = [JSON.stringify(result.forward), JSON.stringify(result.backward)]
    const row = { projectId: id, seq, groupId: group, label, forward, backward, at: now, author }
    try {
      await allOrNone(this.#db, [
        ...this.#log.writes(row, stepOf),
        this.#db
          .update(projects)
          .set({ revision, changedAt: now })
          .where(and(eq(projects.id, id), eq(projects.revision, open.revision))),
        ...also,
      ])
    } catch (error) {
      throw isTaken(error) ? new Stale() : error
    }
    if (edit !== null) this.#remember(id, edit)
    const paths = pathsOf(result.forward)
    const over = base === undefined ? [] : open.recent.filter((r) => r.revision > base && !mine(author, r.author) && touch(r.paths, paths))
    const recent = [...open.recent, { revision, author, label, paths }].slice(-RECENT)
    this.#documents.changed(id, { doc: result.doc, revision, seq, rows: open.rows + 1, bytes: open.bytes + forward.length, recent, snapshot: open.snapshot })
    const [undo, redo] = await Promise.all([this.#log.next(id, 'undo', author), this.#log.next(id, 'redo', author)])
    this.#events.send({
      type: 'project',
      projectId: id,
      revision,
      author,
      label,
      over: [...new Set(over.map((r) => r.author))],
      edit,
      patches: result.forward,
      files: arrived.map((row) => this.#files.gathered({ row, problem: null })),
      steps: { undo: undo?.label ?? null, redo: redo?.label ?? null },
    })
    return { revision, doc: result.doc, over: [...new Set(over.map((r) => r.label))] }
  }

  /** Names of the edits that were taken last, the oldest first. */
  readonly #names = new Set<string>()

  #remember(id: string, edit: string): void {
    this.#names.add(`${id} ${edit}`)
    if (this.#names.size > NAMES_KEPT) this.#names.delete(this.#names.values().next().value as string)
  }

  /** Whether an edit of this name was taken, by this process or, where it was a step of its own, by one before it. */
  async #took(id: string, edit: string): Promise<boolean> {
    return this.#names.has(`${id} ${edit}`) || (await this.#log.has(id, edit))
  }

  /** Writes writes of others in the order of all writing. */
  write(writes: readonly Write[]): Promise<void> {
    return this.#turn.runExclusive(() => allOrNone(this.#db, writes))
  }

  async #again<T>(task: () => Promise<T>): Promise<T> {
    for (let n = 1; ; n++) {
      try {
        return await task()
      } catch (error) {
        if (!(error instanceof Stale) || n === TRIES) throw error
        this.#documents.forget()
      }
    }
  }

  /**
   * Takes back the author's own last step that still holds, or does the one again that they took back last. What
   * others did meanwhile stays; where they changed the same, the step is refused.
   * @param part only the newest part of a step that was made in parts
   * @returns its label, null when there is none
   * @throws EditError when somebody else has changed the same since
   */
  step(id: string, direction: 'undo' | 'redo', author = '', part = false): Promise<string | null> {
    return this.#turn.runExclusive(() =>
      this.#again(async () => {
        await this.#row(id)
        const open = await this.#load(id)
        const found = await this.#log.next(id, direction, author)
        if (!found) return null
        const group = (await this.#log.rows(id, direction === 'undo' ? 'done' : 'undone')).filter(
          (r) => (part ? r.groupId === found.groupId : wholeOf(r.groupId) === wholeOf(found.groupId)) && mine(author, r.author),
        )
        const order = direction === 'undo' ? [...group].reverse() : group
        const paths = pathsOf(group.flatMap((r) => r.forward))
        const others = await this.#log.later(id, group[0].seq)
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

  async steps(id: string, author = ''): Promise<Step[]> {
    await this.#row(id)
    return this.#log.steps(id, author)
  }

  async #checkFiles(id: string, list: readonly Edit[]): Promise<void> {
    const named = list.flatMap((e) => (e.type === 'addClips' ? e.clips.map((c) => c.fileId) : e.type === 'workedFile' && e.fileId !== null ? [e.fileId] : []))
    if (named.length === 0) return
    const known = await this.#files.ids(id)
    if (named.some((fileId) => !known.has(fileId))) throw new EditError('a clip names a file that was not gathered into this project')
  }

  async files(projectId: string): Promise<FileRow[]> {
    return (await this.#files.rows(projectId)).map((r) => r.row)
  }

  allPaths(): Promise<Set<string>> {
    return this.#files.allPaths()
  }

  wasNamed(projectId: string, text: string): Promise<boolean> {
    return this.#log.wasNamed(projectId, text)
  }

  /** Originals that are somewhere else now. */
  async moveFiles(projectId: string, moved: readonly { file: { id: string }; path: string }[]): Promise<void> {
    if (moved.length === 0) return
    await this.write(moved.map(({ file, path }) => this.#files.moved(file.id, path)))
    this.#events.send({ type: 'files', projectId })
  }

  /** Keeps facts that only a full pass over a file can tell (exact frame count, empty channels). */
  async updateFile(id: string, projectId: string, change: { facts?: FileFacts; notes?: Note[] }): Promise<void> {
    const writes = this.#files.known(id, change)
    if (writes.length > 0) await this.write(writes)
    const found = (await this.#files.rows(projectId)).find(({ row }) => row.id === id)
    if (found) this.#events.send({ type: 'file', projectId, file: this.#files.gathered(found) })
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

  close(): Promise<void> {
    return this.#documents.close()
  }

  async #load(id: string): Promise<Open> {
    return this.#documents.load(await this.#row(id, true))
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
