import { once } from 'node:events'
import path from 'node:path'
import { Worker } from 'node:worker_threads'
import { createClient } from '@libsql/client'
import { planFilm } from '../core/film/index.ts'
import { applyEdits, pictureSpans } from '../core/project/index.ts'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '../core/time/index.ts'
import { BEATS, type Big, CUTS, cutsFrom, HOURS, MARKS, marksFrom, median, steadyPulse, withBigProject } from './big.ts'

const timed = (act: () => unknown): number => {
  const began = performance.now()
  act()
  return performance.now() - began
}
const best = (times: number, act: (i: number) => unknown) => median(Array.from({ length: times }, (_, i) => timed(() => act(i))))

/** Somebody else: asks again and again, in a thread of its own, so that only the server's time is counted and not that of the bench. */
const WATCHER = `
import { parentPort, workerData } from 'node:worker_threads'
let longest = 0
const ask = async () => {
  const began = performance.now()
  await (await fetch(workerData)).text()
  longest = Math.max(longest, performance.now() - began)
}
parentPort.on('message', () => { parentPort.postMessage(longest); longest = 0 })
await ask()
parentPort.postMessage(0)
for (;;) { await ask(); await new Promise((resolve) => setTimeout(resolve, 2)) }
`

/**
 * The big project over HTTP and in core: what one change costs in time, in the log and for another page, and for how
 * long anybody waits meanwhile. The baseline is what a change costs at least when the whole document is written for it.
 */
export const benchDocument = (folder: string): Promise<void> => withBigProject(folder, measure)

async function measure(big: Big): Promise<void> {
  const { url, home, edit, state, choose, held } = big
  const watcher = new Worker(new URL(`data:text/javascript,${encodeURIComponent(WATCHER)}`), { workerData: `${url}/api/health` })
  await once(watcher, 'message')
  /** The longest that somebody else has waited since this was asked last, ms. */
  const longestWait = async (): Promise<number> => {
    watcher.postMessage(null)
    return ((await once(watcher, 'message')) as [number])[0]
  }
  // A second page, as far as the network goes: it hears events and asks for nothing.
  let heard = 0
  const page = new AbortController()
  const events = await fetch(`${url}/api/events`, { signal: page.signal })
  const listening = (async () => {
    for await (const chunk of events.body as unknown as AsyncIterable<Uint8Array>) heard += chunk.length
  })().catch(() => undefined)

  const holds: string[] = []
  const waits: string[] = []
  const noted = async (name: string, act: () => Promise<unknown>): Promise<number> => {
    await new Promise((resolve) => setTimeout(resolve, 100))
    await longestWait()
    await held()
    const began = performance.now()
    await act()
    const took = performance.now() - began
    await new Promise((resolve) => setTimeout(resolve, 100))
    holds.push(`${name} ${(await held()).toFixed(0)}`)
    waits.push(`${name} ${(await longestWait()).toFixed(0)}`)
    return took
  }
  const cuts = await noted('cuts', async () => {
    for (let n = 0; n < CUTS; n += 500) await edit(cutsFrom(big, n, 500))
  })
  const marks = await noted('marks', async () => {
    for (let n = 0; n < MARKS; n += 1000) await edit([marksFrom(n, 1000)])
  })
  await noted('pulse', () => edit([steadyPulse()]))
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
  await watcher.terminate()
  page.abort()
  await listening

  const now = await state()
  const facts = new Map(now.files.map((f) => [f.id, f.facts]))
  const whole = best(9, () => JSON.stringify(JSON.parse(JSON.stringify(now.doc))))
  const spans = pictureSpans(now.doc, (fileId) => facts.get(fileId))
  const order = now.doc.angles.map((a) => a.id)
  const plan = best(9, () => planFilm(now.doc.cuts[0].points, { spans, order, standIn: 'next' }, flicks(0), flicks(HOURS * 3600 * FLICKS_PER_SECOND)))
  const apply = best(41, (i) => applyEdits(now.doc, [choose(i * 100, 5)]))
  const client = createClient({ url: `file:${path.join(home, 'pendolo.db')}` })
  const { rows } = await client.execute('SELECT length(forward) + length(backward) AS n FROM edits ORDER BY seq DESC LIMIT 60')
  client.close()
  const log = median(rows.map((r) => Number(r.n)))
  const against = (ms: number) => `${ms.toFixed(1)} ms, ${(ms / whole).toFixed(2)} ×`
  console.log(`document: ${HOURS} h, ${order.length} angles, ${now.doc.cuts[0].points.length} cuts, ${MARKS} marks, ${BEATS} beats`)
  console.log(`baseline: writing and reading the whole document as JSON takes ${whole.toFixed(1)} ms`)
  console.log(`applyEdits of one cut: ${against(apply)} (aim 5 ms)`)
  console.log(`plan of the film: ${against(plan)} (aim 20 ms)`)
  console.log(
    `one cut over HTTP, durable: ${against(median(single))} (aim 30 ms), ${log} bytes of log (aim 2000), ${bytes.toFixed(0)} bytes to another page (aim 4000)`,
  )
  console.log(
    `${CUTS} cuts in batches of 500: ${(cuts / 1000).toFixed(2)} s; ${MARKS} marks in batches of 1000: ${(marks / 1000).toFixed(2)} s (aim 4); 200 marks moved: ${moved.toFixed(0)} ms (aim 100)`,
  )
  console.log(`longest hold of the server's event loop, ms (aim 50): ${holds.join(', ')}`)
  console.log(`longest wait of somebody else, ms: ${waits.join(', ')}`)
}
