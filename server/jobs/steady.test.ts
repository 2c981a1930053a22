import { existsSync, rmSync } from 'node:fs'
import path from 'node:path'
import { setTimeout } from 'node:timers/promises'
import { layOut } from '@pendolo/core/formats'
import { flicks } from '@pendolo/core/time'
import type { OpenWorkshop } from '../http/serve.ts'
import { steadyPath } from '../media/steady.ts'
import { gather } from '../project/gather.ts'
import { ffmpegWithoutFollowing, makeMedia, showFolder, testConfig, testWorkshop } from '../testing.ts'
import { exchangeFiles } from './workshop.ts'

const config = testConfig()
const show = showFolder(config)
let shop: OpenWorkshop
let id: string
let clipId: string

beforeAll(async () => {
  const shaken = ['-f', 'lavfi', '-i', 'testsrc2=size=400x240:rate=25:duration=2', '-vf', "crop=320:180:x='40+9*sin(n)':y='30+7*sin(n*1.7)'"]
  makeMedia(path.join(show, 'hand/H1.mp4'), [...shaken, '-c:v', 'libx264', '-preset', 'ultrafast'])
  shop = await testWorkshop(config)
  id = await shop.store.create('Steady')
  await gather(shop, id, [show])
  ;[clipId] = Object.keys((await shop.store.doc(id)).clips)
})
afterAll(() => shop.close())

/** Steadies the clip, and waits until nothing is to do. */
async function steadied(seconds: number) {
  const [file] = await shop.store.files(id)
  const jobId = await shop.queue.add({ projectId: id, kind: 'steady', about: file.name, fileId: file.id, payload: { clipId, seconds } })
  for (;;) {
    const job = await shop.queue.get(jobId)
    if (job && job.state !== 'queued' && job.state !== 'running') return job
    await setTimeout(50)
  }
}
const workedFile = async () => {
  const { workedFileId } = (await shop.store.doc(id)).clips[clipId]
  return (await shop.store.files(id)).find((f) => f.id === workedFileId) ?? null
}

test('a steadied clip is one step of undo; its film reads the copy, exchange files name the original', async () => {
  expect(await steadied(0.5)).toMatchObject({ state: 'done', detail: { code: 'steadied' } })
  const worked = await workedFile()
  expect(worked).toMatchObject({ name: 'H1 steady 0.5 s.mp4', facts: { audio: null, video: { width: 320, height: 180, frames: 50 } } })
  const doc = await shop.store.doc(id)
  // It is the only recording, so the master too, and lies where that begins.
  await shop.store.edit(id, [{ type: 'choose', cutId: doc.activeCutId, time: flicks(0), choice: { angleId: doc.angles[0].id } }], 'cut')
  const shown = async () => layOut('x', await shop.store.doc(id), exchangeFiles(await shop.store.files(id))).cut.find((s) => s.source)?.source
  expect(await shown()).toMatchObject({ file: { name: 'H1.mp4' }, pictures: { name: 'H1 steady 0.5 s.mp4' }, firstFrame: 0 })
  await shop.store.step(id, 'undo')
  expect(await shop.store.step(id, 'undo')).toBe('steady H1.mp4')
  expect(await workedFile()).toBeNull()
})

test('steadied alike again, the same copy is used; in another way it is another one', async () => {
  expect(await steadied(0.5)).toMatchObject({ state: 'done', detail: { code: 'ready' } })
  const first = await workedFile()
  await steadied(0.2)
  const second = await workedFile()
  expect(second?.path).not.toBe(first?.path)
  expect(await shop.store.files(id)).toHaveLength(3)
  expect(existsSync(String(first?.path))).toBe(true)
})

test('a copy that is gone is made again', async () => {
  const before = await workedFile()
  rmSync(String(before?.path))
  expect(await steadied(0.2)).toMatchObject({ state: 'done', detail: { code: 'steadied' } })
  expect(existsSync(String(before?.path))).toBe(true)
  expect((await workedFile())?.id).toBe(before?.id)
})

test('where ffmpeg has no vid.stab the camera is followed by ourselves, away from what answers; ended, it leaves nothing', async () => {
  const own = testConfig()
  const folder = showFolder(own)
  const shaken = ['-f', 'lavfi', '-i', 'testsrc2=size=400x240:rate=25:duration=2', '-vf', "crop=320:180:x='40+9*sin(n)':y='30+7*sin(n*1.7)'"]
  makeMedia(path.join(folder, 'hand/H1.mp4'), [...shaken, '-c:v', 'libx264', '-preset', 'ultrafast'])
  const plain = await testWorkshop({ ...own, ffmpeg: ffmpegWithoutFollowing(own) })
  try {
    const projectId = await plain.store.create('Plain')
    await gather(plain, projectId, [folder])
    const [file] = await plain.store.files(projectId)
    const [first] = Object.keys((await plain.store.doc(projectId)).clips)
    const ask = (seconds: number) => plain.queue.add({ projectId, kind: 'steady', about: file.name, fileId: file.id, payload: { clipId: first, seconds } })
    const ended = async (jobId: string) => {
      for (;;) {
        const job = await plain.queue.get(jobId)
        if (job && job.state !== 'queued' && job.state !== 'running') return job
        await setTimeout(50)
      }
    }
    expect(await ended(await ask(0.5))).toMatchObject({ state: 'done', detail: { code: 'steadied' } })
    const { workedFileId } = (await plain.store.doc(projectId)).clips[first]
    const worked = (await plain.store.files(projectId)).find((f) => f.id === workedFileId)
    expect(worked).toMatchObject({ facts: { audio: null, video: { width: 320, height: 180, frames: 50 } } })
    const jobId = await ask(0.2)
    while ((await plain.queue.get(jobId))?.progress === 0) await setTimeout(10)
    await plain.queue.cancel(jobId)
    expect(await ended(jobId)).toMatchObject({ state: 'cancelled' })
    expect(existsSync(steadyPath(own, file.contentKey, 0.2))).toBe(false)
  } finally {
    await plain.close()
  }
})
