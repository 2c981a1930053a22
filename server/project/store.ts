import { randomUUID } from 'node:crypto'
import { existsSync } from 'node:fs'
import path from 'node:path'
import type { GatheredFile, ProjectState, ProjectSummary } from '@pendolo/api'
import { applyEdits, applyKeptPatches, type Edit, emptyProject, type FileFacts, type ProjectDoc, pictureSpans } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { and, desc, eq, gt, isNull } from 'drizzle-orm'
import type { Patch } from 'immer'
import type { Config } from '../config.ts'
import type { Database } from '../db/open.ts'
import { edits, files, projects, proofs } from '../db/schema.ts'
import type { EventHub } from '../http/events.ts'
import { hasArtefact } from '../media/artefacts.ts'

export class NotFound extends Error {
  readonly code = 'not-found'
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
}

/** Projects and their edit log. All writing goes through one queue, so that every edit is one transaction in order. */
export class ProjectStore {
  readonly #db: Database
  readonly #config: Config
  readonly #events: EventHub
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
    const rows = await this.#db.select().from(projects).where(isNull(projects.deletedAt)).orderBy(desc(projects.changedAt))
    const out: ProjectSummary[] = []
    for (const row of rows) {
      const doc = JSON.parse(row.doc) as ProjectDoc
      const known = new Map((await this.files(row.id)).map((f) => [f.id, f.facts]))
      out.push(summary(row, doc, known))
    }
    return out
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
    await this.#inOrder(() =>
      this.#db.transaction(async (tx) => {
        let text = row.doc
        for (const file of await tx.select().from(files).where(eq(files.projectId, id))) {
          const fileId = randomUUID()
          text = text.replaceAll(`"${file.id}"`, `"${fileId}"`)
          await tx.insert(files).values({ ...file, id: fileId, projectId: copy })
        }
        for (const proof of await tx.select().from(proofs).where(eq(proofs.projectId, id))) await tx.insert(proofs).values({ ...proof, projectId: copy })
        await tx.insert(projects).values({ ...row, id: copy, name: `${row.name} (copy)`, doc: text, revision: 0, head: 0, createdAt: now, changedAt: now })
      }),
    )
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
    return JSON.parse((await this.#row(id)).doc) as ProjectDoc
  }

  async name(id: string): Promise<string> {
    return (await this.#row(id)).name
  }

  async state(id: string): Promise<ProjectState> {
    const row = await this.#row(id)
    const gathered = (await this.files(id)).map((f) => this.#gathered(f))
    const [undo] = await this.#db
      .select()
      .from(edits)
      .where(and(eq(edits.projectId, id), eq(edits.seq, row.head)))
    const [redo] = await this.#db
      .select()
      .from(edits)
      .where(and(eq(edits.projectId, id), eq(edits.seq, row.head + 1)))
    return {
      id,
      name: row.name,
      revision: row.revision,
      doc: JSON.parse(row.doc) as ProjectDoc,
      files: gathered,
      canUndo: undo?.label ?? null,
      canRedo: redo?.label ?? null,
    }
  }

  #gathered(f: FileRow): GatheredFile {
    const has = (artefact: 'tile' | 'sharp' | 'sound' | 'peaks') => hasArtefact(this.#config, f.contentKey, artefact)
    return {
      id: f.id,
      path: f.path,
      name: f.name,
      size: f.size,
      contentKey: f.contentKey,
      facts: f.facts,
      notes: f.notes,
      missing: !existsSync(f.path),
      ready: { tile: has('tile'), sharp: has('sharp'), sound: has('sound'), peaks: has('peaks') },
    }
  }

  /**
   * Applies edits as one transaction and one log row.
   * @param group edits with the same group are undone together
   * @throws EditError or CutError when an edit does not fit
   */
  edit(id: string, list: readonly Edit[], label: string, group: string = randomUUID()): Promise<EditOutcome> {
    return this.#inOrder(async () => {
      const row = await this.#row(id)
      const result = applyEdits(JSON.parse(row.doc) as ProjectDoc, list)
      if (result.forward.length === 0) return { revision: row.revision, doc: result.doc }
      const seq = row.head + 1
      const revision = row.revision + 1
      const now = Date.now()
      await this.#db.transaction(async (tx) => {
        await tx.delete(edits).where(and(eq(edits.projectId, id), gt(edits.seq, row.head)))
        await tx.insert(edits).values({
          projectId: id,
          seq,
          groupId: group,
          label,
          forward: JSON.stringify(result.forward),
          backward: JSON.stringify(result.backward),
          at: now,
        })
        await tx
          .update(projects)
          .set({ doc: JSON.stringify(result.doc), revision, head: seq, changedAt: now })
          .where(eq(projects.id, id))
      })
      this.#events.send({ type: 'project', projectId: id, revision })
      return { revision, doc: result.doc }
    })
  }

  /** Takes the last group of edits back (or brings the next one again). @returns its label, null when there is none */
  step(id: string, direction: 'undo' | 'redo'): Promise<string | null> {
    return this.#inOrder(async () => {
      const row = await this.#row(id)
      let doc = JSON.parse(row.doc) as ProjectDoc
      let head = row.head
      let label: string | null = null
      let group: string | null = null
      for (;;) {
        const seq = direction === 'undo' ? head : head + 1
        const [entry] = await this.#db
          .select()
          .from(edits)
          .where(and(eq(edits.projectId, id), eq(edits.seq, seq)))
        if (!entry || (group !== null && entry.groupId !== group)) break
        doc = applyKeptPatches(doc, JSON.parse(direction === 'undo' ? entry.backward : entry.forward) as Patch[])
        head += direction === 'undo' ? -1 : 1
        group = entry.groupId
        label = entry.label
      }
      if (label === null) return null
      const revision = row.revision + 1
      await this.#db
        .update(projects)
        .set({ doc: JSON.stringify(doc), revision, head, changedAt: Date.now() })
        .where(eq(projects.id, id))
      this.#events.send({ type: 'project', projectId: id, revision })
      return label
    })
  }

  async files(projectId: string): Promise<FileRow[]> {
    const rows = await this.#db.select().from(files).where(eq(files.projectId, projectId)).orderBy(files.addedAt)
    return rows.map((r) => ({ ...r, facts: JSON.parse(r.facts) as FileFacts, notes: JSON.parse(r.notes) as string[] }))
  }

  async addFiles(rows: readonly FileRow[]): Promise<void> {
    if (rows.length === 0) return
    const now = Date.now()
    await this.#inOrder(() =>
      this.#db.insert(files).values(rows.map((r, i) => ({ ...r, facts: JSON.stringify(r.facts), notes: JSON.stringify(r.notes), addedAt: now + i }))),
    )
  }

  /** Originals that are somewhere else now. */
  async moveFiles(projectId: string, moved: readonly { file: { id: string }; path: string }[]): Promise<void> {
    if (moved.length === 0) return
    await this.#inOrder(() =>
      this.#db.transaction(async (tx) => {
        for (const { file, path: now } of moved)
          await tx
            .update(files)
            .set({ path: now, name: path.basename(now) })
            .where(eq(files.id, file.id))
      }),
    )
    this.#events.send({ type: 'files', projectId })
  }

  /** Keeps facts that only a full pass over a file can tell (exact frame count, empty channels). */
  async updateFile(id: string, projectId: string, change: { facts?: FileFacts; notes?: string[] }): Promise<void> {
    const set = { ...(change.facts && { facts: JSON.stringify(change.facts) }), ...(change.notes && { notes: JSON.stringify(change.notes) }) }
    if (change.facts || change.notes) await this.#inOrder(() => this.#db.update(files).set(set).where(eq(files.id, id)))
    this.#events.send({ type: 'files', projectId })
  }

  async saveProof(projectId: string, clipId: string, proof: unknown): Promise<void> {
    const text = JSON.stringify(proof)
    await this.#inOrder(() =>
      this.#db
        .insert(proofs)
        .values({ projectId, clipId, proof: text })
        .onConflictDoUpdate({ target: [proofs.projectId, proofs.clipId], set: { proof: text } }),
    )
  }

  async proof(projectId: string, clipId: string): Promise<unknown> {
    const [row] = await this.#db
      .select()
      .from(proofs)
      .where(and(eq(proofs.projectId, projectId), eq(proofs.clipId, clipId)))
    if (!row) throw new NotFound('there is no proof for this clip yet; line it up first')
    return JSON.parse(row.proof)
  }

  async #row(id: string, deletedToo = false) {
    const [row] = await this.#db.select().from(projects).where(eq(projects.id, id))
    if (!row || (row.deletedAt !== null && !deletedToo)) throw new NotFound('this project does not exist (it may have been deleted)')
    return row
  }
}

function summary(row: typeof projects.$inferSelect, doc: ProjectDoc, facts: ReadonlyMap<string, FileFacts>): ProjectSummary {
  const masterFacts = doc.masterClipId ? facts.get(doc.clips[doc.masterClipId]?.fileId ?? '') : undefined
  const masterSeconds = masterFacts?.durationSeconds ?? 0
  const length = Math.max(1, secondsToFlicks(masterSeconds))
  const spans = pictureSpans(doc, (id) => facts.get(id))
  const share = (t: number) => Math.max(0, Math.min(1, t / length))
  return {
    id: row.id,
    name: row.name,
    createdAt: row.createdAt,
    changedAt: row.changedAt,
    angles: doc.angles.length,
    clips: Object.keys(doc.clips).length,
    masterSeconds,
    coverage: doc.angles.map((a) => ({
      hue: a.hue,
      spans: spans.filter((s) => s.angleId === a.id).map((s): [number, number] => [share(s.start), share(s.end)]),
    })),
  }
}
