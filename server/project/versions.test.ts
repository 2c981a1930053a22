import { mkdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { gunzipSync } from 'node:zlib'
import { createClient, type InValue } from '@libsql/client'
import { layOut, writeEdl, writeOtio } from '@pendolo/core/formats'
import { applyKeptPatches, emptyProject, migrate, type ProjectDoc } from '@pendolo/core/project'
import { flicks } from '@pendolo/core/time'
import type { Patch } from 'immer'
import { pino } from 'pino'
import { databaseFile, openDatabase } from '../db/open.ts'
import { LocalBus } from '../jobs/local-bus.ts'
import { SqliteQueue } from '../jobs/sqlite-queue.ts'
import { exchangeFiles } from '../jobs/workshop.ts'
import { testConfig } from '../testing.ts'
import { SqliteStore } from './sqlite-store.ts'

type Row = Record<string, InValue>
interface Kept {
  projects: Row[]
  edits: Row[]
  files: Row[]
  otio: string
  edl: string
}

/** A project as the first version of Pendolo kept it: the demo show lined up, with beats, cuts, marks and three steps taken back. */
const kept = JSON.parse(gunzipSync(readFileSync(path.join(__dirname, 'fixtures', 'version-1.json.gz'))).toString('utf8')) as Kept
const ID = 'depot-night'
/** When the first migration was made, as the migrator writes it down. */
const FIRST_MIGRATION = 1795564429170

async function openOld() {
  const config = testConfig()
  mkdirSync(config.home, { recursive: true })
  const client = createClient({ url: `file:${databaseFile(config.home)}` })
  const sql = readFileSync(path.join(config.migrations, '0000_first.sql'), 'utf8')
  for (const statement of sql.split('--> statement-breakpoint')) await client.execute(statement)
  await client.execute('CREATE TABLE __drizzle_migrations (id SERIAL PRIMARY KEY, hash text NOT NULL, created_at numeric)')
  await client.execute({ sql: 'INSERT INTO __drizzle_migrations (hash, created_at) VALUES (?, ?)', args: ['first', FIRST_MIGRATION] })
  for (const table of ['projects', 'edits', 'files'] as const)
    for (const row of kept[table]) {
      const names = Object.keys(row)
      await client.execute({ sql: `INSERT INTO ${table} (${names.join(', ')}) VALUES (${names.map(() => '?').join(', ')})`, args: Object.values(row) })
    }
  await client.execute(
    "INSERT INTO jobs (id, project_id, kind, state, priority, progress, title, detail, payload, created_at) VALUES ('j1', 'depot-night', 'light', 'queued', 4, 0, 'copy', 'waiting', '{}', 1)",
  )
  client.close()
  const database = await openDatabase(config.home, config.migrations)
  const bus = new LocalBus()
  return { store: new SqliteStore(database.db, config, bus), queue: new SqliteQueue(database.db, bus, pino({ level: 'silent' })), close: database.close }
}

/** Every state the first version went through, by its own patches: the undone ones behind the present one. */
function states(): { docs: ProjectDoc[]; present: number } {
  const rows = [...kept.edits].sort((a, b) => Number(a.seq) - Number(b.seq))
  const head = Number(kept.projects[0].head)
  let at = JSON.parse(String(kept.projects[0].doc)) as ProjectDoc
  const docs = [at]
  for (const row of rows.filter((r) => Number(r.seq) <= head).reverse()) {
    at = applyKeptPatches(at, JSON.parse(String(row.backward)) as Patch[])
    docs.unshift(at)
  }
  const present = docs.length - 1
  at = docs[present]
  for (const row of rows.filter((r) => Number(r.seq) > head)) {
    at = applyKeptPatches(at, JSON.parse(String(row.forward)) as Patch[])
    docs.push(at)
  }
  return { docs, present }
}

/** As it comes back from disk: what is undefined is not there. */
const plain = (doc: ProjectDoc) => JSON.parse(JSON.stringify(doc)) as ProjectDoc

test('a project of the first version gives the same exchange files, byte for byte', async () => {
  const { store, close } = await openOld()
  const exchange = layOut('Depot Night', await store.doc(ID), exchangeFiles(await store.files(ID)))
  expect(JSON.parse(writeOtio(exchange))).toEqual(inPartsOfToday(JSON.parse(kept.otio)))
  expect(writeEdl(exchange)).toBe(kept.edl)
  await close()
})

test('it keeps all decisions and its whole undo, step by step to the beginning and to the end', async () => {
  const { store, close } = await openOld()
  const { docs, present } = states()
  expect(docs.length).toBeGreaterThan(40)
  expect(plain(await store.doc(ID))).toEqual(plain(migrate(docs[present])))
  expect((await store.doc(ID)).cuts[0].points.length).toBeGreaterThan(15)
  const known = docs.map((d) => JSON.stringify(plain(migrate(d)), order))
  let steps = 0
  let at = present
  while ((await store.step(ID, 'undo')) !== null) {
    // Edits of one job go together, so a step may lead past several states.
    const now = JSON.stringify(plain(await store.doc(ID)), order)
    const found = known.lastIndexOf(now, at - 1)
    expect(found).toBeGreaterThanOrEqual(0)
    at = found
    steps++
  }
  expect(at).toBe(0)
  expect(steps).toBeGreaterThan(30)
  while ((await store.step(ID, 'redo')) !== null) steps--
  expect(JSON.stringify(plain(await store.doc(ID)), order)).toBe(known[known.length - 1])
  expect(steps).toBe(-3)
  await close()
})

/** The project as a later version kept it, opened with today's code. */
async function openLater(version: number) {
  const later = JSON.parse(gunzipSync(readFileSync(path.join(__dirname, 'fixtures', `version-${version}.json.gz`))).toString('utf8')) as Kept & { doc: unknown }
  // Its last snapshot is older than what was done.
  expect(Number(later.projects[0].head)).toBeLessThan(Math.max(...later.edits.map((e) => Number(e.seq))))
  const config = testConfig()
  mkdirSync(config.home, { recursive: true })
  const database = await openDatabase(config.home, config.migrations)
  const client = createClient({ url: `file:${databaseFile(config.home)}` })
  for (const table of ['projects', 'edits', 'files'] as const)
    for (const row of later[table]) {
      const names = Object.keys(row)
      await client.execute({ sql: `INSERT INTO ${table} (${names.join(', ')}) VALUES (${names.map(() => '?').join(', ')})`, args: Object.values(row) })
    }
  client.close()
  const store = new SqliteStore(database.db, config, new LocalBus())
  const doc = await store.doc(ID)
  expect(plain(doc)).toEqual(plain(migrate(later.doc)))
  const exchange = layOut('Depot Night', doc, exchangeFiles(await store.files(ID)))
  expect(JSON.parse(writeOtio(exchange))).toEqual(inPartsOfToday(JSON.parse(later.otio)))
  expect(writeEdl(exchange)).toBe(later.edl)
  return { store, doc, close: database.close }
}

test('a project of the second version, kept in steps behind its last snapshot, opens as it was, gives the same exchange files, and its steps can be taken back', async () => {
  const { store, doc, close } = await openLater(2)
  // Its one range for all versions is that of each of them now.
  for (const cut of doc.cuts) expect(cut.pieces).toEqual([{ id: 'whole', kind: 'range', from: 3.3 * 705_600_000, to: 80 * 705_600_000 }])
  expect(doc.marks.find((m) => m.id === 'part-1')).toMatchObject({ kind: 'part', name: 'Opening' })
  const before = JSON.stringify(plain(doc), order)
  expect(await store.step(ID, 'undo', 'ben')).toBe('version')
  expect((await store.doc(ID)).cuts[0].pieces[0]).not.toMatchObject({ to: 80 * 705_600_000 })
  expect(await store.step(ID, 'redo', 'ben')).toBe('version')
  expect(JSON.stringify(plain(await store.doc(ID)), order)).toBe(before)
  await close()
})

test('a project of the fourth version opens as it was: cuts, marks and versions of it, with all that was done and undone', async () => {
  const { store, doc, close } = await openLater(4)
  expect(doc.cuts).toHaveLength(4)
  for (const { points } of doc.cuts) for (const [i, p] of points.entries()) if (i > 0) expect(p.time).toBeGreaterThan(points[i - 1].time)
  expect(doc.cuts.flatMap((c) => c.points.filter((p) => p.transition || p.split))).toHaveLength(4)
  expect(doc.marks.filter((m) => m.id.startsWith('four-')).map((m) => [m.id, m.end !== undefined])).toEqual([
    ['four-9', true],
    ['four-4', false],
  ])
  const before = JSON.stringify(plain(doc), order)
  const undone: (string | null)[] = []
  for (let label = await store.step(ID, 'undo'); label !== null && undone.length < 12; label = await store.step(ID, 'undo')) undone.push(label)
  expect(undone.slice(0, 4)).toEqual(['split', 'master', 'pattern', 'cut there'])
  for (let n = 0; n <= undone.length; n++) await store.step(ID, 'redo')
  expect(JSON.stringify(plain(await store.doc(ID)), order)).toBe(before)
  // What had been undone when it was kept can be done again.
  const cutAt44 = async () => (await store.doc(ID)).cuts.find((c) => c.id === 'other')?.points.find((p) => p.time === 44 * 705_600_000)
  expect(await cutAt44()).toBeUndefined()
  expect(await store.step(ID, 'redo')).toBe('cut')
  expect((await cutAt44())?.angleId).toBe(doc.angles[1].id)
  expect(await store.step(ID, 'redo')).toBe('cut')
  expect(await cutAt44()).toBeUndefined()
  await close()
})

/** Parts were written as sections once. */
function inPartsOfToday(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inPartsOfToday)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(Object.entries(value).map(([key, v]) => [key, key === 'kind' && v === 'section' ? 'part' : inPartsOfToday(v)]))
}

