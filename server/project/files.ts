import { existsSync } from 'node:fs'
import path from 'node:path'
import type { GatheredFile } from '@pendolo/api'
import { type FileFacts, type Note, readFacts } from '@pendolo/core/project'
import { eq } from 'drizzle-orm'
import type { Config } from '../config.ts'
import type { Database } from '../db/open.ts'
import { files } from '../db/schema.ts'
import { type Artefact, hasArtefact } from '../media/artefacts.ts'
import type { FileRow, Write } from '../ports/store.ts'

/** SQLite takes a limited number of values at once. */
const ROWS_AT_ONCE = 500

/** A file as it is kept; `problem` says what of its facts could not be read. */
export interface KeptFile {
  readonly row: FileRow
  readonly problem: string | null
}

/** The gathered files of projects. */
export class ProjectFiles {
  readonly #db: Database
  readonly #config: Config

  constructor(db: Database, config: Config) {
    this.#db = db
    this.#config = config
  }

  async rows(projectId: string): Promise<KeptFile[]> {
    const rows = await this.#db.select().from(files).where(eq(files.projectId, projectId)).orderBy(files.addedAt)
    return rows.map((r) => {
      const { facts, problem } = readFacts(r.facts)
      return { row: { ...r, facts, notes: readNotes(r.notes) }, problem }
    })
  }

  /** A file as pages see it, with what is ready of it. */
  gathered({ row: f, problem }: KeptFile): GatheredFile {
    const has = (artefact: Artefact) => hasArtefact(this.#config, f.contentKey, artefact)
    return {
      id: f.id,
      path: f.path,
      name: f.name,
      size: f.size,
      contentKey: f.contentKey,
      facts: f.facts,
      notes: problem === null ? f.notes : [{ code: 'words', text: problem }, ...f.notes],
      missing: !existsSync(f.path),
      ready: {
        tile: has('tile'),
        sharp: has('sharp'),
        sound: has('sound'),
        channels: has('channels'),
        peaks: has('peaks'),
        channelPeaks: has('channelPeaks'),
      },
    }
  }

  async allPaths(): Promise<Set<string>> {
    return new Set((await this.#db.select({ path: files.path }).from(files)).map((f) => f.path))
  }

  async ids(projectId: string): Promise<Set<string>> {
    return new Set((await this.#db.select({ id: files.id }).from(files).where(eq(files.projectId, projectId))).map((f) => f.id))
  }

  added(rows: readonly FileRow[], at: number): Write[] {
    const values = rows.map((r, i) => ({ ...r, facts: JSON.stringify(r.facts), notes: JSON.stringify(r.notes), addedAt: at + i }))
    const writes: Write[] = []
    for (let i = 0; i < values.length; i += ROWS_AT_ONCE) writes.push(this.#db.insert(files).values(values.slice(i, i + ROWS_AT_ONCE)))
    return writes
  }

  moved(id: string, now: string): Write {
    return this.#db
      .update(files)
      .set({ path: now, name: path.basename(now) })
      .where(eq(files.id, id))
  }

  known(id: string, { facts, notes }: { facts?: FileFacts; notes?: Note[] }): Write[] {
    const set = { ...(facts && { facts: JSON.stringify(facts) }), ...(notes && { notes: JSON.stringify(notes) }) }
    return facts || notes ? [this.#db.update(files).set(set).where(eq(files.id, id))] : []
  }
}

/** Notes as they are kept; those of before codes are words. */
function readNotes(text: string): Note[] {
  try {
    const notes = JSON.parse(text) as unknown
    return Array.isArray(notes) ? notes.map((note): Note => (typeof note === 'object' && note?.code ? note : { code: 'words', text: String(note) })) : []
  } catch {
    return []
  }
}
