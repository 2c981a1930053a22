import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { apart, drawn, filmed, SECOND } from './chart.ts'
import { scratch, TestServer } from './server.ts'

const FRAME = { width: 480, height: 270 }
/** Patches in a hand that shakes by so many pixels. */
const [LEAST, ROOM] = [8, 24]
let server: TestServer
let id: string

interface Doc {
  activeCutId: string
  angles: { id: string; name: string }[]
  clips: Record<string, { id: string; fileId: string; angleId: string; workedFileId?: string }>
}
const state = () => server.project<{ doc: Doc; files: { id: string; name: string; path: string; ready: { tile: boolean } }[] }>(id)
const clipOf = async (name: string) => {
  const { doc, files } = await state()
  return Object.values(doc.clips).find((c) => files.find((f) => f.id === c.fileId)?.name === name) as Doc['clips'][string]
}

test.beforeAll(async () => {
  const folder = scratch('steady')
  const make = (camera: string, file: string, args: string[]) => {
    mkdirSync(path.join(folder, camera), { recursive: true })
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', ...args, path.join(folder, camera, file)])
  }
  const [w, h] = [FRAME.width + 2 * ROOM, FRAME.height + 2 * ROOM]
  const room = `testsrc2=size=${w}x${h}:rate=25:duration=6,trim=end_frame=1,loop=loop=149:size=1,setpts=N/25/TB,gblur=1`
  const hand = `crop=${FRAME.width}:${FRAME.height}:x='${ROOM}+12*sin(n*0.8)+7*sin(n*2.1)':y='${ROOM}+9*sin(n*1.2+1)+6*sin(n*2.7)'`
  for (const file of ['H0001.mp4', 'H0002.mp4'])
    make('hand', file, ['-i', room, '-vf', hand, '-pix_fmt', 'yuv420p', '-metadata', `comment=${file}`, '-crf', '12'])
  make('desk', 'desk-mix.wav', ['-i', 'sine=frequency=220:duration=12'])
  server = new TestServer(folder)
  await server.start()
  id = (await server.api<{ id: string }>('/projects', { name: 'Steady' })).id
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc } = await state()
  const place = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }
  const [one, two, desk] = await Promise.all(['H0001.mp4', 'H0002.mp4', 'desk-mix.wav'].map(clipOf))
  await server.api(`/projects/${id}/edits?label=made`, {
    edits: [
      { type: 'setMaster', clipId: desk.id },
      { type: 'settings', change: FRAME },
      { type: 'place', by: 'hand', placements: { [one.id]: place, [two.id]: { ...place, start: 6 * SECOND } }, loose: {} },
      { type: 'choose', cutId: doc.activeCutId, time: 0, choice: { angleId: one.angleId } },
    ],
  })
})
test.afterAll(() => server?.kill())

async function open(page: Page) {
  await page.goto(`${server.url}/${id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Hand/ }).click()
  await page.getByText('Framing', { exact: true }).click()
}
/** How much pictures of the page differ from one to the next, over some frames. */
async function shaking(page: Page): Promise<number> {
  await page.keyboard.press('Home')
  for (let i = 0; i < 2; i++) await page.keyboard.press('Shift+ArrowRight')
  let before: Buffer | null = null
  let sum = 0
  for (let i = 0; i < 6; i++) {
    await page.keyboard.press('ArrowRight')
    await page.waitForTimeout(250)
    const { data } = await drawn(page, 'Picture of the angle in the frame')
    if (before) sum += apart(data, before).mean
    before = data
  }
  return sum
}
const film = async () => {
  await server.api(`/projects/${id}/film`, { ...FRAME, rate: '25/1' })
  await server.idle()
  const [job] = (await server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  return job.result?.path as string
}
const shakingOf = (file: string) => {
  const frames = Array.from({ length: 7 }, (_, i) => filmed(file, 50 + i, FRAME))
  return frames.slice(1).reduce((sum, one, i) => sum + apart(one, frames[i]).mean, 0)
}

test('a shaky clip is steadied beside its original, seen so in page and film, cancelled, taken back and steadied again', async ({ page }) => {
  await open(page)
  const steady = page.getByRole('button', { name: 'Steady ▾' })
  const shaky = await shaking(page)
  expect(shaky).toBeGreaterThan(LEAST)
  const shakyFilm = shakingOf(await film())

  await steady.click()
  await page.locator('.ant-dropdown:visible').getByText('H0001.mp4').click()
  await expect(page.getByText('this clip: 1 s')).toBeVisible({ timeout: 60_000 })
  expect((await clipOf('H0001.mp4')).workedFileId).toBeDefined()
  expect((await clipOf('H0002.mp4')).workedFileId).toBeUndefined()
  await expect.poll(() => shaking(page)).toBeLessThan(0.5 * shaky)
  expect(shakingOf(await film())).toBeLessThan(0.5 * shakyFilm)

  // Undone, it shakes again; the other page sees it too.
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await clipOf('H0001.mp4')).workedFileId).toBeUndefined()
  await expect.poll(() => shaking(page)).toBeGreaterThan(0.8 * shaky)
  await page.keyboard.press('Control+Shift+z')
  await expect.poll(async () => (await clipOf('H0001.mp4')).workedFileId).toBeDefined()
  await page.reload()
  await open(page)
  await page.getByRole('button', { name: 'Original again' }).click()
  await expect.poll(async () => (await clipOf('H0001.mp4')).workedFileId).toBeUndefined()

  // All of the angle; what was steadied alike before is used again.
  await steady.click()
  await page.locator('.ant-dropdown:visible').getByText('all 2 clips of the angle').click()
  await expect(page.getByRole('button', { name: '2 originals again' })).toBeVisible({ timeout: 60_000 })
  const { files } = await state()
  expect(files.map((f) => f.name).sort()).toEqual(['H0001 steady 1 s.mp4', 'H0001.mp4', 'H0002 steady 1 s.mp4', 'H0002.mp4', 'desk-mix.wav'])
  // Gather shows what was gathered.
  await page.goto(`${server.url}/${id}/gather`)
  await expect(page.getByText('H0002.mp4')).toBeVisible()
  await expect(page.getByText(/ steady \d/)).toHaveCount(0)
})

test('what has no pictures that move is refused in words', async () => {
  const desk = await clipOf('desk-mix.wav')
  await expect(server.api(`/projects/${id}/steady`, { clipIds: [desk.id], seconds: 1 })).rejects.toThrow(/no pictures that move/)
  await expect(server.api(`/projects/${id}/steady`, { clipIds: ['gone'], seconds: 1 })).rejects.toThrow(/no pictures that move/)
  await expect(server.api(`/projects/${id}/steady`, { clipIds: [desk.id], seconds: 99 })).rejects.toThrow()
})
