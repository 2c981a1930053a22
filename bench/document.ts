import { execFileSync, spawn } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { createClient } from '@libsql/client'
import { planFilm } from '../core/film/index.ts'
import { applyEdits, type Edit, type FileFacts, isMaster, type ProjectDoc, pictureSpans, pointsOf } from '../core/project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart } from '../core/time/index.ts'

const HOURS = 2
const ANGLES = 16
const CUTS = 5000
const MARKS = 20_000
const BEATS = 14_400
const RATE = { num: 25, den: 1 }

const median = (list: number[]) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)] ?? 0
const timed = (act: () => unknown): number => {
  const began = performance.now()
  act()
  return performance.now() - began
}
const best = (times: number, act: (i: number) => unknown) => median(Array.from({ length: times }, (_, i) => timed(() => act(i))))

const camera = (n: number) => path.join(`camera-${String(n).padStart(2, '0')}`, 'clip.mp4')

/** Sixteen cameras of two hours: small pictures once a second, for it is the document that is measured. */
function material(folder: string): void {
  mkdirSync(folder, { recursive: true })
  const length = String(HOURS * 3600)
  const sound = ['-f', 'lavfi', '-i', `anoisesrc=sample_rate=8000:amplitude=0.1:duration=${length}`, '-c:a', 'aac', '-b:a', '12k']
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...sound, path.join(folder, 'master-mix.m4a')])
  const first = path.join(folder, camera(1))
  for (let n = 1; n <= ANGLES; n++) mkdirSync(path.dirname(path.join(folder, camera(n))), { recursive: true })
  execFileSync('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    `testsrc2=size=160x90:rate=1:duration=${length}`,
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    first,
  ])
  for (let n = 2; n <= ANGLES; n++)
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', first, '-c', 'copy', '-metadata', `title=${n}`, path.join(folder, camera(n))])
}

interface State {
  doc: ProjectDoc
  files: { id: string; name: string; facts: FileFacts }[]
}

/**
 * The big project over HTTP and in core: what one change costs in time, in the log and for another page, and for how
 * long anybody waits meanwhile. The baseline is what a change costs at least when the whole document is written for it.
 */
