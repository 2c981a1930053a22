import { spawn, spawnSync } from 'node:child_process'
import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, renameSync, statSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { type JobDetail, scratch, TestServer } from '../server.ts'
import { wholeFiles } from './files.ts'

const cli = path.join(import.meta.dirname, '..', '..', 'server', 'dist', 'cli.mjs')
const command = (...args: string[]) =>
  spawnSync(process.execPath, [cli, ...args], { encoding: 'utf8', timeout: 60_000, env: { ...process.env, PENDOLO_ROOTS: scratch('roots') } })

interface State {
  revision: number
  doc: { settings: { lead: number }; marks: unknown[] }
  files: { name: string; contentKey: string; path: string; notes: string[]; ready: Record<string, boolean> }[]
}

async function withProject() {
  const roots = scratch('roots')
  const server = new TestServer(roots)
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Evening' })
  return { server, id, roots, lead: (lead: number) => server.api(`/projects/${id}/edits?label=lead`, { edits: [{ type: 'settings', change: { lead } }] }) }
}

test('a second server on the folder is refused with the first one’s address; the lock goes with the process, however it ends', async () => {
  const { server } = await withProject()
  const second = command('start', '--home', server.home, '--port', '0')
  expect(second.status).toBe(1)
  expect(second.stderr).toMatch(new RegExp(`in use by Pendolo at ${server.url}/`))
  expect(second.stderr).not.toMatch(/\n\s+at /)
  // Reading beside it is no harm.
  expect(command('exchange', 'Evening', '--format', 'edl', '--out', path.join(scratch('out'), 'x.edl'), '--home', server.home).stderr).toMatch(/no master yet/)
  await server.kill()
  await server.start()
  await server.stop()
  await server.start()
  await server.kill()
})

test('a damaged database is recognised at the start and kept; the newest good copy is offered with what would be lost', async () => {
  const { server, lead, id } = await withProject()
  await lead(1)
  expect(command('backup', '--home', server.home).stdout).toMatch(/copied to .*backups/)
  await new Promise((resolve) => setTimeout(resolve, 20))
  await lead(2)
  await lead(3)
  await server.stop()
  // A graceful stop leaves one file that holds all.
  expect(statSync(path.join(server.home, 'pendolo.db-wal'), { throwIfNoEntry: false })?.size ?? 0).toBe(0)
  const file = path.join(server.home, 'pendolo.db')
  const whole = readFileSync(file)
  const hurt = Buffer.from(whole)
  hurt.fill(0xaa, 4096, 3 * 4096)
  writeFileSync(file, hurt)
  const refused = command('start', '--home', server.home, '--port', '0')
  expect(refused.status).toBe(1)
  expect(refused.stderr).toMatch(/is damaged .*Nothing was changed.*newest good copy is of .*would be lost.*pendolo restore/s)
  expect(readFileSync(file).equals(hurt)).toBe(true)
  // A copy that is itself damaged is passed over.
  const copies = path.join(server.home, 'backups')
  writeFileSync(path.join(copies, 'pendolo-2099-01-01T00-00-00.db'), whole.subarray(0, 5000))
  expect(command('restore', '--list', '--home', server.home).stdout.trim().split('\n').length).toBeGreaterThanOrEqual(2)
  const restored = command('restore', '--home', server.home)
  expect(restored.stdout).toMatch(/is in place; what was there is kept in/)
  const aside = path.join(server.home, 'aside')
  expect(readFileSync(path.join(aside, readdirSync(aside)[0], 'pendolo.db')).equals(hurt)).toBe(true)
  await server.start()
  expect((await server.api<State>(`/projects/${id}`)).doc.settings.lead).toBe(1)
  expect(command('restore', '--home', server.home).stderr).toMatch(/in use by Pendolo/)
  await server.kill()
  for (const text of [Buffer.from('this is no database, but it is long enough to be taken for one'.repeat(100)), whole.subarray(0, 6000)]) {
    writeFileSync(file, text)
    expect(command('start', '--home', server.home, '--port', '0').stderr).toMatch(/is damaged/)
  }
  expect(command('restore', '--empty', '--home', server.home).stdout).toMatch(/an empty database is in place/)
})

