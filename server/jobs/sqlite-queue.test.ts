import { createClient } from '@libsql/client'
import { detailText, type Job } from '@pendolo/api'
import { pino } from 'pino'
import type { Config } from '../config.ts'
import { databaseFile, openDatabase } from '../db/open.ts'
import { held, queueContract, state, until } from '../ports/queue.contract.ts'
import { testConfig } from '../testing.ts'
import { LocalBus } from './local-bus.ts'
import { SqliteQueue } from './sqlite-queue.ts'

const opened: { close(): Promise<void> }[] = []
afterAll(async () => {
  for (const each of opened) await each.close()
})

async function open(config: Config) {
  const database = await openDatabase(config.home, config.migrations)
  opened.push(database)
  const events = new LocalBus()
  const told: Job[] = []
  events.listen((e) => {
    if (e.type === 'job') told.push(e.job)
  })
  const client = createClient({ url: `file:${databaseFile(config.home)}` })
  opened.push({ close: async () => client.close() })
  return { client, queue: new SqliteQueue(database.db, events, pino({ level: 'silent' })), told }
}

queueContract('the queue of jobs in SQLite', testConfig, open)

test('where the end of a job cannot be written, it is told all the same and written when it can be', async () => {
  const { queue, told, client } = await open(testConfig())
  const { runs, handler } = held()
  queue.handle('film', handler)
  const id = await queue.add({ projectId: 'p10', kind: 'film' })
  await until(
    () => runs.length,
    (n) => n === 1,
  )
  await client.execute("CREATE TRIGGER full BEFORE UPDATE ON jobs WHEN NEW.state = 'failed' BEGIN SELECT RAISE(FAIL, 'database or disk is full'); END")
  runs[0].end(Object.assign(new Error('ENOSPC: no space left on device, write'), { code: 'ENOSPC' }))
  await until(
    () => told,
    (all) => all.some((job) => job.id === id && job.state === 'failed' && /disk with the data folder is full/.test(detailText(job.detail))),
  )
  await client.execute('DROP TRIGGER full')
  expect(await state(queue, id, 'failed')).toMatchObject({ detail: { code: 'words', text: expect.stringMatching(/make room/) } })
})
