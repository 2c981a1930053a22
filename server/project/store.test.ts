import type { ServerEvent } from '@pendolo/api'
import type { Edit, FileFacts } from '@pendolo/core/project'
import { openDatabase } from '../db/open.ts'
import { EventHub } from '../http/events.ts'
import { testConfig } from '../testing.ts'
import { NotFound, ProjectStore } from './store.ts'

const config = testConfig()
const opened: { close(): Promise<void> }[] = []
afterAll(async () => {
  for (const each of opened) await each.close()
})

/** A store on the same database as those before it, as the next process would find it. */
async function open() {
  const database = await openDatabase(config.home, config.migrations)
  opened.push(database)
  const events = new EventHub()
  const told: ServerEvent[] = []
  events.listen((e) => told.push(e))
  return { store: new ProjectStore(database.db, config, events), told }
}

const mark = (id: string, time: number): Edit => ({ type: 'addMarks', marks: [{ id, time, kind: 'cue', name: id, hue: 0 }] }) as Edit
const names = async (store: ProjectStore, id: string) => (await store.doc(id)).marks.map((m) => m.name)

const facts: FileFacts = {
  durationSeconds: 12,
  container: 'wav',
  video: null,
  audio: { codec: 'pcm_s16le', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
}

describe('the log of edits', () => {
  test('each edit is one step back and forth, and a new edit ends what could be done again', async () => {
    const { store } = await open()
    const id = await store.create('Log')
    await store.edit(id, [mark('a', 10)], 'drop a')
    await store.edit(id, [mark('b', 20)], 'drop b')
    expect(await store.state(id)).toMatchObject({ revision: 2, canUndo: 'drop b', canRedo: null })
    expect(await store.step(id, 'undo')).toBe('drop b')
    expect(await store.state(id)).toMatchObject({ revision: 3, canUndo: 'drop a', canRedo: 'drop b' })
    expect(await store.step(id, 'redo')).toBe('drop b')
    expect(await names(store, id)).toEqual(['a', 'b'])
    await store.step(id, 'undo')
    await store.edit(id, [mark('c', 30)], 'drop c')
    expect(await store.step(id, 'redo')).toBeNull()
    expect(await names(store, id)).toEqual(['a', 'c'])
  })

  test('undo to the very beginning and again to the end gives the same document, byte for byte, also to another process', async () => {
    const { store } = await open()
    const id = await store.create('Walk')
    const texts = [JSON.stringify(await store.doc(id))]
    for (let i = 0; i < 12; i++) {
      const list: Edit[] = i % 3 === 2 ? [{ type: 'settings', change: { lead: i } }] : [mark(`m${i}`, (i * 7919) % 50)]
      await store.edit(id, list, `step ${i}`)
      texts.push(JSON.stringify(await store.doc(id)))
    }
    for (let i = 11; i >= 0; i--) {
      expect(await store.step(id, 'undo')).toBe(`step ${i}`)
      expect(JSON.parse(JSON.stringify(await store.doc(id)))).toEqual(JSON.parse(texts[i]))
    }
    expect(await store.step(id, 'undo')).toBeNull()
    const after = (await open()).store
    for (let i = 0; i < 12; i++) {
      expect(await after.step(id, 'redo')).toBe(`step ${i}`)
      expect(await after.doc(id)).toEqual(JSON.parse(texts[i + 1]))
    }
    expect(await after.step(id, 'redo')).toBeNull()
  })

  test('edits of one group go back and forth together', async () => {
    const { store } = await open()
    const id = await store.create('Group')
    await store.edit(id, [mark('before', 1)], 'before')
    for (const name of ['x', 'y', 'z']) await store.edit(id, [mark(name, 5)], 'line up', { group: 'one-search' })
    expect(await store.step(id, 'undo')).toBe('line up')
    expect(await names(store, id)).toEqual(['before'])
    expect(await store.step(id, 'redo')).toBe('line up')
    expect((await names(store, id)).sort()).toEqual(['before', 'x', 'y', 'z'])
  })

  test('what changes nothing leaves no step behind, what does not fit leaves nothing at all', async () => {
    const { store, told } = await open()
    const id = await store.create('Nothing')
    const { lead } = (await store.doc(id)).settings
    told.length = 0
    expect(await store.edit(id, [{ type: 'settings', change: { lead } }], 'nothing')).toMatchObject({ revision: 0 })
    await expect(store.edit(id, [mark('kept out', 3), { type: 'lock', clipIds: ['nobody'], locked: true }], 'half wrong')).rejects.toThrow(
      /nobody|no place|clip/,
    )
    expect(await names(store, id)).toEqual([])
    expect(told).toEqual([])
    // The queue of writers goes on after an edit that failed.
    await store.edit(id, [mark('next', 4)], 'next')
    expect(told).toEqual([{ type: 'project', projectId: id, revision: 1, author: '', label: 'next', over: [] }])
  })

  test('edits that arrive at once are applied one after the other; none is lost', async () => {
    const { store } = await open()
    const id = await store.create('Crowd')
    const outcomes = await Promise.all(Array.from({ length: 25 }, (_, i) => store.edit(id, [mark(`n${i}`, i)], `n${i}`)))
    expect(outcomes.map((o) => o.revision)).toEqual(Array.from({ length: 25 }, (_, i) => i + 1))
    expect(await names(store, id)).toHaveLength(25)
  })
})

describe('projects', () => {
  test('a copy has decisions, files and proofs of its own', async () => {
    const { store } = await open()
    const id = await store.create('Original')
    const angle = { id: 'angle-1', name: 'Desk', hue: 0, framing: 'fit', distance: 0 } as const
    const clip = { id: 'clip-1', fileId: 'file-1', angleId: 'angle-1', state: 'in' } as const
    const row = { id: 'file-1', projectId: id, path: '/nowhere/mix.wav', name: 'mix.wav', size: 5, contentKey: 'k1', facts, notes: ['a note'] }
    const edits = [mark('a', 10), { type: 'addClips', angles: [angle], clips: [clip] } as Edit]
    await store.gather(
      id,
      '',
      () => ({ rows: [row], edits, label: 'gather' }),
      async () => undefined,
    )
    await store.saveProof(id, 'clip-1', { score: 1 })
    const copy = await store.duplicate(id)
    const state = await store.state(copy)
    expect(state).toMatchObject({ name: 'Original (copy)', canUndo: null, canRedo: null })
    expect(state.files).toMatchObject([{ name: 'mix.wav', notes: ['a note'], missing: true }])
    expect(state.files[0].id).not.toBe('file-1')
    expect(state.doc.clips['clip-1'].fileId).toBe(state.files[0].id)
    expect(await store.proof(copy, 'clip-1')).toEqual({ score: 1 })
    await store.edit(copy, [mark('only here', 20)], 'drop')
    await store.saveProof(copy, 'clip-1', { score: 2 })
    expect(await names(store, id)).toEqual(['a'])
    expect(await store.proof(id, 'clip-1')).toEqual({ score: 1 })
  })

  test('a deleted project is gone from the list and from hand, and comes back whole with its history', async () => {
    const { store } = await open()
    const id = await store.create('Regretted')
    await store.edit(id, [mark('a', 10)], 'drop a')
    await store.setDeleted(id, true)
    expect((await store.list()).map((p) => p.id)).not.toContain(id)
    await expect(store.state(id)).rejects.toThrow(NotFound)
    await expect(store.edit(id, [mark('b', 1)], 'b')).rejects.toThrow(/deleted/)
    await store.setDeleted(id, false)
    expect(await store.step(id, 'undo')).toBe('drop a')
  })

  test('a proof that was never made is said to be missing in words', async () => {
    const { store } = await open()
    const id = await store.create('No proof')
    await expect(store.proof(id, 'clip')).rejects.toThrow('line it up first')
  })
})
