import { execFileSync } from 'node:child_process'
import path from 'node:path'
import type { Job, ProjectState } from '@pendolo/api'
import { pulseOf } from '@pendolo/core/project'
import { type Serving, serve } from '../http/serve.ts'
import { makeMedia, showFolder, testConfig, testWorkshop } from '../testing.ts'

const config = testConfig()
const folder = showFolder(config)
let serving: Serving

beforeAll(async () => {
  serving = await serve(await testWorkshop(config), 0)
})
afterAll(() => serving.close())

async function api<T>(target: string, body?: unknown): Promise<{ status: number; body: T }> {
  const response = await fetch(
    `http://127.0.0.1:${serving.port}/api${target}`,
    body === undefined ? {} : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
  )
  return { status: response.status, body: (await response.json()) as T }
}

async function gathered(...files: string[]): Promise<string> {
  const { id } = (await api<{ id: string }>('/projects', { name: 'Find' })).body
  await api(`/projects/${id}/gather`, { paths: files })
  const { doc } = await stateOf(id)
  const master = Object.values(doc.clips).find((c) => c.fileId)
  if (master && doc.master.clipIds.length === 0) await api(`/projects/${id}/edits`, { edits: [{ type: 'setMaster', clipId: master.id }] })
  return id
}
const stateOf = async (id: string) => (await api<ProjectState>(`/projects/${id}`)).body

async function ended(id: string, body: unknown): Promise<Job> {
  const { jobId } = (await api<{ jobId: string }>(`/projects/${id}/pulse`, body)).body
  for (;;) {
    const job = (await api<Job[]>(`/jobs?project=${id}`)).body.find((j) => j.id === jobId)
    if (job && job.state !== 'queued' && job.state !== 'running') return job
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

/** Clicks at 120 a minute that become loud after eight seconds. */
const clicks = () =>
  makeMedia(path.join(folder, 'clicks.wav'), [
    '-f',
    'lavfi',
    '-i',
    "aevalsrc='(0.05+0.75*gt(t,8))*exp(-mod(t,0.5)*40)*sin(2*PI*(180+120*lt(mod(t,2),0.5))*t)':s=48000:d=20",
    '-c:a',
    'pcm_s16le',
  ])

test('what nobody can find, and microphones that are none, are refused in words', async () => {
  const id = await gathered(clicks())
  expect((await api(`/projects/${id}/pulse`, { find: 'gold' })).status).toBe(400)
  expect((await api(`/projects/${id}/pulse`, { find: 'beats', loudly: true })).status).toBe(400)
  expect(await ended(id, { find: 'speech', microphones: ['nobody'] })).toMatchObject({
    state: 'failed',
    detail: { code: 'words', text: expect.stringContaining('no longer part of the project') },
  })
})

test('a microphone without a place is asked to be lined up first', async () => {
  const id = await gathered(clicks(), makeMedia(path.join(folder, 'other.wav'), ['-f', 'lavfi', '-i', 'sine=d=8:f=500', '-c:a', 'pcm_s16le']))
  const { doc } = await stateOf(id)
  const other = Object.keys(doc.clips).find((c) => c !== doc.master.clipIds[0]) as string
  expect(await ended(id, { find: 'speech', microphones: [other] })).toMatchObject({
    state: 'failed',
    detail: { code: 'words', text: expect.stringContaining('line it up first') },
  })
})

test('parts and loud moments become marks that the next search replaces; beats bring hits and their picture', async () => {
  const id = await gathered(clicks())
  expect(await ended(id, {})).toMatchObject({ state: 'done' })
  const { doc, files } = await stateOf(id)
  expect((pulseOf(doc)?.hits ?? []).length).toBeGreaterThan(10)
  const onsets = await fetch(`http://127.0.0.1:${serving.port}/api/media/${files[0].contentKey}/onsets`)
  expect(onsets.status).toBe(200)
  expect((await onsets.arrayBuffer()).byteLength).toBe(20 * 50)

  expect(await ended(id, { find: 'parts' })).toMatchObject({ state: 'done' })
  const first = (await stateOf(id)).doc.marks
  expect(first.some((m) => m.kind === 'part')).toBe(true)
  const loud = first.find((m) => m.name === 'loud')
  expect(Math.abs((loud?.time ?? 0) / 705_600_000 - 8)).toBeLessThan(0.1)
  await ended(id, { find: 'parts' })
  expect((await stateOf(id)).doc.marks).toHaveLength(first.length)
})

test('where nobody speaks there are no phrases, and what is heard is told', async () => {
  const id = await gathered(clicks())
  expect(await ended(id, { find: 'speech' })).toMatchObject({ state: 'done', detail: { code: 'phrases', phrases: 0 } })
  const { doc } = await stateOf(id)
  expect(doc.marks).toEqual([])
  expect(doc.spans?.[0].from).toBe(0)
  expect((doc.spans?.at(-1)?.to ?? 0) / 705_600_000).toBeCloseTo(20, 1)
  expect(doc.spans?.some((s) => s.kind === 'speech')).toBe(false)
})

test('the demo’s speech is heard as phrases, and has no beats', async () => {
  const speech = path.join(folder, 'speech.wav')
  execFileSync('ffmpeg', ['-v', 'error', '-y', '-t', '12', '-i', path.join(__dirname, '..', '..', 'demo', 'assets', 'speech.ogg'), speech])
  const id = await gathered(speech)
  expect(await ended(id, { find: 'speech' })).toMatchObject({ state: 'done' })
  const { doc } = await stateOf(id)
  const phrases = doc.marks.filter((m) => m.kind === 'phrase')
  expect(phrases.map((m) => m.name)).toEqual(phrases.map((_, i) => `Phrase ${i + 1}`))
  for (const at of [0, 4.5, 9.6]) expect(Math.min(...phrases.map((m) => Math.abs(m.time / 705_600_000 - at)))).toBeLessThan(0.15)
  expect(await ended(id, {})).toMatchObject({ state: 'done', detail: { code: 'beats', beats: 0 } })
})
