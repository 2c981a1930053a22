import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { type Client, createClient } from '@libsql/client'
import { drizzle, type LibSQLDatabase } from 'drizzle-orm/libsql'
import { migrate } from 'drizzle-orm/libsql/migrator'
import * as schema from './schema.ts'

export type Database = LibSQLDatabase<typeof schema>

export interface OpenDatabase {
  readonly db: Database
  close(): void
}

/**
 * Opens (and brings up to date) the database below `home`.
 * @param migrations folder with the drizzle-kit migrations
 */
export async function openDatabase(home: string, migrations: string): Promise<OpenDatabase> {
  mkdirSync(home, { recursive: true })
  const client: Client = createClient({ url: `file:${path.join(home, 'pendolo.db')}` })
  // Write-ahead log: readers never wait, and what was acknowledged survives a killed process.
  await client.execute('PRAGMA journal_mode = WAL')
  await client.execute('PRAGMA synchronous = FULL')
  await client.execute('PRAGMA busy_timeout = 5000')
  const db = drizzle(client, { schema })
  await migrate(db, { migrationsFolder: migrations })
  return { db, close: () => client.close() }
}
