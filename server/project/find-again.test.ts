import { copyFileSync, mkdirSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import type { OpenWorkshop } from '../http/serve.ts'
import { contentKey } from '../media/content.ts'
import { Cancelled } from '../media/ffmpeg.ts'
import { makeMedia, showFolder, TONE, testConfig, testWorkshop } from '../testing.ts'
import { findAgain, lieAlready } from './find-again.ts'
import { gather } from './gather.ts'

const config = testConfig()
const show = showFolder(config)
const at = (...parts: string[]) => path.join(show, ...parts)
const move = (from: string, to: string) => {
  mkdirSync(path.dirname(at(to)), { recursive: true })
  renameSync(at(from), at(to))
}

let shop: OpenWorkshop
let id: string

beforeAll(async () => {
  shop = await testWorkshop(config)
})
afterAll(() => shop.close())
beforeEach(async () => {
  rmSync(show, { recursive: true, force: true })
  makeMedia(at('desk', 'mix.wav'), TONE)
  // As long and as large as the mix, but another sound.
  makeMedia(at('recorder', 'rec.wav'), ['-f', 'lavfi', '-i', 'sine=frequency=880:sample_rate=48000:duration=4'])
  id = await shop.store.create('Depot Night')
  await gather(shop, id, [show])
})
const look = (signal = new AbortController().signal, onLooked: (count: number) => void = () => undefined) => findAgain(config, shop.store, id, onLooked, signal)
const paths = async () => (await shop.store.files(id)).map((f) => path.relative(show, f.path)).sort()

test('originals that were moved or renamed are known by their content, not by size and name alone', async () => {
  move('desk/mix.wav', 'archive/2026/evening.wav')
  move('recorder/rec.wav', 'archive/mix.wav')
  const { found, missing } = await look()
  expect(found.map((f) => f.name).sort()).toEqual(['evening.wav', 'mix.wav'])
  expect(missing).toEqual([])
  expect(await paths()).toEqual(['archive/2026/evening.wav', 'archive/mix.wav'])
})

test('of several copies the one with the old name is taken; clips keep their place and nothing is added', async () => {
  copyFileSync(at('desk', 'mix.wav'), at('a copy.wav'))
  move('desk/mix.wav', 'z/deep/mix.wav')
  const before = await shop.store.doc(id)
  await look()
  expect(await paths()).toEqual(['recorder/rec.wav', 'z/deep/mix.wav'])
  expect(await shop.store.doc(id)).toEqual(before)
})

test('what is nowhere is named; what has changed is not taken for what it was', async () => {
  rmSync(at('desk', 'mix.wav'))
  makeMedia(at('desk', 'new', 'mix.wav'), ['-f', 'lavfi', '-i', 'sine=frequency=441:sample_rate=48000:duration=4'])
  const { found, missing } = await look()
  expect(found).toEqual([])
  expect(missing).toEqual(['mix.wav'])
  expect(await paths()).toEqual(['desk/mix.wav', 'recorder/rec.wav'])
})

test('where nothing is missing nothing changes, though there are copies', async () => {
  copyFileSync(at('desk', 'mix.wav'), at('desk', 'copy.wav'))
  expect(await look()).toEqual({ found: [], missing: [] })
  expect(await paths()).toEqual(['desk/mix.wav', 'recorder/rec.wav'])
})

test('links are not followed out of the folders that may be read', async () => {
  const outside = path.join(path.dirname(show), 'outside')
  mkdirSync(outside, { recursive: true })
  renameSync(at('desk', 'mix.wav'), path.join(outside, 'mix.wav'))
  symlinkSync(outside, at('linked'))
  symlinkSync(path.join(outside, 'mix.wav'), at('mix.wav'))
  expect((await look()).missing).toEqual(['mix.wav'])
})

test('adding the folder where they are now finds them too, and adds only what is new', async () => {
  move('desk/mix.wav', 'disk two/mix.wav')
  makeMedia(
    at('disk two', 'new.wav'),
    TONE.map((a) => a.replace('440', '330')),
  )
  writeFileSync(at('disk two', 'notes.txt'), 'nothing')
  const report = await gather(shop, id, [at('disk two')])
  expect(report).toMatchObject({ added: 1, again: ['mix.wav'], known: [], refused: [] })
  expect(await paths()).toEqual(['disk two/mix.wav', 'disk two/new.wav', 'recorder/rec.wav'])
  expect(Object.keys((await shop.store.doc(id)).clips)).toHaveLength(3)
})

test('it tells how many files it has looked at, and stopped it changes nothing', async () => {
  move('desk/mix.wav', 'z/mix.wav')
  const counts: number[] = []
  const stop = new AbortController()
  const stopped = look(stop.signal, (count) => {
    counts.push(count)
    stop.abort()
  })
  await expect(stopped).rejects.toThrow(Cancelled)
  expect(counts).toEqual([1])
  expect(await paths()).toEqual(['desk/mix.wav', 'recorder/rec.wav'])
  expect((await look()).missing).toEqual([])
})

describe('dropped files are looked for where they lie', () => {
  const never = new AbortController().signal
  const wanted = async (file: string, name: string) => ({ name, ...(await contentKey(file)) })

  test('by size and content; of equal ones that whose path is most like the dropped one', async () => {
    mkdirSync(at('card', 'cam-a'), { recursive: true })
    mkdirSync(at('card', 'cam-b'), { recursive: true })
    for (const camera of ['cam-a', 'cam-b']) copyFileSync(at('desk', 'mix.wav'), at('card', camera, 'C1.wav'))
    const mix = at('desk', 'mix.wav')
    expect(await lieAlready(config, [await wanted(mix, 'cam-b/C1.wav'), await wanted(mix, 'desk/mix.wav')], never)).toEqual([
      at('card', 'cam-b', 'C1.wav'),
      mix,
    ])
  })

  test('what only looks alike is none of them, and a search that takes too long tells what it found', async () => {
    const { size } = await contentKey(at('desk', 'mix.wav'))
    expect(await lieAlready(config, [{ name: 'mix.wav', size, key: '0'.repeat(32) }], never)).toEqual([null])
    expect(await lieAlready(config, [await wanted(at('desk', 'mix.wav'), 'mix.wav')], AbortSignal.abort())).toEqual([null])
  })
})
