import { createHash, randomUUID } from 'node:crypto'
import { copyFileSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { type JobDetail, scratch, TestServer } from '../server.ts'
import { chance, wholeFiles } from './files.ts'
import { family, running } from './processes.ts'

/** `PENDOLO_KILLS=100` for the long form. */
const KILLS = Number(process.env.PENDOLO_KILLS ?? 6)

interface State {
  doc: { marks: { id: string }[]; clips: Record<string, { fileId: string }>; angles: { id: string }[]; cuts: { id: string }[] }
  files: { id: string; name: string; path: string; facts: { video: unknown; audio: unknown } }[]
}
interface Job {
  id: string
  kind: string
  state: string
  fileId: string | null
  detail: JobDetail
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

test(`killed ${KILLS} times at random under clients that edit, gather, upload and render, nothing acknowledged is lost and nothing is left half done`, async () => {
  test.setTimeout(60_000 + KILLS * 30_000)
  const r = chance(Number(process.env.PENDOLO_SEED ?? 5))
  const whole = wholeFiles()
  const roots = scratch('roots')
  const sums = new Map<string, string>()
  /** A recording of its own content, so that each is another file. */
  const recording = (name: string, kind: 'whole.wav' | 'whole.mp3') => Buffer.concat([readFileSync(path.join(whole, kind)), Buffer.from(name)])
  const put = (name: string, bytes: Buffer) => {
    const file = path.join(roots, name)
    mkdirSync(path.dirname(file), { recursive: true })
    writeFileSync(file, bytes)
    sums.set(file, createHash('sha256').update(bytes).digest('hex'))
    return file
  }
  copyFileSync(path.join(whole, 'whole.mp4'), path.join(roots, 'cam.mp4'))
  sums.set(
    path.join(roots, 'cam.mp4'),
    createHash('sha256')
      .update(readFileSync(path.join(roots, 'cam.mp4')))
      .digest('hex'),
  )
  const server = new TestServer(roots)
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Kills' })
  await server.api(`/projects/${id}/gather`, { paths: [put('desk/master-mix.wav', readFileSync(path.join(whole, 'whole.wav'))), path.join(roots, 'cam.mp4')] })
  await server.idle()
  const { doc } = await server.api<State>(`/projects/${id}`)

  // What each client was told is kept: marks by their ids, files by their names.
  const acknowledged = { marks: new Set<string>(), files: new Set<string>(), uploads: new Set<string>(), films: 0 }
  let stop = false
  const post = async (target: string, body?: unknown): Promise<boolean> => {
    try {
      const answer = await fetch(`${server.url}/api${target}`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-author': 'killer' },
        body: JSON.stringify(body ?? {}),
      })
      await answer.text()
      return answer.ok
    } catch {
      return false
    }
  }
  const editor = async () => {
    while (!stop) {
      const mark = randomUUID()
      const edit = { type: 'addMarks', marks: [{ id: mark, time: r(10_000), kind: 'cue', name: mark, hue: 0 }] }
      if (await post(`/projects/${id}/edits?label=mark`, { edits: [edit] })) acknowledged.marks.add(mark)
      else await pause(50)
      await pause(5)
    }
  }
  const gatherer = async () => {
    for (let n = 0; !stop; n++) {
      const file = put(`cards/rec-${n}.wav`, recording(`g${n}`, 'whole.mp3'))
      if (await post(`/projects/${id}/gather`, { paths: [file] })) acknowledged.files.add(path.basename(file))
      await pause(400)
    }
  }
  const uploader = async () => {
    for (let n = 0; !stop; n++) {
      const form = new FormData()
      form.append('file', new Blob([new Uint8Array(recording(`u${n}`, 'whole.mp3'))]), `drop/up-${n}.mp3`)
      const answer = await fetch(`${server.url}/api/projects/${id}/upload`, { method: 'POST', body: form }).catch(() => null)
      const copied = answer?.ok ? await answer.json().catch(() => null) : null
      if (copied && (await post(`/projects/${id}/take`, copied))) {
        acknowledged.uploads.add(`up-${n}.mp3`)
      }
      await pause(400)
    }
  }
  const renderer = async () => {
    while (!stop) {
      if (await post(`/projects/${id}/film`, { width: 320, height: 180, rate: '25/1' })) acknowledged.films++
      await pause(1500)
    }
  }
  const clients = [editor(), gatherer(), uploader(), renderer()]
  expect(doc.angles.length).toBeGreaterThan(0)

  for (let kill = 0; kill < KILLS; kill++) {
    await pause(200 + r(1800))
    const pids = family(server.pid).map((p) => p.pid)
    await server.kill()
    // No child outlives it.
    await expect.poll(() => running(pids).length, { timeout: 3000 }).toBe(0)
    // Nothing stands half written under a final name.
    const finals = (readdirSync(server.home, { recursive: true }) as string[]).filter((f) => /(tile|sharp|sound)\.mp4$/.test(f) && !f.includes('.part'))
    for (const file of finals.slice(-6)) expect(readFileSync(path.join(server.home, file)).includes('moov'), file).toBe(true)
    await server.start()
  }
  stop = true
  await Promise.all(clients)

  const state = async () => server.api<State>(`/projects/${id}`)
  const now = await state()
  const names = new Set(now.doc.marks.map((m) => m.id))
  expect([...acknowledged.marks].filter((m) => !names.has(m))).toEqual([])
  expect(acknowledged.marks.size).toBeGreaterThan(10)
  const known = new Set(now.files.map((f) => f.name))
  expect([...acknowledged.files, ...acknowledged.uploads].filter((f) => !known.has(f))).toEqual([])
  // Every file has one clip, and the other way round.
  const used = Object.values(now.doc.clips).map((c) => c.fileId)
  expect(used.sort()).toEqual(now.files.map((f) => f.id).sort())
  expect(new Set(now.files.map((f) => f.path)).size).toBe(now.files.length)
  // Every file has its jobs; those that a kill set aside are tried again by hand.
  const jobs = () => server.api<Job[]>(`/jobs?project=${id}`)
  for (;;) {
    // The list is limited to the newest; what failed is asked for by itself.
    const failed = await server.api<Job[]>(`/jobs?project=${id}&state=failed`)
    const all = [...(await jobs()), ...failed]
    for (const job of failed) {
      expect(job.detail.code).toBe('ended-twice')
      await post(`/jobs/${job.id}/retry`)
    }
    if (all.every((j) => j.state === 'done' || j.state === 'cancelled')) break
    await pause(300)
  }
  const heard = new Set((await jobs()).filter((j) => j.kind === 'sound').map((j) => j.fileId))
  // The list of jobs is limited; of a long run only its end is told.
  if ((await jobs()).length < 500) expect(now.files.filter((f) => f.facts.audio && !heard.has(f.id)).map((f) => f.name)).toEqual([])
  const { files } = await server.api<{ files: { name: string; ready: { sound: boolean } }[] }>(`/projects/${id}`)
  expect(files.filter((f) => !f.ready.sound).map((f) => f.name)).toEqual([])
  expect((readdirSync(server.home, { recursive: true }) as string[]).filter((f) => path.basename(f).startsWith('.part'))).toEqual([])
  for (const [file, sum] of sums) expect(createHash('sha256').update(readFileSync(file)).digest('hex'), file).toBe(sum)
  // Undo goes back over all kills, step by step.
  const before = (await state()).doc.marks.length
  expect(await post(`/projects/${id}/undo`)).toBe(true)
  const after = await state()
  expect(after.doc.marks.length + Object.keys(after.doc.clips).length).toBeLessThan(before + used.length)
  await server.kill()
})
