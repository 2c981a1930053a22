import { readdirSync, readFileSync } from 'node:fs'
import { connect } from 'node:net'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { scratch, TestServer } from '../server.ts'
import { wholeFiles } from './files.ts'

interface State {
  doc: { clips: Record<string, { fileId: string }> }
  files: { id: string; name: string; path: string; size: number }[]
}

let server: TestServer
const whole = wholeFiles()
const bytes = (name: string) => readFileSync(path.join(whole, name))

test.beforeAll(async () => {
  server = new TestServer(scratch('roots'))
  await server.start()
})
test.afterAll(() => server.kill())

const project = async () => (await server.api<{ id: string }>('/projects', { name: 'Drop' })).id
const state = (id: string) => server.api<State>(`/projects/${id}`)
/** Files below the uploads of a project, with their names from there on. */
const onDisk = (id: string) => {
  try {
    return (readdirSync(path.join(server.home, 'uploads', id), { recursive: true, withFileTypes: true }) as import('node:fs').Dirent[])
      .filter((e) => e.isFile())
      .map((e) => path.join(e.parentPath, e.name))
  } catch {
    return []
  }
}

/** Where drops of a project lie that have not arrived or are not taken yet. */
const asideOnDisk = (id: string) => readdirSync(path.join(server.home, 'uploads', id)).filter((name) => name.startsWith('.part'))

async function upload(id: string, files: [string, Buffer][]): Promise<Response> {
  const form = new FormData()
  for (const [name, content] of files) form.append('file', new Blob([new Uint8Array(content)]), name)
  const copied = await fetch(`${server.url}/api/projects/${id}/upload`, { method: 'POST', body: form })
  return copied.ok ? take(id, await copied.text()) : copied
}

/** The second step of a drop: what was copied is taken. */
const take = (id: string, copied: string) =>
  fetch(`${server.url}/api/projects/${id}/take`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: copied })

/** Sends raw bytes and closes. @returns what came back, perhaps nothing */
function raw(text: string | Buffer, { close }: { close: 'at once' | 'when answered' }): Promise<string> {
  return new Promise((resolve) => {
    const socket = connect(Number(new URL(server.url).port), '127.0.0.1')
    let answer = ''
    socket.on('data', (chunk) => {
      answer += chunk.toString('latin1')
      if (close === 'when answered') socket.end()
    })
    socket.on('error', () => resolve(answer))
    socket.on('close', () => resolve(answer))
    socket.write(text, () => close === 'at once' && setTimeout(() => socket.destroy(), 30))
  })
}

const head = (id: string, boundary: string, length: number) =>
  `POST /api/projects/${id}/upload HTTP/1.1\r\nHost: 127.0.0.1:${new URL(server.url).port}\r\nContent-Type: multipart/form-data; boundary=${boundary}\r\nContent-Length: ${length}\r\n\r\n`
const part = (boundary: string, name: string) =>
  `--${boundary}\r\nContent-Disposition: form-data; name="file"; filename="${name}"\r\nContent-Type: application/octet-stream\r\n\r\n`

test('an upload that is cancelled, cut short or malformed leaves nothing behind, and the server goes on', async () => {
  const id = await project()
  const video = bytes('whole.mp4')
  const body = Buffer.concat([Buffer.from(part('b', 'a.mp4')), video, Buffer.from('\r\n--b--\r\n')])
  for (const share of [0, 0.01, 0.5, 0.99])
    await raw(Buffer.concat([Buffer.from(head(id, 'b', body.length)), body.subarray(0, Math.floor(share * body.length))]), { close: 'at once' })
  const short = body.subarray(0, body.length - 12)
  expect(await raw(Buffer.concat([Buffer.from(head(id, 'b', short.length)), short]), { close: 'when answered' })).toMatch(/^HTTP\/1.1 400 .*problem\+json/s)
  expect(await raw(Buffer.concat([Buffer.from(head(id, 'other', body.length)), body]), { close: 'when answered' })).toMatch(/^HTTP\/1.1 400 /)
  expect(await raw(Buffer.concat([Buffer.from(head(id, '', body.length)), body]), { close: 'when answered' })).toMatch(/^HTTP\/1.1 400 /)
  const abort = new AbortController()
  const form = new FormData()
  for (let i = 0; i < 40; i++) form.append('file', new Blob([new Uint8Array(video)]), `cam/${i}.mp4`)
  const cancelled = fetch(`${server.url}/api/projects/${id}/upload`, { method: 'POST', body: form, signal: abort.signal }).catch(() => 'cancelled')
  setTimeout(() => abort.abort(), 25)
  expect(await cancelled).toBe('cancelled')
  // All or nothing: all of it may have been on its way before the cancelling came. A slow server comes to it later.
  await expect(async () => {
    const before = onDisk(id)
    await new Promise((resolve) => setTimeout(resolve, 500))
    expect(asideOnDisk(id)).toEqual([])
    expect(onDisk(id)).toEqual(before)
    expect((await state(id)).files.map((f) => f.path)).toEqual(before)
    expect(before.length).toBeLessThanOrEqual(1)
  }).toPass({ timeout: 30_000 })
  expect(server.alive).toBe(true)
})