export async function benchDocument(folder: string): Promise<void> {
  if (!existsSync(path.join(folder, camera(ANGLES)))) material(folder)
  const home = mkdtempSync(path.join(os.tmpdir(), 'pendolo-bench-'))
  const server = spawn(process.execPath, ['server/dist/cli.mjs', 'start', '--home', home, '--port', '0'], {
    env: { ...process.env, PENDOLO_ROOTS: path.resolve(folder) },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  try {
    const [said] = (await once(server.stdout, 'data')) as [Buffer]
    const url = /http:\/\/[\d.:]+/.exec(said.toString())?.[0] ?? ''
    await measure(url, home, folder)
  } finally {
    server.kill('SIGTERM')
    await once(server, 'exit')
    rmSync(home, { recursive: true, force: true })
  }
}

async function measure(url: string, home: string, folder: string): Promise<void> {
  const call = async <T>(target: string, body?: unknown): Promise<T> => {
    const init = body === undefined ? {} : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
    const answer = await fetch(`${url}/api${target}`, init)
    if (!answer.ok) throw new Error(`${target}: ${answer.status} ${await answer.text()}`)
    return (answer.status === 204 ? undefined : await answer.json()) as T
  }
  const { id } = await call<{ id: string }>('/projects', { name: 'Two hours' })
  await call(`/projects/${id}/gather`, { paths: [path.resolve(folder)] })
  for (const job of await call<{ id: string }[]>(`/jobs?project=${id}`))
    await fetch(`${url}/api/jobs/${job.id}/cancel`, { method: 'POST', headers: { 'x-author': 'bench' } })
  const edit = (edits: Edit[]) => call(`/projects/${id}/edits?label=bench`, { edits })
  const state = () => call<State>(`/projects/${id}`)
  const { doc } = await state()
  const cutId = doc.activeCutId
  const placement = { start: flicks(0), rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: '', locked: false } as const
  const cameras = Object.values(doc.clips).filter((c) => !isMaster(doc, c.id))
  await edit([{ type: 'place', by: 'hand', placements: Object.fromEntries(cameras.map((c) => [c.id, placement])), loose: {} }])

  // Anybody who asks meanwhile waits no longer than this.
  let hold = 0
  let watching = true
  const watcher = (async () => {
    while (watching) {
      const began = performance.now()
      await (await fetch(`${url}/api/health`)).text()
      hold = Math.max(hold, performance.now() - began)
      await new Promise((resolve) => setTimeout(resolve, 2))
    }
  })().catch(() => undefined)
  // A second page, as far as the network goes: it hears events and asks for nothing.
  let heard = 0
  const page = new AbortController()
  const events = await fetch(`${url}/api/events`, { signal: page.signal })
  const listening = (async () => {
    for await (const chunk of events.body as unknown as AsyncIterable<Uint8Array>) heard += chunk.length
  })().catch(() => undefined)

  const step = (HOURS * 3600 * 25) / CUTS
  const choose = (n: number, offset = 0): Edit => ({
    type: 'choose',
    cutId,
    time: frameStart(Math.floor(n * step) + offset, RATE),
    choice: { angleId: doc.angles[(n * 7 + offset) % doc.angles.length].id },
  })
  const holds: string[] = []
  const noted = async (name: string, act: () => Promise<unknown>): Promise<number> => {
    await new Promise((resolve) => setTimeout(resolve, 100))
    hold = 0
    const began = performance.now()
    await act()
    const took = performance.now() - began
    await new Promise((resolve) => setTimeout(resolve, 100))
    holds.push(`${name} ${hold.toFixed(0)}`)
    return took
  }
  const cuts = await noted('cuts', async () => {
    for (let n = 0; n < CUTS; n += 500) await edit(Array.from({ length: 500 }, (_, i) => choose(n + i)))
  })
  const marks = await noted('marks', async () => {
    for (let n = 0; n < MARKS; n += 1000)
      await edit([
        {
          type: 'addMarks',
          marks: Array.from({ length: 1000 }, (_, i) => ({
            id: `mark-${n + i}`,
            time: ((n + i) * 250_000_000) as Flicks,
            kind: 'cue',
            name: `Mark ${n + i}`,
            hue: i % 12,
          })),
        },
      ])
  })
  const beats = Array.from({ length: BEATS }, (_, i) => flicks(i * (FLICKS_PER_SECOND / 2)))
  await noted('pulse', () =>
    edit([{ type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats: beats.flatMap((_, i) => (i % 4 === 0 ? [i] : [])) } }]),
  )
  const moved = await noted('200 marks', () =>
    edit(Array.from({ length: 200 }, (_, i) => ({ type: 'changeMark', markId: `mark-${i * 97}`, change: { time: (i * 123_456_789) as Flicks } }))),
  )
  await new Promise((resolve) => setTimeout(resolve, 300))
  const before = heard
  const single: number[] = []
  await noted('single cuts', async () => {
    for (let i = 0; i < 60; i++) {
      const began = performance.now()
      await edit([choose(i * 80, 11)])
      single.push(performance.now() - began)
    }
  })
  await new Promise((resolve) => setTimeout(resolve, 300))
  const bytes = (heard - before) / single.length
  watching = false
  await watcher
  page.abort()
  await listening

  const now = await state()
  const facts = new Map(now.files.map((f) => [f.id, f.facts]))
  const whole = best(9, () => JSON.stringify(JSON.parse(JSON.stringify(now.doc))))
  const spans = pictureSpans(now.doc, (fileId) => facts.get(fileId))
  const order = now.doc.angles.map((a) => a.id)
  const plan = best(9, () => planFilm(pointsOf(now.doc.cuts[0]), { spans, order, standIn: 'next' }, flicks(0), flicks(HOURS * 3600 * FLICKS_PER_SECOND)))
  const apply = best(41, (i) => applyEdits(now.doc, [choose(i * 100, 5)]))
  const client = createClient({ url: `file:${path.join(home, 'pendolo.db')}` })
  const { rows } = await client.execute('SELECT length(forward) + length(backward) AS n FROM edits ORDER BY seq DESC LIMIT 60')
  client.close()
  const log = median(rows.map((r) => Number(r.n)))
  const against = (ms: number) => `${ms.toFixed(1)} ms, ${(ms / whole).toFixed(2)} ×`
  console.log(`document: ${HOURS} h, ${order.length} angles, ${pointsOf(now.doc.cuts[0]).length} cuts, ${MARKS} marks, ${BEATS} beats`)
  console.log(`baseline: writing and reading the whole document as JSON takes ${whole.toFixed(1)} ms`)
  console.log(`applyEdits of one cut: ${against(apply)} (aim 5 ms)`)
  console.log(`plan of the film: ${against(plan)} (aim 20 ms)`)
  console.log(
    `one cut over HTTP, durable: ${against(median(single))} (aim 30 ms), ${log} bytes of log (aim 2000), ${bytes.toFixed(0)} bytes to another page (aim 4000)`,
  )
  console.log(
    `${CUTS} cuts in batches of 500: ${(cuts / 1000).toFixed(2)} s; ${MARKS} marks in batches of 1000: ${(marks / 1000).toFixed(2)} s (aim 4); 200 marks moved: ${moved.toFixed(0)} ms (aim 100)`,
  )
  console.log(`longest wait of somebody else, ms (aim 50): ${holds.join(', ')}`)
}
