import { copyFileSync, mkdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { makeNumbers } from '../numbers.ts'
import { scratch, TestServer } from '../server.ts'
import { wholeFiles } from './files.ts'
import { family, openHandles } from './processes.ts'

/** `PENDOLO_LOAD_MINUTES=60` for the long form. */
const MINUTES = Number(process.env.PENDOLO_LOAD_MINUTES ?? 0.5)
const LONG = MINUTES >= 30
/** More than the six connections that a browser opens to one server, in any case. */
const PAGES = LONG ? 20 : 8
const STAGES = ['gather', 'line-up', 'pulse', 'switch', 'balance', 'hand-over']

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
const median = (list: number[]) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)] ?? 0

test(`${MINUTES} minutes of mixed load with ${PAGES} pages open: neither memory nor handles grow`, async ({ browser }) => {
  test.setTimeout(240_000 + MINUTES * 90_000)
  const numbers = await makeNumbers()
  const roots = scratch('roots')
  const server = new TestServer(`${numbers}${path.delimiter}${roots}`)
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Load' })
  await server.api(`/projects/${id}/gather`, { paths: [numbers] })
  await server.idle()
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
  interface Doc {
    cuts: { id: string; points: Record<string, unknown> }[]
    angles: { id: string }[]
    marks: unknown[]
  }
  const doc = async () => (await server.api<{ doc: Doc }>(`/projects/${id}`)).doc
  const { cuts, angles } = await doc()
  const cutId = cuts[0].id
  const handlesAlone = openHandles(server.pid)

  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } })
  for (let n = 0; n < PAGES; n++) {
    const page = await context.newPage()
    await page.goto(`${server.url}/${id}/${STAGES[n % STAGES.length]}`)
    // Each of them is served, the twentieth too.
    await expect(page.getByText('Load').first()).toBeVisible()
  }

  const until = Date.now() + MINUTES * 60_000
  let edits = 0
  let slowest = 0
  const say = async (target: string, body: unknown = {}) => {
    const began = Date.now()
    const answer = await fetch(`${server.url}/api${target}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
    await answer.text()
    slowest = Math.max(slowest, Date.now() - began)
    expect(answer.status, target).toBeLessThan(500)
  }
  const edit = (list: unknown[], label = 'load') => say(`/projects/${id}/edits?label=${label}`, { edits: list })
  const editor = async () => {
    for (; Date.now() < until; edits++) {
      const time = ((edits * 37) % 380) * 70_560_000
      await edit([{ type: 'choose', cutId, time, choice: { angleId: angles[edits % angles.length].id } }])
      await edit([{ type: 'addMarks', marks: [{ id: `m${edits}`, time, kind: 'cue', name: `${edits}`, hue: 0 }] }])
      if (edits > 200) await edit([{ type: 'removeMarks', markIds: [`m${edits - 200}`] }])
      if (edits % 3 === 0) await say(`/projects/${id}/undo`)
      await pause(LONG ? 5000 : 500)
    }
  }
  const worker = async () => {
    for (let n = 0; Date.now() < until; n++) {
      if (n % 4 === 0) await say(`/projects/${id}/lineup`)
      if (n % 4 === 1) await say(`/projects/${id}/pulse`, { find: n % 8 < 4 ? 'beats' : 'parts' })
      if (n % 4 === 2) await say(`/projects/${id}/film`, { width: 320, height: 180, rate: '25/1' })
      if (n % 4 === 3) {
        const form = new FormData()
        form.append(
          'file',
          new Blob([new Uint8Array(Buffer.concat([readFileSync(path.join(wholeFiles(), 'whole.mp3')), Buffer.from(String(n % 12))]))]),
          `up-${n % 12}.mp3`,
        )
        await say(`/projects/${id}/take`, await (await fetch(`${server.url}/api/projects/${id}/upload`, { method: 'POST', body: form })).json())
        mkdirSync(path.join(roots, 'card'), { recursive: true })
        copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(roots, 'card', `c${n % 12}.mp4`))
        await say(`/projects/${id}/gather`, { paths: [path.join(roots, 'card')] })
      }
      await pause(LONG ? 60_000 : 6000)
    }
  }
  const samples: { minute: number; server: number; handles: number }[] = []
  const began = Date.now()
  const sampler = async () => {
    for (; Date.now() < until; await pause(2000)) {
      const own = family(server.pid).find((p) => p.pid === server.pid)
      samples.push({ minute: (Date.now() - began) / 60_000, server: own?.bytes ?? 0, handles: openHandles(server.pid) })
    }
  }
  await Promise.all([editor(), worker(), sampler()])

  const of = (from: number, to: number) => samples.filter((s) => s.minute >= from && s.minute < to)
  const [first, last] = LONG ? [of(10, 20), of(MINUTES - 10, MINUTES)] : [of(0, MINUTES / 2), of(MINUTES / 2, MINUTES)]
  const figures = {
    edits,
    slowest,
    memory: [first, last].map((l) => Math.round(median(l.map((s) => s.server)) / 1e6)),
    handles: [first, last].map((l) => median(l.map((s) => s.handles))),
  }
  console.log(JSON.stringify(figures))
  // A collector takes its time, so a tenth and a few megabytes are no growth; a leak of an hour is more.
  if (LONG) expect(figures.memory[1]).toBeLessThan(1.1 * figures.memory[0] + 20)
  // Worker threads and kept connections come and go; in half a minute only much growth tells anything.
  const SLACK = LONG ? 12 : 40
  expect(figures.handles[1]).toBeLessThanOrEqual(figures.handles[0] + SLACK)
  // Half a minute shares the machine with other tests: only a request that hangs tells anything.
  expect(slowest).toBeLessThan(LONG ? 5000 : 20_000)
  await context.close()
  await server.idle()
  // With the pages gone their connections are gone.
  await expect.poll(() => openHandles(server.pid), { timeout: 60_000 }).toBeLessThanOrEqual(handlesAlone + SLACK)
  expect(server.said).not.toMatch(/request failed|nobody caught/)
  await server.kill()
})
