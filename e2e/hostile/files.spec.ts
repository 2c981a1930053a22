import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { type JobDetail, said, scratch, TestServer } from '../server.ts'
import { ffmpeg, hostileFiles } from './files.ts'
import { watchMemory } from './processes.ts'

/** `PENDOLO_HOSTILE=200` for the long form. */
const COUNT = Number(process.env.PENDOLO_HOSTILE ?? 32)
const MOST_MEMORY = 1.5e9
/** Nothing may show what a decoder said where words are meant for people. */
const RAW = /0x[0-9a-f]+|@ |Error while|Invalid data|NAL unit|codec none|drop_frames|speed=|pts_time|undefined|TypeError|\bnull\b/

interface Job {
  id: string
  state: string
  kind: string
  about: string
  detail: JobDetail
  progress: number
}

test(`${COUNT} damaged and hostile files go through gathering, copies, line-up and pulse: no crash, no fault, no hang, words for each`, async () => {
  test.setTimeout(120_000 + COUNT * 15_000)
  const roots = scratch('roots')
  const names = hostileFiles(path.join(roots, 'hostile'), COUNT, Number(process.env.PENDOLO_SEED ?? 1))
  mkdirSync(path.join(roots, 'desk'))
  ffmpeg(
    '-f',
    'lavfi',
    '-i',
    "aevalsrc='0.4*sin(2*PI*(300+200*floor(mod(t*4,5)))*t)*exp(-mod(t,0.25)*6)':s=48000:d=12",
    path.join(roots, 'desk', 'master-mix.wav'),
  )
  const server = new TestServer(roots)
  await server.start()
  const memory = watchMemory(server.pid)
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Hostile' })
  const report = await server.api<{ added: number; known: string[]; refused: { name: string; why: string }[] }>(`/projects/${id}/gather`, {
    paths: [path.join(roots, 'desk'), path.join(roots, 'hostile')],
  })
  expect(report.added + report.refused.length).toBe(names.length + 1)
  for (const { name, why } of report.refused) {
    expect(why, name).toMatch(/^[a-z].{15,}/)
    expect(why, name).not.toMatch(RAW)
  }
  expect(report.refused.map((r) => r.name)).toEqual(
    expect.arrayContaining(['gap.mkv', 'giant.avi', 'one-hertz.wav', 'slow-rate.avi', 'empty.mp4', 'script.mp4']),
  )

  const jobs = () => server.api<Job[]>(`/jobs?project=${id}`)
  /** Waits for all jobs; each must get on within a minute. */
  const ended = async () => {
    const seen = new Map<string, { text: string; at: number }>()
    for (;;) {
      const open = (await jobs()).filter((j) => j.state === 'queued' || j.state === 'running')
      if (open.length === 0) return
      for (const job of open.filter((j) => j.state === 'running')) {
        const text = `${job.progress} ${said(job)}`
        const before = seen.get(job.id)
        if (before?.text !== text) seen.set(job.id, { text, at: Date.now() })
        else expect(Date.now() - before.at, `${job.kind} ${job.about} ${said(job)}`).toBeLessThan(60_000)
      }
      await new Promise((resolve) => setTimeout(resolve, 200))
    }
  }
  await ended()
  await server.api(`/projects/${id}/lineup`, {})
  await ended()
  for (const find of ['beats', 'parts', 'speech']) await server.api(`/projects/${id}/pulse`, { find })
  await ended()
  const { doc, files } = await server.api<{
    doc: { loose: Record<string, string>; clips: Record<string, { id: string }> }
    files: { facts: { audio: unknown } }[]
  }>(`/projects/${id}`)
  expect(files.length).toBe(report.added)
  for (const why of Object.values(doc.loose)) expect(JSON.stringify(why)).not.toMatch(RAW)
  // Any of them may be made the master by mistake.
  for (const clip of Object.values(doc.clips).filter((_, i) => i % 9 === 4)) {
    await server.api(`/projects/${id}/edits`, { edits: [{ type: 'setMaster', clipId: clip.id }] })
    await server.api(`/projects/${id}/pulse`, {})
    await ended()
    await fetch(`${server.url}/api/projects/${id}/exchange/otio`).then((r) => expect(r.status).toBeLessThan(500))
  }
  const all = await jobs()
  for (const job of all.filter((j) => j.state === 'failed')) {
    expect(said(job), `${job.kind} ${job.about}`).not.toMatch(RAW)
    expect(said(job), `${job.kind} ${job.about}`).toMatch(/\w+\.\w+ |master|choose/)
  }
  expect(all.filter((j) => j.state === 'done').length).toBeGreaterThan(COUNT / 4)
  expect(memory.most()).toBeLessThan(MOST_MEMORY)
  memory.stop()
  expect(server.said).not.toMatch(/request failed|nobody caught/)
  expect(server.alive).toBe(true)
  await server.kill()
})
