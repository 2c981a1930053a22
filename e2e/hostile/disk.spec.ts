import { execFileSync, spawnSync } from 'node:child_process'
import { copyFileSync, mkdirSync, readdirSync, rmSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { type JobDetail, said, scratch, TestServer } from '../server.ts'
import { ffmpeg, wholeFiles } from './files.ts'

interface Job {
  id: string
  kind: string
  state: string
  detail: JobDetail
}

const cli = path.join(import.meta.dirname, '..', '..', 'server', 'dist', 'cli.mjs')
const mounts: string[] = []
const mounted = (folder: string, ...options: string[]) => {
  mkdirSync(folder, { recursive: true })
  const done = spawnSync('mount', ['-t', 'tmpfs', ...options, 'tmpfs', folder]).status === 0
  if (done) mounts.push(folder)
  return done
}
const remounted = (folder: string, how: 'ro' | 'rw') => execFileSync('mount', ['-o', `remount,${how}`, folder])

test.afterEach(() => {
  for (const folder of mounts.splice(0)) spawnSync('umount', ['-l', folder])
})

const lead = (server: TestServer, id: string, value: number) =>
  fetch(`${server.url}/api/projects/${id}/edits?label=lead`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ edits: [{ type: 'settings', change: { lead: value } }] }),
  })

test('on a full disk every request says so, nothing that was acknowledged is lost, and with room again all goes on', async () => {
  const home = path.join(scratch('small'), 'home')
  test.skip(!mounted(home, '-o', 'size=24m'), 'only root can make a small disk')
  const roots = scratch('roots')
  copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(roots, 'cam.mp4'))
  copyFileSync(path.join(wholeFiles(), 'whole.wav'), path.join(roots, 'master-mix.wav'))
  const server = new TestServer(roots, ['start'], home)
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Small' })
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'cam.mp4'), path.join(roots, 'master-mix.wav')] })
  await server.idle()
  expect((await lead(server, id, 1)).status).toBe(200)

  const filler = path.join(home, 'filler')
  spawnSync('sh', ['-c', `head -c 30m /dev/zero > ${filler}`])
  let kept = 1
  let full: Response | null = null
  // The last pages of the log may still take a few edits.
  for (let value = 2; value < 50 && !full; value++) {
    const answer = await lead(server, id, value)
    if (answer.ok) kept = value
    else full = answer
  }
  expect(full?.status).toBe(507)
  expect(await full?.json()).toMatchObject({ detail: expect.stringMatching(/full.*make room/) })
  expect((await server.api<{ doc: { settings: { lead: number } } }>(`/projects/${id}`)).doc.settings.lead).toBe(kept)
  const form = new FormData()
  form.append('file', new Blob([new Uint8Array(2_000_000)]), 'big.mp4')
  const dropped = await fetch(`${server.url}/api/projects/${id}/upload`, { method: 'POST', body: form })
  expect(dropped.status).toBe(507)
  expect(await dropped.json()).toMatchObject({ detail: expect.stringMatching(/room/) })
  expect((await fetch(`${server.url}/api/projects`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{"name":"x"}' })).status).toBe(
    507,
  )
  expect(
    (
      await fetch(`${server.url}/api/projects/${id}/film`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: '{"width":640,"height":360,"rate":"25/1"}',
      })
    ).status,
  ).toBe(507)
  expect(server.alive).toBe(true)

  // Started on a full disk it says so, or works; it never loses what it had.
  await server.kill()
  const again = spawnSync(process.execPath, [cli, 'start', '--home', home, '--port', '0'], {
    encoding: 'utf8',
    timeout: 4000,
    env: { ...process.env, PENDOLO_ROOTS: roots },
  })
  if (again.status === 1) expect(again.stderr).toMatch(/disk with the data folder is full; make room/)
  expect(again.stderr).not.toMatch(/\n\s+at /)

  rmSync(filler)
  await server.start()
  expect((await server.api<{ doc: { settings: { lead: number } } }>(`/projects/${id}`)).doc.settings.lead).toBe(kept)
  expect((await lead(server, id, 49)).status).toBe(200)
  await server.kill()
})