test('copies are made at the start of a database that was there, and are whole', async () => {
  const { server, lead } = await withProject()
  await lead(4)
  await server.stop()
  await server.start()
  const copies = () =>
    existsSync(path.join(server.home, 'backups')) ? readdirSync(path.join(server.home, 'backups')).filter((f) => f.endsWith('.db') && !f.startsWith('.')) : []
  await expect.poll(() => copies().length).toBe(1)
  expect(command('restore', path.join(server.home, 'backups', copies()[0]), '--home', scratch('other')).stdout).toMatch(/in place/)
  await server.kill()
})

test('damaged light copies and findings are made again; deleted ones are queued at the next start', async () => {
  const { server, id, roots } = await withProject()
  copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(roots, 'cam.mp4'))
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'cam.mp4')] })
  await server.idle()
  const { contentKey } = (await server.api<State>(`/projects/${id}`)).files[0]
  const folder = path.join(server.home, 'artefacts', contentKey.slice(0, 2), contentKey)
  const tile = readFileSync(path.join(folder, 'tile.mp4'))
  for (const name of ['sound.json', 'tile.mp4', 'sound-8k.s16']) truncateSync(path.join(folder, name), 100)
  renameSync(path.join(folder, 'peaks.dat'), path.join(folder, 'gone.dat'))
  await server.stop()
  await server.start()
  await server.idle()
  // Something was missing, so hearing it was queued by itself; what is cut is found when it is used.
  expect(existsSync(path.join(folder, 'peaks.dat'))).toBe(true)
  expect(JSON.parse(readFileSync(path.join(folder, 'sound.json'), 'utf8'))).toMatchObject({ silent: false })
  expect(readFileSync(path.join(folder, 'sound-8k.s16')).length).toBeGreaterThanOrEqual(2 * 8000 * 4)
  const jobs = await server.api<{ id: string; kind: string }[]>(`/jobs?project=${id}`)
  expect(jobs.filter((j) => j.kind === 'sound')).toHaveLength(2)
  truncateSync(path.join(folder, 'sharp.mp4'), 0)
  await server.stop()
  await server.start()
  await server.idle()
  expect(readFileSync(path.join(folder, 'tile.mp4')).length).toBe(tile.length)
  expect((await server.api<State>(`/projects/${id}`)).files[0].ready).toMatchObject({ tile: true, sharp: true, sound: true, peaks: true })
  await server.kill()
})

test('an original that was swapped for a link to elsewhere, or for a pipe, is not read', async () => {
  const { server, id, roots } = await withProject()
  const secret = path.join(scratch('secret'), 'secret.wav')
  for (const name of ['linked.wav', 'piped.wav']) copyFileSync(path.join(wholeFiles(), 'whole.wav'), path.join(roots, name))
  copyFileSync(path.join(wholeFiles(), 'whole.wav'), secret)
  // Swapped before they are heard: nothing has been read of them but what gathering looks at.
  await server.api(`/projects/${id}/gather`, { paths: [path.join(wholeFilesIn(roots), 'first.mp4')] })
  await server.idle()
  for (const name of ['linked.wav', 'piped.wav']) {
    const changed = Buffer.concat([readFileSync(path.join(roots, name)), Buffer.from(name)])
    writeFileSync(path.join(roots, name), changed)
  }
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'linked.wav'), path.join(roots, 'piped.wav')] })
  await server.idle()
  const { files } = await server.api<State>(`/projects/${id}`)
  for (const file of files.filter((f) => f.name !== 'first.mp4')) {
    spawnSync('rm', ['-f', file.path])
    if (file.name === 'linked.wav') symlinkSync(secret, file.path)
    else spawnSync('mkfifo', [file.path])
    // What was made of it goes, so that hearing it opens the original again.
    spawnSync('rm', ['-rf', path.join(server.home, 'artefacts', file.contentKey.slice(0, 2), file.contentKey)])
  }
  await server.stop()
  await server.start()
  const ended = async () => {
    const jobs = await server.api<{ kind: string; state: string; detail: JobDetail; about: string }[]>(`/jobs?project=${id}`)
    return jobs.some((j) => j.state === 'queued' || j.state === 'running') ? [] : jobs.filter((j) => j.state === 'failed')
  }
  await expect.poll(async () => (await ended()).length).toBe(2)
  const failed = await ended()
  expect(failed.find((j) => j.about.includes('linked'))?.detail.text).toMatch(/linked\.wav is now a link to a place outside/)
  expect(failed.find((j) => j.about.includes('piped'))?.detail.text).toMatch(/piped\.wav is no plain file any more/)
  // A pipe among what is gathered is told, and nobody waits for it.
  spawnSync('mkfifo', [path.join(roots, 'fifo.wav')])
  const report = await server
    .api<{ refused: { name: string; why: string }[] }>(`/projects/${id}/gather`, { paths: [path.join(roots, 'fifo.wav')] })
    .catch((e: Error) => e.message)
  expect(JSON.stringify(report)).toMatch(/no plain file/)
  await server.kill()
})

