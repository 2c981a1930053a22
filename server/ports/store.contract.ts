import type { ServerEvent } from '@pendolo/api'
import type { Edit, FileFacts } from '@pendolo/core/project'
import { flicks } from '@pendolo/core/time'
import { NotFound, type ProjectStore } from './store.ts'

const mark = (id: string, time: number): Edit => ({ type: 'addMarks', marks: [{ id, time, kind: 'cue', name: id, hue: 0 }] }) as Edit
const names = async (store: ProjectStore, id: string) => (await store.doc(id)).marks.map((m) => m.name)

export const facts: FileFacts = {
  durationSeconds: 12,
  container: 'wav',
  video: null,
  audio: { codec: 'pcm_s16le', channels: 2, layout: 'stereo', sampleRate: 48000, startSeconds: 0, streams: 1 },
  timecode: null,
  recordedAt: null,
  camera: null,
}

/**
 * What any store must do.
 * @param open a store on the same data as those before it, as the next process would find it, with what it tells
 */
export function storeContract(open: () => Promise<{ store: ProjectStore; told: ServerEvent[] }>): void {
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

    test('its steps are told by their words, the newest first, with what was taken back', async () => {
      const { store } = await open()
      const id = await store.create('Steps')
      await store.edit(id, [mark('a', 10)], 'drop a', { author: 'ann' })
      await store.edit(id, [mark('b', 20)], 'line up', { author: 'ann', group: 'job' })
      await store.edit(id, [mark('c', 30)], 'line up', { author: 'ann', group: 'job' })
      await store.edit(id, [mark('d', 40)], 'drop d', { author: 'ben' })
      await store.edit(id, [mark('e', 50)], 'drop e', { author: 'ann' })
      await store.step(id, 'undo', 'ann')
      const told = async (author?: string) => (await store.steps(id, author)).map((s) => `${s.label}${s.done ? '' : ' (back)'}`)
      expect(await told('ann')).toEqual(['drop e (back)', 'line up', 'drop a'])
      expect(await told('ben')).toEqual(['drop d'])
      expect(await told()).toEqual(['drop e (back)', 'drop d', 'line up', 'drop a'])
      expect((await store.steps(id))[0].at).toBeGreaterThan(1e12)
      await expect(store.steps('nobody')).rejects.toThrow(/nobody|no project|does not exist/)
    })

    test('an edit that is sent again because its answer was lost is applied once, by the next process too', async () => {
      const { store } = await open()
      const id = await store.create('Again')
      const nudge: Edit[] = [{ type: 'settings', change: { lead: 3 } }, mark('n', 10)]
      const first = await store.edit(id, nudge, 'once', { author: 'ann', edit: 'e-1' })
      const inPass = await store.edit(id, [mark('p', 20)], 'live pass', { author: 'ann', edit: 'e-2', group: 'pass:1' })
      expect(inPass.revision).toBe(first.revision + 1)
      for (const [edit, list] of [
        ['e-1', nudge],
        ['e-2', [mark('p', 20)]],
      ] as const)
        expect((await store.edit(id, list, 'again', { author: 'ann', edit, again: true })).revision).toBe(inPass.revision)
      const after = (await open()).store
      expect((await after.edit(id, nudge, 'again', { author: 'ann', edit: 'e-1', again: true })).revision).toBe(inPass.revision)
      // One that did not arrive is applied.
      expect((await after.edit(id, [mark('q', 30)], 'again', { author: 'ann', edit: 'e-3', again: true })).revision).toBe(inPass.revision + 1)
    })

    test('a step in parts is taken back whole, or its newest part alone, and done again whole', async () => {
      const { store } = await open()
      const id = await store.create('Parts')
      for (const [name, part] of [
        ['a', 1],
        ['b', 2],
        ['c', 2],
        ['d', 3],
      ] as const)
        await store.edit(id, [mark(name, part * 10)], 'live pass', { author: 'ann', group: `pass:${part}` })
      const there = async () =>
        (await store.doc(id)).marks
          .map((m) => m.id)
          .sort()
          .join('')
      expect(await store.steps(id, 'ann')).toMatchObject([{ label: 'live pass', done: true, parts: 3 }])
      await store.step(id, 'undo', 'ann', true)
      expect(await there()).toBe('abc')
      await store.step(id, 'undo', 'ann', true)
      expect(await there()).toBe('a')
      expect((await store.steps(id, 'ann')).map((s) => [s.done, s.parts])).toEqual([
        [false, 2],
        [true, 1],
      ])
      await store.step(id, 'redo', 'ann')
      expect(await there()).toBe('abcd')
      await store.step(id, 'undo', 'ann')
      expect(await there()).toBe('')
      await store.step(id, 'redo', 'ann')
      expect(await there()).toBe('abcd')
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
      expect(told).toMatchObject([{ type: 'project', projectId: id, revision: 1, author: '', label: 'next', over: [], steps: { undo: 'next', redo: null } }])
    })

    test('edits that arrive at once are applied one after the other; none is lost', async () => {
      const { store } = await open()
      const id = await store.create('Crowd')
      const outcomes = await Promise.all(Array.from({ length: 25 }, (_, i) => store.edit(id, [mark(`n${i}`, i)], `n${i}`)))
      expect(outcomes.map((o) => o.revision)).toEqual(Array.from({ length: 25 }, (_, i) => i + 1))
      expect(await names(store, id)).toHaveLength(25)
    })
  })

  describe('two people in one project', () => {
    const cut = (cutId: string, time: number, angleId: string): Edit => ({ type: 'choose', cutId, time, choice: { angleId } }) as Edit
    async function shared() {
      const { store, told } = await open()
      const id = await store.create('Shared')
      const angles = ['a', 'b', 'c'].map((name, hue) => ({ id: name, name, hue, framing: 'fit' as const }))
      await store.edit(id, [{ type: 'addClips', angles, clips: [] }], 'angles', { author: 'ann' })
      return { store, told, id, cutId: (await store.doc(id)).activeCutId }
    }

    test('each takes back their own steps, and what the other did stays', async () => {
      const { store, id, cutId } = await shared()
      await store.edit(id, [cut(cutId, 0, 'a')], 'cut 1', { author: 'ann' })
      await store.edit(id, [cut(cutId, 1000, 'b')], 'cut 2', { author: 'ben' })
      await store.edit(id, [mark('hers', 5)], 'her mark', { author: 'ann' })
      await store.edit(id, [mark('his', 5)], 'his mark', { author: 'ben' })
      expect(await store.state(id, 'ann')).toMatchObject({ canUndo: 'her mark', canRedo: null })
      expect(await store.state(id, 'ben')).toMatchObject({ canUndo: 'his mark' })
      expect(await store.step(id, 'undo', 'ann')).toBe('her mark')
      expect(await names(store, id)).toEqual(['his'])
      expect(await store.step(id, 'undo', 'ann')).toBe('cut 1')
      expect((await store.doc(id)).cuts[0].points.map((p) => p.angleId)).toEqual(['b'])
      expect(await store.step(id, 'redo', 'ann')).toBe('cut 1')
      expect((await store.doc(id)).cuts[0].points.map((p) => p.angleId)).toEqual(['a', 'b'])
      // A new step of his does not take hers from what can be done again.
      await store.edit(id, [mark('third', 9)], 'third', { author: 'ben' })
      expect(await store.step(id, 'redo', 'ann')).toBe('her mark')
      expect((await names(store, id)).sort()).toEqual(['hers', 'his', 'third'])
    })

    test('a step whose field the other has changed since is not taken back over their head', async () => {
      const { store, id } = await shared()
      await store.edit(id, [{ type: 'renameAngle', angleId: 'a', name: 'Left' }], 'left', { author: 'ann' })
      await store.edit(id, [{ type: 'renameAngle', angleId: 'a', name: 'Gantry' }], 'gantry', { author: 'ben' })
      await expect(store.step(id, 'undo', 'ann')).rejects.toThrow(/somebody else changed the same since \(gantry\)/)
      expect((await store.doc(id)).angles[0].name).toBe('Gantry')
      expect(await store.step(id, 'undo', 'ben')).toBe('gantry')
      expect((await store.doc(id)).angles[0].name).toBe('Left')
    })

    test('whose change of the same field came later is told to both', async () => {
      const { store, told, id } = await shared()
      const { revision: base } = await store.state(id)
      await store.edit(id, [{ type: 'settings', change: { lead: 1 } }], 'lead 1', { author: 'ann', base })
      told.length = 0
      const later = await store.edit(id, [{ type: 'settings', change: { lead: 2 } }], 'lead 2', { author: 'ben', base })
      expect(later.over).toEqual(['lead 1'])
      expect(told).toMatchObject([{ type: 'project', author: 'ben', label: 'lead 2', over: ['ann'] }])
      // Another field, and one that he knew of, is no clash.
      expect((await store.edit(id, [{ type: 'settings', change: { width: 640 } }], 'width', { author: 'ann', base })).over).toEqual([])
      expect((await store.edit(id, [{ type: 'settings', change: { lead: 3 } }], 'lead 3', { author: 'ann', base: later.revision })).over).toEqual([])
    })
  })

  describe('another process on the same database', () => {
    test('edits of both are all kept, one after the other', async () => {
      const [one, two] = [(await open()).store, (await open()).store]
      const id = await one.create('Twice')
      await Promise.all(Array.from({ length: 30 }, (_, i) => (i % 2 ? one : two).edit(id, [mark(`x${i}`, i)], `${i}`)))
      expect(await names(await open().then((o) => o.store), id)).toHaveLength(30)
      expect((await one.state(id)).revision).toBe(30)
    })

    test('opened anew, a project is the kept document and what the log holds beyond it', async () => {
      const { store } = await open()
      const id = await store.create('Long')
      for (let i = 0; i < 130; i++) await store.edit(id, [mark(`m${i}`, i)], `mark ${i}`)
      await store.step(id, 'undo')
      expect(await (await open()).store.doc(id)).toEqual(await store.doc(id))
      await store.close()
      const after = (await open()).store
      expect(await after.doc(id)).toEqual(await store.doc(id))
      expect(await after.step(id, 'redo')).toBe('mark 129')
      expect(await names(after, id)).toHaveLength(130)
    })
  })

  describe('projects', () => {
    test('a copy has decisions, files and proofs of its own', async () => {
      const { store } = await open()
      const id = await store.create('Original')
      const angle = { id: 'angle-1', name: 'Desk', hue: 0, framing: 'fit', distance: 0 } as const
      const clip = { id: 'clip-1', fileId: 'file-1', angleId: 'angle-1', state: 'in' } as const
      const row = {
        id: 'file-1',
        projectId: id,
        path: '/nowhere/mix.wav',
        name: 'mix.wav',
        size: 5,
        contentKey: 'k1',
        facts,
        notes: [{ code: 'channels' as const, channels: 8 }],
      }
      const edits = [mark('a', 10), { type: 'addClips', angles: [angle], clips: [clip] } as Edit]
      await store.gather(
        id,
        '',
        () => ({ rows: [row], edits, label: 'gather' }),
        () => [],
      )
      const placed = (proof: string, start: number): Edit => ({
        type: 'place',
        by: 'search',
        placements: { 'clip-1': { start: flicks(start), rate: 1, method: 'sound', verdict: 'sure', confidence: 1, why: [], locked: false } },
        loose: {},
        proofs: { 'clip-1': proof },
      })
      await store.edit(id, [placed('p1', 1)], 'line up', { proofs: [{ id: 'p1', proof: { score: 1 } }] })
      const copy = await store.duplicate(id)
      const state = await store.state(copy)
      expect(state).toMatchObject({ name: 'Original (copy)', canUndo: null, canRedo: null })
      expect(state.files).toMatchObject([{ name: 'mix.wav', notes: [{ code: 'channels', channels: 8 }], missing: true }])
      expect(state.files[0].id).not.toBe('file-1')
      expect(state.doc.clips['clip-1'].fileId).toBe(state.files[0].id)
      expect(await store.proof(copy, 'clip-1')).toEqual({ score: 1 })
      await store.edit(copy, [mark('only here', 20)], 'drop')
      await store.edit(copy, [placed('p2', 2)], 'line up', { proofs: [{ id: 'p2', proof: { score: 2 } }] })
      expect(await store.proof(copy, 'clip-1')).toEqual({ score: 2 })
      // Taken back, the place has its own proof again.
      await store.step(copy, 'undo')
      expect(await store.proof(copy, 'clip-1')).toEqual({ score: 1 })
      await store.step(copy, 'redo')
      expect(await store.proof(copy, 'clip-1')).toEqual({ score: 2 })
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
      // An edit that does not fit leaves no proof of it behind.
      const gone: Edit = { type: 'place', by: 'hand', placements: {}, loose: { nobody: [] }, proofs: { nobody: 'p' } }
      await expect(store.edit(id, [gone], 'line up', { proofs: [{ id: 'p', proof: {} }] })).rejects.toThrow(/not in the project/)
      await expect(store.proof(id, 'p')).rejects.toThrow('line it up first')
    })
  })
}
