import { execFileSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { bestLag, CAMERAS, makeNumbers, readFilm, readSound, wav } from './numbers.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

interface State {
  doc: {
    angles: { id: string; name: string }[]
    clips: Record<string, { fileId: string; angleId: string }>
    placements: Record<string, { start: number; verdict: string; why: { code: string }[]; jumps?: { at: number; by: number }[] }>
    cuts: { id: string }[]
    activeCutId: string
    masterClipId: string
  }
  files: { id: string; name: string }[]
}

const SECOND = 705_600_000
const RATE = 48_000
const SECONDS = 38
const [A] = CAMERAS
/** The camera lost what lay between these seconds of its recording. */
const LOST = { from: 14, to: 14.4 }

let server: TestServer
let id: string

/** Notes that never come back in the same order. */
function tune(): Float32Array {
  let seed = 9
  const random = () => {
    seed = (Math.imul(seed, 1664525) + 1013904223) | 0
    return (seed >>> 0) / 4294967296
  }
  const out = new Float32Array(SECONDS * RATE)
  for (let t = 0; t < SECONDS - 1; t += 0.09 + 0.3 * random()) {
    const hz = 180 * 2 ** (2.5 * random())
    const from = Math.round(t * RATE)
    for (let i = 0; i < 0.5 * RATE; i++) out[from + i] += 0.25 * Math.exp((-i / RATE) * 7) * Math.sin((2 * Math.PI * hz * i) / RATE)
  }
  return out
}

const master = tune()

test.beforeAll(async () => {
  const numbers = await makeNumbers()
  const folder = scratch('pieces')
  for (const name of ['broken', 'desk']) mkdirSync(path.join(folder, name))
  writeFileSync(path.join(folder, 'desk', 'tune.wav'), wav(master))
  const heard = master.slice(Math.round(A.start * RATE), Math.round((A.start + 30) * RATE)).map((x) => 0.6 * x)
  const whole = [...heard.slice(0, LOST.from * RATE), ...heard.slice(LOST.to * RATE)]
  writeFileSync(path.join(folder, 'heard.wav'), wav(Float32Array.from(whole)))
  execFileSync('ffmpeg', [
    ...['-v', 'error', '-y', '-i', path.join(numbers, 'cam-a', 'a.mp4'), '-i', path.join(folder, 'heard.wav'), '-filter_complex'],
    `[0:v]split[p][q];[p]trim=0:${LOST.from},setpts=PTS-STARTPTS[a];[q]trim=${LOST.to}:30,setpts=PTS-STARTPTS[b];[a][b]concat=n=2:v=1[v]`,
    ...['-map', '[v]', '-map', '1:a', '-r', '25', '-preset', 'ultrafast', '-crf', '14', '-c:a', 'pcm_s16le', path.join(folder, 'broken', 'broken.mov')],
  ])
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Pieces' }))
  await server.api(`/projects/${id}/gather`, { paths: [path.join(folder, 'broken'), path.join(folder, 'desk')] })
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1', width: 320, height: 180 } }] })
  await server.idle()
})
test.afterAll(() => server?.kill())

const state = () => server.project<State>(id)

test('a camera that lost part of a second is placed in two pieces, and the film is right on both sides', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Line up', exact: true }).click()
  await expect(page.getByText('1 clip · 0 sure · 1 to check')).toBeVisible({ timeout: 60_000 })
  await page.getByRole('button', { name: /broken\.mov, check/ }).click()
  await expect(page.getByRole('status', { name: 'Verdict' })).toContainText('400 ms are missing near 0:14: placed in 2 pieces')
  const { doc, files } = await state()
  const clip = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === 'broken.mov') as string
  const { start, jumps = [] } = doc.placements[clip]
  expect(Math.abs(start / SECOND - A.start)).toBeLessThan(0.001)
  expect(jumps).toHaveLength(1)
  expect(Math.abs(jumps[0].by / SECOND - (LOST.to - LOST.from))).toBeLessThan(0.001)
  expect(Math.abs(jumps[0].at / SECOND - LOST.from)).toBeLessThan(0.2)

  // Moving it by hand moves both pieces; undone, the film is made with the camera alone, its sound too.
  await page.keyboard.press(']')
  await expect.poll(async () => (await state()).doc.placements[clip].start - start).toBe(SECOND / 25)
  expect((await state()).doc.placements[clip].jumps).toEqual(jumps)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await state()).doc.placements[clip].start).toBe(start)

  await server.api(`/projects/${id}/edits?label=cut`, {
    edits: [
      { type: 'choose', cutId: doc.activeCutId, time: 0, choice: { angleId: doc.clips[clip].angleId } },
      { type: 'strip', clipId: clip, change: { on: true } },
      { type: 'strip', clipId: doc.masterClipId, change: { on: false } },
    ],
  })
  await server.api(`/projects/${id}/film`, { width: 320, height: 180, rate: '25/1' })
  await server.idle()
  const film = (await server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).find((j) => j.kind === 'film')?.result?.path as string
  const frames = readFilm(film, 320, 180)
  const jump = (start + jumps[0].at) / SECOND
  let right = 0
  for (const [n, read] of frames.entries()) {
    const t = n / 25
    const wanted = Math.floor((t - A.start) * 25 + 1e-6)
    if (t < A.start + 0.04 || t > A.start + 29.9 || Math.abs(t - jump) < 0.8) continue
    expect(read?.frame, `at ${t} s`).toBe(wanted)
    right++
  }
  expect(right).toBeGreaterThan(600)

  const heard = readSound(film, 8000)
  const wanted = master.filter((_, i) => i % (RATE / 8000) === 0)
  for (const [from, to] of [
    [jump - 6, jump - 1],
    [jump + 1, jump + 6],
  ])
    expect(Math.abs(bestLag(wanted.slice(from * 8000, to * 8000), heard.slice(from * 8000, to * 8000), 400))).toBeLessThanOrEqual(8)
})
