import { statSync } from 'node:fs'
import path from 'node:path'
import { setTimeout } from 'node:timers/promises'
import type { PreparedResult } from '@pendolo/api'
import { secondsToFlicks } from '@pendolo/core/time'
import type { OpenWorkshop } from '../http/serve.ts'
import { artefactPath } from '../media/artefacts.ts'
import { probe } from '../media/probe.ts'
import { gather } from '../project/gather.ts'
import { makeMedia, showFolder, testConfig, testWorkshop } from '../testing.ts'
import { rangeName } from './prepare.ts'

const config = testConfig()
const show = showFolder(config)
let shop: OpenWorkshop
let id: string
let cutId: string

beforeAll(async () => {
  makeMedia(path.join(show, 'hand/H1.mp4'), ['-f', 'lavfi', '-i', 'testsrc2=size=640x360:rate=25:duration=4', '-c:v', 'libx264', '-preset', 'ultrafast'])
  shop = await testWorkshop(config)
  id = await shop.store.create('Prepared')
  await gather(shop, id, [show])
  const doc = await shop.store.doc(id)
  cutId = doc.activeCutId
  await shop.store.edit(
    id,
    [
      { type: 'settings', change: { width: 1280, height: 720 } },
      { type: 'choose', cutId, time: secondsToFlicks(0), choice: { angleId: doc.angles[0].id } },
      // What the film fades at its end does not belong to the range.
      { type: 'endFades', cutId, fadeIn: secondsToFlicks(2), fadeOut: secondsToFlicks(2) },
    ],
    'cut',
  )
})
afterAll(() => shop.close())

async function prepared(from: number, to: number) {
  const payload = { cutId, from: secondsToFlicks(from), to: secondsToFlicks(to) }
  const jobId = await shop.queue.add({ projectId: id, kind: 'prepare', about: rangeName(await shop.store.doc(id), payload), payload })
  for (;;) {
    const job = await shop.queue.get(jobId)
    if (job && job.state !== 'queued' && job.state !== 'running') return job
    await setTimeout(50)
  }
}

test('the pictures of a range are made once, light and without sound, whatever the film does at its ends', async () => {
  const job = await prepared(0.5, 2)
  expect(job).toMatchObject({ state: 'done', about: '00:00:00:12 – 00:00:02:00' })
  const { key, from, to } = job.result as PreparedResult
  const frame = secondsToFlicks(0.04)
  expect([from / frame, to / frame]).toEqual([12, 50])
  const file = artefactPath(config, key, 'prepared')
  const facts = await probe(config, file)
  expect(facts).toMatchObject({ audio: null, video: { width: 960, height: 540, frames: 38, rate: { num: 25, den: 1 } } })
  const { mtimeMs } = statSync(file)
  expect(((await prepared(0.5, 2)).result as PreparedResult).key).toBe(key)
  expect(statSync(file).mtimeMs).toBe(mtimeMs)
})

test('another look is another one, and of a version that is gone nothing is made', async () => {
  const first = (await prepared(1, 2)).result as PreparedResult
  const [angle] = (await shop.store.doc(id)).angles
  await shop.store.edit(id, [{ type: 'seeAngle', angleId: angle.id, look: { exposure: 1 } }], 'look')
  expect(((await prepared(1, 2)).result as PreparedResult).key).not.toBe(first.key)
  const jobId = await shop.queue.add({ projectId: id, kind: 'prepare', payload: { cutId: 'gone', from: 0, to: 1 } })
  for (let n = 0; n < 100 && (await shop.queue.get(jobId))?.state !== 'failed'; n++) await setTimeout(50)
  expect(await shop.queue.get(jobId)).toMatchObject({ state: 'failed', detail: { code: 'words', text: 'this version of the cut is gone' } })
})