/** A folder of the roots with one good camera in it. */
function wholeFilesIn(roots: string): string {
  const folder = path.join(roots, 'first')
  mkdirSync(folder, { recursive: true })
  copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(folder, 'first.mp4'))
  return folder
}

test('children of a server that is killed end with it', async () => {
  const { server, id, roots } = await withProject()
  const { ffmpeg } = await import('./files.ts')
  const { family, running } = await import('./processes.ts')
  ffmpeg(
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=1280x720:rate=25:duration=25',
    '-f',
    'lavfi',
    '-i',
    'sine=duration=25',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    path.join(roots, 'long.mp4'),
  )
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'long.mp4')] })
  const below = () => family(server.pid).filter((p) => p.pid !== server.pid)
  await expect.poll(() => below().some((p) => p.command.includes('libx264'))).toBe(true)
  const pids = below().map((p) => p.pid)
  await server.kill()
  await expect.poll(() => running(pids).length, { timeout: 2000 }).toBe(0)
})

test('a job is cancelled within two seconds, and its processes end', async () => {
  const { server, id, roots } = await withProject()
  const { ffmpeg } = await import('./files.ts')
  const { family } = await import('./processes.ts')
  ffmpeg(
    '-f',
    'lavfi',
    '-i',
    'testsrc2=size=1280x720:rate=25:duration=25',
    '-f',
    'lavfi',
    '-i',
    'anoisesrc=duration=25',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    path.join(roots, 'long.mp4'),
  )
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'long.mp4')] })
  interface Job {
    id: string
    kind: string
    state: string
  }
  const jobs = () => server.api<Job[]>(`/jobs?project=${id}`)
  const cancel = async (kind: string) => {
    await expect.poll(async () => (await jobs()).some((j) => j.kind === kind && j.state === 'running'), { intervals: [20] }).toBe(true)
    const job = (await jobs()).find((j) => j.kind === kind && j.state === 'running') as Job
    const began = Date.now()
    await fetch(`${server.url}/api/jobs/${job.id}/cancel`, { method: 'POST' })
    await expect.poll(async () => (await jobs()).find((j) => j.id === job.id)?.state, { intervals: [20] }).toBe('cancelled')
    expect(Date.now() - began).toBeLessThan(2000)
  }
  await cancel('copies')
  await server.api(`/projects/${id}/pulse`, { find: 'speech' })
  await cancel('pulse')
  await server.api(`/projects/${id}/film`, { width: 640, height: 360, rate: '25/1' })
  await cancel('film')
  await expect.poll(() => family(server.pid).filter((p) => /ffmpeg/.test(p.command)).length, { timeout: 2000 }).toBe(0)
  await server.kill()
})

test('a stop that was asked for ends in time, whatever runs', async () => {
  const { server } = await withProject()
  const page = await fetch(`${server.url}/api/events`)
  const exits = new Promise<number>((resolve) => {
    const began = Date.now()
    spawn('tail', ['--pid', String(server.pid), '-f', '/dev/null']).on('exit', () => resolve(Date.now() - began))
  })
  process.kill(server.pid, 'SIGTERM')
  expect(await exits).toBeLessThan(9000)
  await page.body?.cancel().catch(() => undefined)
})
