import { randomUUID } from 'node:crypto'
import type { Detail, Job, JobKind, JobResult, JobState } from '@pendolo/api'
import { and, asc, desc, eq, inArray } from 'drizzle-orm'
import type { Logger } from 'pino'
import { allOrNone, type Database } from '../db/open.ts'
import { jobs } from '../db/schema.ts'
import { diskWords } from '../disk.ts'
import { Cancelled } from '../media/ffmpeg.ts'
import type { EventBus } from '../ports/bus.ts'
import type { JobHandler, JobQueue, NewJob } from '../ports/queue.ts'
import type { Write } from '../ports/store.ts'

/** Smaller runs first: hearing comes before seeing, and what a person waits for before what merely improves the view. */
const PRIORITY: Record<JobKind, number> = { originals: 0, lineup: 0, film: 1, loudness: 1, sound: 2, pulse: 3, steady: 3, prepare: 3, copies: 4 }
/** Jobs of one kind at the same time; ffmpeg itself uses several cores. */
const AT_ONCE = 2
const KIND_AT_ONCE: Record<JobKind, number> = { originals: 1, lineup: 1, film: 1, loudness: 1, sound: 1, pulse: 1, steady: 1, prepare: 1, copies: 1 }
/** A job during which the process ended so often is set aside: it may be what ended it. */
const MOST_CRASHES = 2
/** Writing how a job ended is tried again after these waits, ms: a full disk may have room later. */
const END_TRIES = [200, 1000, 5000]
/** Progress is told at most this often, ms. */
const TELL_EVERY = 200

/** Jobs kept in SQLite. */
export class SqliteQueue implements JobQueue {
  readonly #db: Database
  readonly #events: EventBus
  readonly #log: Logger
  readonly #handlers = new Map<JobKind, JobHandler>()
  readonly #running = new Map<string, { kind: JobKind; abort: AbortController; alone: boolean; work: Promise<void> }>()
  #stopping = false
  #wake: Promise<void> = Promise.resolve()

  constructor(db: Database, events: EventBus, log: Logger) {
    this.#db = db
    this.#events = events
    this.#log = log
  }

  handle(kind: JobKind, handler: JobHandler): void {
    this.#handlers.set(kind, handler)
  }

  async resume(): Promise<void> {
    const left = await this.#db.select({ id: jobs.id, crashes: jobs.crashes }).from(jobs).where(eq(jobs.state, 'running'))
    for (const { id, crashes } of left) {
      const aside = crashes + 1 >= MOST_CRASHES
      await this.#db
        .update(jobs)
        .set(
          aside
            ? { state: 'failed', crashes: crashes + 1, finishedAt: Date.now(), detail: kept({ code: 'ended-twice' }) }
            : { state: 'queued', crashes: crashes + 1, detail: kept({ code: 'taken-up' }) },
        )
        .where(eq(jobs.id, id))
    }
    this.#poke()
  }

  async latest(projectId: string): Promise<Map<string, JobState>> {
    const rows = await this.#db
      .select({ kind: jobs.kind, fileId: jobs.fileId, state: jobs.state })
      .from(jobs)
      .where(eq(jobs.projectId, projectId))
      .orderBy(asc(jobs.createdAt))
    return new Map(rows.map((r) => [`${r.kind} ${r.fileId}`, r.state as JobState]))
  }