test('a disk that fills up while jobs run ends them with words, not the server', async () => {
  const home = path.join(scratch('small'), 'home')
  test.skip(!mounted(home, '-o', 'size=48m'), 'only root can make a small disk')
  const roots = scratch('roots')
  ffmpeg(
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=640x360:rate=25:duration=40',
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=duration=40',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    path.join(roots, 'long.mp4'),
  )
  const server = new TestServer(roots, ['start'], home, { PENDOLO_RESERVE: '1000000' })
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Filling' })
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'long.mp4')] })
  const jobs = () => server.api<Job[]>(`/jobs?project=${id}`)
  await expect.poll(async () => (await jobs()).filter((j) => j.state === 'running').length, { intervals: [20] }).toBeGreaterThan(0)
  spawnSync('sh', ['-c', `head -c 60m /dev/zero > ${path.join(home, 'filler')}`])
  await expect.poll(async () => (await server.api<{ ok: boolean }>('/health')).ok).toBe(true)
  rmSync(path.join(home, 'filler'))
  await expect.poll(async () => (await jobs()).every((j) => ['done', 'failed'].includes(j.state)), { timeout: 90_000 }).toBe(true)
  for (const job of (await jobs()).filter((j) => j.state === 'failed')) expect(said(job)).toMatch(/full|room/)
  expect((readdirSync(home, { recursive: true }) as string[]).filter((f) => path.basename(f).startsWith('.part'))).toEqual([])
  expect(server.alive).toBe(true)
  await server.kill()
})

test('a job that needs more room than there is does not begin, and says what it needs', async () => {
  const roots = scratch('roots')
  copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(roots, 'cam.mp4'))
  // A stand-in for a disk without room: nearly all of it must stay free.
  const server = new TestServer(roots, ['start'], scratch('home'), { PENDOLO_RESERVE: String(2 ** 52) })
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'No room' })
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'cam.mp4')] })
  const jobs = () => server.api<Job[]>(`/jobs?project=${id}`)
  await expect.poll(async () => (await jobs()).map((j) => j.state)).toEqual(['failed', 'failed'])
  for (const job of await jobs()) expect(said(job)).toMatch(/cam\.mp4 needs about \d+ MB, but only 0 MB .* make room and try again/)
  await server.kill()
})

test('a films folder that cannot be written fails the film with words, at every start', async () => {
  const home = scratch('home')
  const films = path.join(home, 'films')
  test.skip(!mounted(films, '-o', 'size=8m,ro'), 'only root can make a folder that nobody may write')
  const roots = scratch('roots')
  copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(roots, 'cam.mp4'))
  const server = new TestServer(roots, ['start'], home, { PENDOLO_RESERVE: '1000' })
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Films' })
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'cam.mp4')] })
  await server.idle()
  const film = async () => (await server.api<Job[]>(`/jobs?project=${id}`)).find((j) => j.kind === 'film')
  const { jobId } = await server.api<{ jobId: string }>(`/projects/${id}/film`, { width: 320, height: 180, rate: '25/1' })
  for (let n = 0; n < 3; n++) {
    await expect.poll(async () => (await film())?.state).toBe('failed')
    expect((await film())?.detail.text).toMatch(/cannot be written; check its permissions|read-only/)
    expect(server.alive).toBe(true)
    await server.stop()
    await server.start()
    if (n < 2) await fetch(`${server.url}/api/jobs/${jobId}/retry`, { method: 'POST' })
  }
  remounted(films, 'rw')
  await fetch(`${server.url}/api/jobs/${jobId}/retry`, { method: 'POST' })
  await expect.poll(async () => (await film())?.state).toBe('done')
  await server.kill()
})

test('a read-only data folder is told at the start and to each request', async () => {
  const home = path.join(scratch('small'), 'home')
  test.skip(!mounted(home, '-o', 'size=24m'), 'only root can make a disk read-only')
  const server = new TestServer(scratch('roots'), ['start'], home)
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Read only' })
  await server.stop()
  remounted(home, 'ro')
  const start = spawnSync(process.execPath, [cli, 'start', '--home', home, '--port', '0'], { encoding: 'utf8', timeout: 20_000 })
  expect(start.status).toBe(1)
  expect(start.stderr).toMatch(/the data folder cannot be written; check its permissions and whether its disk is read-only/)
  remounted(home, 'rw')
  await server.start()
  expect((await lead(server, id, 1)).status).toBe(200)
  await server.kill()
})
