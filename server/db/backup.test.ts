import { mkdirSync } from 'node:fs'
import { pino } from 'pino'
import { openWorkshop } from '../http/serve.ts'
import { testConfig } from '../testing.ts'
import { backupsOf, restore } from './backup.ts'
import { openDatabase } from './open.ts'
import { projects } from './schema.ts'

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

test('the database is copied after each time in which something was changed, and not otherwise', async () => {
  const config = testConfig()
  const shop = await openWorkshop(config, pino({ level: 'silent' }), { backupEvery: 300 })
  await pause(1000)
  expect(backupsOf(config.home)).toEqual([])
  const id = await shop.store.create('Depot Night')
  const until = Date.now() + 15_000
  while (backupsOf(config.home).length === 0 && Date.now() < until) await pause(50)
  const [copy] = backupsOf(config.home)
  // It is a whole database, with the project in it.
  const other = testConfig()
  mkdirSync(other.home)
  expect(await restore(other.home, copy.file)).toBeNull()
  const { db, close } = await openDatabase(other.home, config.migrations)
  expect(await db.select({ id: projects.id }).from(projects)).toEqual([{ id }])
  await close()
  await pause(1000)
  expect(backupsOf(config.home)).toHaveLength(1)
  await shop.close()
})