  async add(job: NewJob): Promise<string> {
    const payload = JSON.stringify(job.payload ?? {})
    const open = await this.#db
      .select()
      .from(jobs)
      .where(and(eq(jobs.projectId, job.projectId), eq(jobs.kind, job.kind), inArray(jobs.state, ['queued', 'running'])))
    const same = open.find((j) => j.fileId === (job.fileId ?? null) && j.payload === payload)
    if (same) return same.id
    const { ids, writes } = this.prepare([job])
    await allOrNone(this.#db, writes)
    await this.announce(ids)
    return ids[0]
  }

  prepare(list: readonly NewJob[]): { ids: string[]; writes: Write[] } {
    const now = Date.now()
    const rows = list.map((job, i) => ({
      id: randomUUID(),
      projectId: job.projectId,
      kind: job.kind,
      state: 'queued',
      priority: PRIORITY[job.kind],
      progress: 0,
      about: job.about ?? '',
      detail: kept({ code: 'waiting' }),
      fileId: job.fileId ?? null,
      payload: JSON.stringify(job.payload ?? {}),
      author: job.author ?? '',
      createdAt: now + i,
    }))
    // SQLite takes a limited number of values at once.
    const writes: Write[] = []
    for (let at = 0; at < rows.length; at += 500) writes.push(this.#db.insert(jobs).values(rows.slice(at, at + 500)))
    return { ids: rows.map((r) => r.id), writes }
  }

  async announce(ids: readonly string[]): Promise<void> {
    for (const id of ids) await this.#tell(id)
    this.#poke()
  }

  async list(projectId?: string, state?: JobState): Promise<Job[]> {
    const rows = await this.#db
      .select()
      .from(jobs)
      .where(and(projectId ? eq(jobs.projectId, projectId) : undefined, state ? eq(jobs.state, state) : undefined))
      .orderBy(desc(jobs.createdAt))
      .limit(500)
    return rows.map(publicJob)
  }

  async get(id: string): Promise<Job | null> {
    const [row] = await this.#db.select().from(jobs).where(eq(jobs.id, id))
    return row ? publicJob(row) : null
  }

  async cancel(id: string): Promise<void> {
    const running = this.#running.get(id)
    if (running) {
      running.abort.abort()
      return
    }
    await this.#db
      .update(jobs)
      .set({ state: 'cancelled', detail: kept({ code: 'cancelled' }), finishedAt: Date.now() })
      .where(and(eq(jobs.id, id), eq(jobs.state, 'queued')))
    await this.#tell(id)
  }

  async retry(id: string): Promise<void> {
    await this.#db
      .update(jobs)
      .set({ state: 'queued', progress: 0, detail: kept({ code: 'waiting' }), finishedAt: null, crashes: 0, raw: null })
      .where(and(eq(jobs.id, id), inArray(jobs.state, ['failed', 'cancelled'])))
    await this.#tell(id)
    this.#poke()
  }

  async stop(): Promise<void> {
    this.#stopping = true
    const ids = [...this.#running.keys()]
    const works = [...this.#running.values()].map((r) => r.work)
    for (const { abort } of this.#running.values()) abort.abort()
    await Promise.all(works)
    if (ids.length === 0) return
    await this.#db
      .update(jobs)
      .set({ state: 'queued', detail: kept({ code: 'taken-up' }) })
      .where(and(inArray(jobs.id, ids), eq(jobs.state, 'running')))
  }

  #poke(): void {
    this.#wake = this.#wake.then(() => this.#fill()).catch((error) => this.#log.error(error, 'job queue'))
  }

  async #fill(): Promise<void> {
    while (!this.#stopping && this.#running.size < AT_ONCE) {
      const waiting = await this.#db.select().from(jobs).where(eq(jobs.state, 'queued')).orderBy(asc(jobs.priority), asc(jobs.createdAt)).limit(200)
      const running = [...this.#running.values()]
      // What may have ended the process runs by itself, so that it is known which one it was.
      if (running.some((r) => r.alone)) return
      const next = waiting.find((j) => {
        const kind = j.kind as JobKind
        const same = running.filter((r) => r.kind === kind).length
        return this.#handlers.has(kind) && same < KIND_AT_ONCE[kind] && (j.crashes === 0 || running.length === 0)
      })
      if (!next) return
      const abort = new AbortController()
      const entry = { kind: next.kind as JobKind, abort, alone: next.crashes > 0, work: Promise.resolve() }
      this.#running.set(next.id, entry)
      const taken = await this.#db
        .update(jobs)
        .set({ state: 'running', detail: kept({ code: 'starting' }), progress: 0 })
        .where(and(eq(jobs.id, next.id), eq(jobs.state, 'queued')))
        .returning({ id: jobs.id })
      if (taken.length === 0) {
        // It was cancelled since it was looked up.
        this.#running.delete(next.id)
        continue
      }
      await this.#tell(next.id)
      entry.work = this.#work(next, abort)
    }
  }

  async #work(row: typeof jobs.$inferSelect, abort: AbortController): Promise<void> {
    let told = 0
    let lastWrite: Promise<unknown> = Promise.resolve()
    const report = (share: number, detail?: Detail) => {
      const now = Date.now()
      if (now - told < TELL_EVERY || abort.signal.aborted) return
      told = now
      const progress = Math.round(Math.max(0, Math.min(1, share)) * 1000)
      lastWrite = lastWrite
        .then(() =>
          this.#db
            .update(jobs)
            .set({ progress, ...(detail !== undefined && { detail: kept(detail) }) })
            .where(and(eq(jobs.id, row.id), eq(jobs.state, 'running'))),
        )
        .then(() => this.#tell(row.id))
        .catch((error) => this.#log.error(error, 'job progress'))
    }
    const handler = this.#handlers.get(row.kind as JobKind) as JobHandler
    try {
      const outcome = await handler({
        jobId: row.id,
        projectId: row.projectId,
        fileId: row.fileId,
        payload: JSON.parse(row.payload),
        author: row.author,
        signal: abort.signal,
        report,
      })
      await lastWrite
      await this.#end(row.id, 'done', outcome.detail, outcome.result)
    } catch (error) {
      await lastWrite
      if (this.#stopping) return
      if (error instanceof Cancelled || abort.signal.aborted) await this.#end(row.id, 'cancelled', { code: 'cancelled' })
      else {
        this.#log.error({ err: error, job: row.id, kind: row.kind }, 'job failed')
        const { code, raw } = error as { code?: string; raw?: string | null }
        const known = error instanceof Error && typeof code === 'string' && SPOKEN.has(code)
        const disk = known ? null : diskWords(error)
        const said = error instanceof Error ? error.message : String(error)
        const words = known ? said : disk
        const detail: Detail = words === null ? { code: 'unexpected' } : { code: 'words', text: words }
        await this.#end(row.id, 'failed', detail, undefined, known ? (raw ?? null) : said)
      }
    } finally {
      this.#running.delete(row.id)
      this.#poke()
    }
  }

  /** Never throws: where the disk is full, that is told to whoever listens and written when there is room. */
  async #end(id: string, state: JobState, detail: Detail, result?: JobResult, raw: string | null = null): Promise<void> {
    const change = {
      state,
      detail: kept(detail),
      raw,
      finishedAt: Date.now(),
      ...(state === 'done' && { progress: 1000 }),
      result: result ? JSON.stringify(result) : null,
    }
    for (const wait of [...END_TRIES, null]) {
      try {
        await this.#db.update(jobs).set(change).where(eq(jobs.id, id))
        return await this.#tell(id)
      } catch (error) {
        this.#log.error({ err: error, job: id }, 'the end of a job could not be written')
        const job = await this.get(id).catch(() => null)
        if (job) this.#events.send({ type: 'job', job: { ...job, state, detail, finishedAt: change.finishedAt } })
        if (wait === null || this.#stopping) return
        await new Promise((resolve) => setTimeout(resolve, wait).unref())
      }
    }
  }

  async #tell(id: string): Promise<void> {
    const job = await this.get(id)
    if (job) this.#events.send({ type: 'job', job })
  }
}

/** Details as they are kept; those of before codes are words. */
const kept = (detail: Detail): string => JSON.stringify(detail)

function readDetail(text: string): Detail {
  try {
    const detail = JSON.parse(text) as Detail | null
    if (typeof detail === 'object' && typeof detail?.code === 'string') return detail
  } catch {
    // Words.
  }
  return { code: 'words', text }
}

/** Codes of errors whose messages are meant for people. */
const SPOKEN: ReadonlySet<string> = new Set(['media', 'disk', 'edit', 'cut', 'path', 'exchange', 'not-found', 'hurt', 'timecode'])

function publicJob(row: typeof jobs.$inferSelect): Job {
  return {
    id: row.id,
    projectId: row.projectId,
    kind: row.kind as JobKind,
    state: row.state as JobState,
    progress: row.progress / 1000,
    about: row.about,
    detail: readDetail(row.detail),
    fileId: row.fileId,
    raw: row.raw,
    createdAt: row.createdAt,
    finishedAt: row.finishedAt,
    result: row.result ? (JSON.parse(row.result) as JobResult) : null,
  }
}