/** Keys in order, so that equal documents are equal texts. */
function order(_: string, value: unknown): unknown {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return value
  return Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
}

test('work that waited under its old name is known under the one of today, and begins', async () => {
  const { queue, close } = await openOld()
  const begun = new Promise<string>((resolve) => {
    queue.handle('copies', async (run) => {
      resolve(run.jobId)
      return { detail: { code: 'ready' } }
    })
  })
  expect(await queue.list(ID)).toMatchObject([{ id: 'j1', kind: 'copies', state: 'queued' }])
  await queue.resume()
  expect(await begun).toBe('j1')
  await queue.stop()
  await close()
})

test('a project of the third version keeps its reasons as words, and what was undone can be done again', async () => {
  const config = testConfig()
  mkdirSync(config.home, { recursive: true })
  const database = await openDatabase(config.home, config.migrations)
  const client = createClient({ url: `file:${databaseFile(config.home)}` })
  const place = (why: string, start: number) => ({ start, rate: 1, method: 'sound', verdict: 'sure', confidence: 0.9, why, locked: false })
  const { version: _, ...empty } = emptyProject('cut')
  const clips = Object.fromEntries(['m', 'a', 'b'].map((id) => [id, { id, fileId: `f-${id}`, angleId: null, state: 'in' }]))
  const master = {
    ...place('the master itself', 0),
    method: 'master',
    locked: true,
    was: { ...place('by sound; 9 of 9 windows agree', 0), start: undefined, rate: undefined },
  }
  const doc = {
    ...empty,
    version: 3,
    marks: {},
    cuts: empty.cuts.map((cut) => ({ ...cut, points: {} })),
    master: { ...empty.master, clipIds: ['m'] },
    clips,
    placements: { m: master, a: place('by sound; moved by hand', 5) },
    loose: { b: 'the clip is silent' },
  }
  const steps = [
    {
      state: 'done',
      forward: [{ op: 'replace', path: ['placements', 'a', 'why'], value: 'by sound; moved by hand' }],
      backward: [{ op: 'replace', path: ['placements', 'a', 'why'], value: 'by sound' }],
    },
    {
      state: 'undone',
      forward: [
        { op: 'remove', path: ['loose', 'b'] },
        { op: 'add', path: ['placements', 'b'], value: place('accepted by you', 7) },
      ],
      backward: [
        { op: 'remove', path: ['placements', 'b'] },
        { op: 'add', path: ['loose', 'b'], value: 'the clip is silent' },
      ],
    },
  ]
  await client.execute({
    sql: "INSERT INTO projects (id, name, doc, revision, head, created_at, changed_at) VALUES ('p', 'Third', ?, 3, 2, 1, 1)",
    args: [JSON.stringify(doc)],
  })
  for (const [i, { state, forward, backward }] of steps.entries())
    await client.execute({
      sql: "INSERT INTO edits (project_id, seq, group_id, label, forward, backward, at, author, state) VALUES ('p', ?, ?, ?, ?, ?, 1, '', ?)",
      args: [i + 1, `g${i}`, `step ${i}`, JSON.stringify(forward), JSON.stringify(backward), state],
    })
  client.close()
  const store = new SqliteStore(database.db, config, new LocalBus())
  const now = await store.doc('p')
  expect(now.version).toBe(5)
  expect(now.placements.m).toMatchObject({
    why: [{ code: 'master' }],
    was: {
      why: [
        { code: 'words', text: 'by sound' },
        { code: 'words', text: '9 of 9 windows agree' },
      ],
    },
  })
  expect(now.placements.a.why).toEqual([{ code: 'words', text: 'by sound' }, { code: 'moved' }])
  expect(now.loose).toEqual({ b: [{ code: 'words', text: 'the clip is silent' }] })
  expect(await store.step('p', 'redo')).toBe('step 1')
  expect((await store.doc('p')).placements.b).toMatchObject({ start: 7, why: [{ code: 'accepted' }] })
  expect((await store.doc('p')).loose).toEqual({})
  await store.step('p', 'undo')
  expect(await store.doc('p')).toEqual(now)
  expect(await store.step('p', 'undo')).toBe('step 0')
  expect((await store.doc('p')).placements.a.why).toEqual([{ code: 'words', text: 'by sound' }])
  // Moved again, it says so once.
  await store.step('p', 'redo')
  await store.edit('p', [{ type: 'nudge', clipIds: ['a'], by: flicks(1) }], 'nudge')
  expect((await store.doc('p')).placements.a.why).toEqual([{ code: 'words', text: 'by sound' }, { code: 'moved' }])
  await database.close()
})
