import { cpSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { createClient } from '@libsql/client'
import { jobText } from '@pendolo/api'
import { testConfig } from '../testing.ts'
import { databaseFile, openDatabase } from './open.ts'
import { jobs } from './schema.ts'

/** The migrations as they were when there were only the first `count`. */
function earlier(migrations: string, count: number): string {
  const folder = mkdtempSync(path.join(os.tmpdir(), 'pendolo-migrations-'))
  cpSync(migrations, folder, { recursive: true })
  const journal = path.join(folder, 'meta', '_journal.json')
  const all = JSON.parse(readFileSync(journal, 'utf8'))
  writeFileSync(journal, JSON.stringify({ ...all, entries: all.entries.slice(0, count) }))
  return folder
}

test('jobs of before keep what they are about', async () => {
  const { home, migrations } = testConfig()
  await (await openDatabase(home, earlier(migrations, 2))).close()
  const client = createClient({ url: `file:${databaseFile(home)}` })
  const before = [
    ['sound', 'sound of light of a.wav'],
    ['light', 'light copy of a.mov'],
    ['lineup', 'line up'],
    ['pulse', 'find the pulse'],
    ['pulse', 'find speech'],
    ['film', 'film'],
    ['film', 'film of Encore'],
    ['originals', 'look for originals'],
  ]
  for (const [i, [kind, title]] of before.entries())
    await client.execute({
      sql: "INSERT INTO jobs (id, project_id, kind, state, priority, progress, title, detail, payload, created_at) VALUES (?, 'p', ?, 'done', 0, 0, ?, '', '{}', 0)",
      args: [String(i), kind, title],
    })
  client.close()
  const database = await openDatabase(home, migrations)
  const rows = await database.db.select().from(jobs)
  await database.close()
  expect(rows.map((row) => jobText(row as Parameters<typeof jobText>[0]))).toEqual(before.map(([, title]) => title))
})