test('two cameras’ files of one name stay two originals, whoever drops them and when', async () => {
  const id = await project()
  const [a, b] = [bytes('whole.mp4'), bytes('whole.mov')]
  expect((await upload(id, [['C0001.MP4', a]])).status).toBe(200)
  const [first] = (await state(id)).files
  expect((await upload(id, [['C0001.MP4', b]])).status).toBe(200)
  expect(readFileSync(first.path).equals(a)).toBe(true)
  // Two tabs at once, each with both names swapped.
  const two = await project()
  const answers = await Promise.all([
    upload(two, [
      ['x/C1.mp4', a],
      ['x/C2.mp4', b],
    ]),
    upload(two, [
      ['x/C1.mp4', b],
      ['x/C2.mp4', a],
    ]),
  ])
  expect(answers.map((r) => r.status)).toEqual([200, 200])
  for (const project of [id, two]) {
    const { files, doc } = await state(project)
    expect(files).toHaveLength(2)
    for (const file of files) expect([a, b].some((whole) => readFileSync(file.path).equals(whole))).toBe(true)
    expect(new Set(files.map((f) => readFileSync(f.path).length)).size).toBe(2)
    expect(new Set(Object.values(doc.clips).map((c) => c.fileId))).toEqual(new Set(files.map((f) => f.id)))
    expect(onDisk(project).sort()).toEqual(files.map((f) => f.path).sort())
  }
})

test('names of any length and script are kept by bytes, with their endings', async () => {
  const id = await project()
  const content = (n: number) => Buffer.concat([bytes('whole.wav'), Buffer.alloc(n + 1, n)])
  const names = [
    `${'電'.repeat(90)}.wav`,
    `${'a'.repeat(230)}.wav`,
    `${'🎺'.repeat(80)}/${'é'.repeat(200)}.WAV`,
    'same.wav',
    'same.wav',
    'clip.wav/inside.wav',
    'clip.wav',
    'nul\0byte.wav',
    '../../../../climb.wav',
    'con<trol>"\u0001.wav',
    `${'deep/'.repeat(60)}down.wav`,
  ]
  const answer = await upload(
    id,
    names.map((name, i) => [name, content(i)]),
  )
  expect(answer.status, await answer.clone().text()).toBe(200)
  const { files } = await state(id)
  expect(files).toHaveLength(names.length)
  for (const file of files) {
    expect(file.name).toMatch(/\.wav$/i)
    expect(Buffer.byteLength(file.name)).toBeLessThanOrEqual(200)
    expect(path.relative(path.join(server.home, 'uploads', id), file.path)).not.toMatch(/^\.\./)
  }
  expect(files.filter((f) => f.name === 'same.wav')).toHaveLength(2)
  expect(files.some((f) => f.name.startsWith('電'.repeat(50)))).toBe(true)
})

test('what is no recording does not stay on the disk', async () => {
  const id = await project()
  expect(
    (
      await upload(id, [
        ['notes.txt', Buffer.from('no film')],
        ['good.wav', bytes('whole.wav')],
      ])
    ).status,
  ).toBe(200)
  expect(onDisk(id).map((f) => path.basename(f))).toEqual(['good.wav'])
  expect((await upload(id, [['again.wav', bytes('whole.wav')]])).status).toBe(200)
  expect((await state(id)).files).toHaveLength(1)
})

test('killed in the middle of an upload, the next start sweeps its parts; killed before gathering, it gathers what arrived whole', async () => {
  const id = await project()
  const body = Buffer.concat([Buffer.from(part('b', 'a.mp4')), bytes('whole.mp4').subarray(0, 200_000)])
  void raw(Buffer.concat([Buffer.from(head(id, 'b', 10_000_000)), body]), { close: 'when answered' })
  await expect.poll(() => onDisk(id).length).toBe(1)
  await server.kill()
  expect(onDisk(id)).toHaveLength(1)
  // As a process leaves it that ends between keeping a file and gathering it.
  const { mkdirSync, copyFileSync } = await import('node:fs')
  const folder = path.join(server.home, 'uploads', id, 'a'.repeat(32), 'cam-x')
  mkdirSync(folder, { recursive: true })
  copyFileSync(path.join(whole, 'whole.mov'), path.join(folder, 'late.mov'))
  await server.start()
  await expect.poll(() => onDisk(id).map((f) => path.basename(f))).toEqual(['late.mov'])
  const { files, doc } = await state(id)
  expect(files.map((f) => f.name)).toEqual(['late.mov'])
  expect(Object.values(doc.clips)).toHaveLength(1)
  expect(await server.api<unknown[]>(`/jobs?project=${id}`)).toHaveLength(2)
})
