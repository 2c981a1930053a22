import type { ServerEvent } from '@pendolo/api'
import { eq } from 'drizzle-orm'
import { openDatabase } from '../db/open.ts'
import { files, projects } from '../db/schema.ts'
import { LocalBus } from '../jobs/local-bus.ts'
import { facts, storeContract } from '../ports/store.contract.ts'
import { testConfig } from '../testing.ts'
import { SqliteStore } from './sqlite-store.ts'

const config = testConfig()
const opened: { close(): Promise<void> }[] = []
afterAll(async () => {
  for (const each of opened) await each.close()
})

async function open() {
  const database = await openDatabase(config.home, config.migrations)
  opened.push(database)
  const events = new LocalBus()
  const told: ServerEvent[] = []
  events.listen((e) => told.push(e))
  return { store: new SqliteStore(database.db, config, events), told, db: database.db }
}

storeContract(open)

describe('damage', () => {
  test('a row that cannot be read hurts only its own project, which says so', async () => {
    const { store, db } = await open()
    const [good, bad, odd] = [await store.create('Good'), await store.create('Bad'), await store.create('Odd facts')]
    await db.update(projects).set({ doc: '{"angles":[' }).where(eq(projects.id, bad))
    const values = { projectId: odd, path: '/x.mov', name: 'x.mov', size: 1, contentKey: 'k', notes: 'no list', addedAt: 1 }
    const video = {
      codec: 'h264',
      width: 320,
      height: 180,
      rate: { num: 12800, den: 2147483647 },
      variableRate: false,
      startSeconds: 0,
      frames: 1,
      pixelAspect: '1:1',
    }
    await db.insert(files).values({ ...values, id: 'odd-1', facts: JSON.stringify({ ...facts, video }) })
    await db.insert(files).values({ ...values, id: 'odd-2', facts: '{' })
    const fresh = (await open()).store
    const list = await fresh.list()
    expect(list.find((p) => p.id === good)?.hurt).toBeUndefined()
    expect(list.find((p) => p.id === bad)).toMatchObject({ name: 'Bad', hurt: true })
    await expect(fresh.state(bad)).rejects.toThrow(/“Bad” is damaged.*restore/)
    const state = await fresh.state(odd)
    expect(state.files.map((f) => [f.facts.video, f.notes[0]])).toEqual([
      [null, { code: 'words', text: expect.stringMatching(/pictures a second; that is damaged/) }],
      [null, { code: 'words', text: expect.stringMatching(/gather it again/) }],
    ])
  })
})
