import { readdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { makeNumbers, readFilm } from './numbers.ts'
import { TestServer } from './server.ts'

interface Job {
  kind: string
  state: string
  progress: number
  result: { path: string } | null
}

let server: TestServer
let folder: string
let id: string

test.beforeAll(async () => {
  folder = await makeNumbers()
  server = new TestServer(folder)
  await server.start()
})
test.afterAll(() => server.kill())

const jobs = () => server.api<Job[]>('/jobs')

async function until(condition: (jobs: Job[]) => boolean): Promise<void> {
  await expect.poll(async () => condition(await jobs()), { intervals: [15], timeout: 60_000 }).toBe(true)
}

/** Files under final names; unfinished ones have names of their own. */
function finals(): string[] {
  return (readdirSync(server.home, { recursive: true }) as string[]).filter((f) => /\.(mp4|dat|s16)$/.test(f) && !path.basename(f).startsWith('.part'))
}

async function killAndRestart(): Promise<void> {
  await server.kill()
  const whole = finals()
  for (const file of whole.filter((f) => f.endsWith('.mp4'))) {
    // Readable to the end: a half-written one has no index.
    const { spawnSync } = await import('node:child_process')
    expect(spawnSync('ffprobe', ['-v', 'error', path.join(server.home, file)]).status, file).toBe(0)
  }
  await server.start()
}

test('killed while light copies are made, everything goes on after a restart', async () => {
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Survivor' }))
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await until((all) => all.some((j) => j.kind === 'copies' && j.state === 'running'))
  await killAndRestart()
  await server.idle()
  const { files } = await server.api<{ files: { name: string; facts: { video: unknown }; ready: { tile: boolean; sound: boolean } }[] }>(`/projects/${id}`)
  expect(files).toHaveLength(4)
  for (const file of files) expect(file.ready, file.name).toMatchObject({ sound: true, tile: file.facts.video !== null })
})

test('killed while lining up, it is taken up again and ends', async () => {
  await server.api(`/projects/${id}/lineup`, {})
  await until((all) => all.some((j) => j.kind === 'lineup' && j.state === 'running'))
  await killAndRestart()
  await server.idle()
  const { doc } = await server.project<{ doc: { placements: Record<string, { verdict: string }> } }>(id)
  expect(Object.values(doc.placements).map((p) => p.verdict)).toEqual(['sure', 'sure', 'sure', 'sure'])
})

test('killed while a film is made, the film is made again and whole; no edit is lost', async () => {
  const { doc } = await server.project<{ doc: { cuts: { id: string }[]; angles: { id: string }[] } }>(id)
  for (let k = 0; k < 12; k++) {
    await server.api(`/projects/${id}/edits?label=cut`, {
      edits: [{ type: 'choose', cutId: doc.cuts[0].id, time: k * 3 * 705_600_000, choice: { angleId: doc.angles[k % 3].id } }],
    })
  }
  await server.api(`/projects/${id}/film`, { width: 640, height: 360, rate: '25/1' })
  await until((all) => all.some((j) => j.kind === 'film' && j.state === 'running' && j.progress > 0.1))
  await killAndRestart()
  const { doc: after } = await server.project<{ doc: { cuts: { points: unknown[] }[] } }>(id)
  expect(after.cuts[0].points).toHaveLength(12)
  await server.idle()
  const film = (await jobs()).find((j) => j.kind === 'film')
  expect(film?.state).toBe('done')
  expect(readFilm(film?.result?.path ?? '', 640, 360)).toHaveLength(38 * 25)
  expect((readdirSync(server.home, { recursive: true }) as string[]).filter((f) => path.basename(f).startsWith('.part'))).toEqual([])
})

test('a cancelled film leaves nothing behind and can be tried again', async () => {
  const { jobId } = await server.api<{ jobId: string }>(`/projects/${id}/film`, { width: 640, height: 360, rate: '25/1' })
  await until((all) => all.some((j) => j.kind === 'film' && j.state === 'running'))
  await fetch(`${server.url}/api/jobs/${jobId}/cancel`, { method: 'POST' })
  await until((all) => all.some((j) => j.kind === 'film' && j.state === 'cancelled'))
  expect((readdirSync(server.home, { recursive: true }) as string[]).filter((f) => path.basename(f).startsWith('.part'))).toEqual([])
  await fetch(`${server.url}/api/jobs/${jobId}/retry`, { method: 'POST' })
  await server.idle()
  expect((await jobs()).filter((j) => j.kind === 'film' && j.state === 'done')).toHaveLength(2)
})
