import { existsSync, mkdirSync } from 'node:fs'
import path from 'node:path'
import { type Client, createClient } from '@libsql/client'
import { drizzle, type LibSQLDatabase } from 'drizzle-orm/libsql'
import { migrate } from 'drizzle-orm/libsql/migrator'
import type { Write } from '../ports/store.ts'
import * as schema from './schema.ts'

export type Database = LibSQLDatabase<typeof schema>

/**
 * All writes as one transaction, on the one connection and without waiting in between: nothing of this process
 * comes between them, and a process that ends leaves all of them or none.
 */
export async function allOrNone(db: Database, writes: readonly Write[]): Promise<void> {
  const [first, ...others] = writes
  if (first) await db.batch([first, ...others])
}

/** Whether an error says that an entry was there already. */
export function isTaken(error: unknown): boolean {
  for (let at: unknown = error; at instanceof Error; at = at.cause)
    if (/SQLITE_CONSTRAINT|UNIQUE constraint failed/.test(`${(at as { code?: string }).code} ${at.message}`)) return true
  return false
}

/** Whether SQLite itself refused it. */
export function isRefused(error: unknown): boolean {
  for (let at: unknown = error; at instanceof Error; at = at.cause) if (/SQLITE_/.test(`${(at as { code?: string }).code} ${at.message}`)) return true
  return false
}

export interface OpenDatabase {
  readonly db: Database
  /** Folds the log of writes in, so that one file holds all, and closes. */
  close(): Promise<void>
}

export const databaseFile = (home: string): string => path.join(home, 'pendolo.db')

/** The database cannot be read; the message says what was found. */
export class DamagedDatabase extends Error {
  readonly code = 'damaged'
}

/**
 * Opens (and brings up to date) the database below `home`.
 * @param migrations folder with the drizzle-kit migrations
 * @throws DamagedDatabase when what is there cannot be relied on; nothing is changed then
 */
export async function openDatabase(home: string, migrations: string): Promise<OpenDatabase> {
  mkdirSync(home, { recursive: true })
  const file = databaseFile(home)
  const damage = existsSync(file) ? await damageOf(file) : null
  if (damage) throw new DamagedDatabase(damage)
  // Statements are run one by one anyway; one connection holds all settings, and no files are opened for others.
  const client: Client = createClient({ url: `file:${file}`, concurrency: 1 })
  // Write-ahead log: readers never wait, and what was acknowledged survives a killed process.
  await client.execute('PRAGMA journal_mode = WAL')
  await client.execute('PRAGMA synchronous = FULL')
  await client.execute('PRAGMA busy_timeout = 5000')
  const db = drizzle(client, { schema })
  await migrate(db, { migrationsFolder: migrations })
  let closed = false
  return {
    db,
    async close() {
      if (closed) return
      closed = true
      await client.execute('PRAGMA wal_checkpoint(TRUNCATE)').catch(() => undefined)
      client.close()
    },
  }
}

/** What is wrong with a database file; null when it is whole. */
export async function damageOf(file: string): Promise<string | null> {
  const client = createClient({ url: `file:${file}` })
  try {
    const { rows } = await client.execute('PRAGMA quick_check(1)')
    const told = String(Object.values(rows[0] ?? {})[0] ?? '')
    return told === 'ok' ? null : told
  } catch (error) {
    const { code, message } = error as Error & { code?: string }
    // A full disk or a busy file is no damage.
    if (!/^SQLITE_(NOTADB|CORRUPT)/.test(code ?? '') && !/malformed|not a database/.test(message)) throw error
    return message.replace(/^SQLITE_\w+: /, '')
  } finally {
    client.close()
  }
}
