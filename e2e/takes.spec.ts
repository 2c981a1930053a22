import { execFileSync } from 'node:child_process'
import { mkdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { gunzipSync } from 'node:zlib'
import { expect, type Page, test } from '@playwright/test'
import { CAMERAS, makeNumbers } from './numbers.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

interface State {
  doc: {
    clips: Record<string, { fileId: string; points?: Record<string, number> }>
    placements: Record<string, { start: number; rate: number; verdict: string; method: string; why: { code: string }[]; confidence: number | null }>
    marks: { time: number; end?: number; kind: string; name: string }[]
    cuts: { pieces: { from: number | null; to: number | null }[] }[]
  }
  files: { id: string; name: string }[]
}

const SECOND = 705_600_000
const [A, B] = CAMERAS
/** Where in its recording each camera was stopped and started again, s. */
const AGAIN = { a: 22, b: 26 }

let server: TestServer
let id: string

test.describe.configure({ mode: 'serial' })

const ffmpeg = (...args: string[]) => execFileSync('ffmpeg', ['-v', 'error', '-y', ...args])

/** Two cameras with two takes each, a master with timecode on its second channel, and a camera that heard nothing but timecode. */
async function makeTakes(): Promise<string> {
  const numbers = await makeNumbers()
  const folder = scratch('takes')
  const to = (name: string) => {
    mkdirSync(path.dirname(path.join(folder, name)), { recursive: true })
    return path.join(folder, name)
  }
  const timecode = to('ltc.u8')
  execFileSync('tee', [timecode], { input: gunzipSync(readFileSync(path.join(import.meta.dirname, '..', 'server', 'media', 'fixtures', 'ltc-25.u8.gz'))) })
  const raw = ['-f', 'u8', '-ar', '48000', '-ac', '1']
  ffmpeg(
    '-i',
    path.join(numbers, 'desk', 'master-mix.wav'),
    ...raw,
    '-i',
    timecode,
    '-filter_complex',
    '[0:a]aformat=fltp:48000:mono[a];[1:a]aformat=fltp:48000:mono,adelay=4000,apad[t];[a][t]join=inputs=2:channel_layout=stereo:map=0.0-FL|1.0-FR,atrim=end=38',
    to('desk/master-mix.wav'),
  )
  const take = (from: string, at: number, seconds: number, name: string) =>
    ffmpeg('-ss', String(at), '-t', String(seconds), '-i', path.join(numbers, from), '-preset', 'ultrafast', '-c:a', 'pcm_s16le', to(name))
  take('cam-a/a.mp4', 0, 8, 'left/a1.mov')
  take('cam-a/a.mp4', AGAIN.a, 12, 'left/a2.mov')
  take('cam-b/b.mov', 0, 12, 'right/b1.mov')
  take('cam-b/b.mov', AGAIN.b, 12, 'right/b2.mov')
  // It began 1.5 s into the timecode, so 5.5 s into the master.
  ffmpeg(
    '-i',
    path.join(numbers, 'cam-c', 'c.mkv'),
    '-ss',
    '1.5',
    ...raw,
    '-i',
    timecode,
    '-map',
    '0:v',
    '-map',
    '1:a',
    '-c:v',
    'copy',
    '-shortest',
    to('ltc/t.mov'),
  )
  execFileSync('rm', [timecode])
  return folder
}

test.beforeAll(async () => {
  const folder = await makeTakes()
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Takes' }))
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1' } }] })
  await server.idle()
})
test.afterAll(() => server?.kill())

const state = () => server.project<State>(id)
async function placed(name: string) {
  const { doc, files } = await state()
  const clip = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === name) as string
  return doc.placements[clip]
}

async function playheadTo(page: Page, seconds: number): Promise<void> {
  await page.keyboard.press('Home')
  for (let i = 0; i < seconds; i++) await page.keyboard.press('Shift+ArrowRight')
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeCloseTo(seconds, 3)
}

test('a rough mark in each and the sound near it find the place', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /a2\.mov/ }).click()
  await page.getByText('Points and distance').click()
  const near = page.getByRole('button', { name: 'Search near the marks' })
  await expect(near).toBeDisabled()
  // Its third second is marked; on the master the same instant is at 27 s, and the mark is set one second too early.
  await playheadTo(page, 3)
  await page.keyboard.press('m')
  await expect(page.getByRole('row', { name: 'mark point' })).toContainText('00:00:03:00')
  await playheadTo(page, 26)
  await page.keyboard.press('Shift+M')
  await near.click()
  await expect.poll(async () => (await placed('a2.mov'))?.method, { timeout: 60_000 }).toBe('sound')
  expect(Math.abs((await placed('a2.mov')).start / SECOND - (A.start + AGAIN.a))).toBeLessThan(0.001)
  expect(await placed('a1.mov')).toBeUndefined()
  // A mark far off brings what fits best there, for a look, and one step back brings the sure place again.
  await playheadTo(page, 12)
  await page.keyboard.press('Shift+M')
  await near.click()
  await expect.poll(async () => (await placed('a2.mov'))?.verdict, { timeout: 60_000 }).toBe('check')
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await placed('a2.mov')).verdict).toBe('sure')
  expect(Math.abs((await placed('a2.mov')).start / SECOND - (A.start + AGAIN.a))).toBeLessThan(0.001)
})

test('timecode recorded as sound places a camera that heard no music, and the proof says so', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Line up the loose ones' }).click()
  await expect(page.getByText('5 clips · 5 sure · 0 to check')).toBeVisible({ timeout: 60_000 })
  expect(await placed('t.mov')).toMatchObject({ method: 'timecode', verdict: 'sure' })
  expect(Math.abs((await placed('t.mov')).start / SECOND - 5.5)).toBeLessThan(0.001)
  await page.getByRole('button', { name: /t\.mov, sure/ }).click()
  await expect(page.getByRole('status', { name: 'Verdict' })).toContainText(/by timecode .* as sound/)
})

test('parts are marked where the cameras were started anew, once for each take, and undone', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Mark parts' }).click()
  await expect(page.getByText('2 parts marked')).toBeVisible()
  const parts = async () => (await state()).doc.marks.filter((m) => m.kind === 'part')
  await expect.poll(async () => (await parts()).map((m) => m.name)).toEqual(['Part 1', 'Part 2'])
  const [first, second] = await parts()
  expect(first.time).toBe(0)
  expect(second.time / SECOND).toBeCloseTo(Math.min(A.start + AGAIN.a, B.start + AGAIN.b), 1)
  expect(first.end).toBe(second.time)
  await page.getByRole('button', { name: 'Mark parts' }).click()
  await expect(page.getByText('The parts are marked already')).toBeVisible()
  expect(await parts()).toHaveLength(2)
  await page.getByRole('link', { name: 'Switch' }).click()
  await page.getByRole('button', { name: 'Parts of the event' }).click()
  await page.getByRole('menuitem', { name: /Part 2/ }).click()
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeCloseTo(second.time / SECOND, 3)
  await expect(page.getByRole('button', { name: 'Parts of the event' })).toHaveText('Part 2 ▾')
  await page.getByRole('link', { name: 'Pulse' }).click()
  // One part alone can leave the house.
  await page.getByRole('option', { name: 'Go to Part 2' }).click()
  await page.getByRole('button', { name: 'Film only this part' }).click()
  await expect.poll(async () => (await state()).doc.cuts[0].pieces).toMatchObject([{ from: second.time, to: second.end }])
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await expect.poll(parts).toEqual([])
  expect((await state()).doc.cuts[0].pieces).toMatchObject([{ from: null, to: null }])
})

test('a take is shown at another speed from the playhead on, and found at the speed it is told', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b2\.mov, sure/ }).click()
  const { start } = await placed('b2.mov')
  await playheadTo(page, 30)
  await page.getByText('Speed', { exact: true }).click()
  await page.getByLabel('speed').fill('1.5')
  await page.getByRole('button', { name: 'Show at this speed' }).click()
  await expect.poll(async () => (await placed('b2.mov'))?.rate).toBe(1.5)
  // What was shown at 30 s is shown there still.
  const own = 30 - start / SECOND
  expect(Math.abs((await placed('b2.mov')).start / SECOND - (30 - 1.5 * own))).toBeLessThan(0.001)
  await page.getByLabel('speed').fill('1')
  await page.getByRole('button', { name: 'Search at this speed' }).click()
  await expect.poll(async () => (await placed('b2.mov'))?.method, { timeout: 60_000 }).toBe('sound')
  expect(Math.abs((await placed('b2.mov')).start - start) / SECOND).toBeLessThan(0.001)
})

test('who knows what was done on the day says that: the speed follows, and a recording can be seen twice', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b2\.mov, sure/ }).click()
  const clips = async () => Object.keys((await state()).doc.clips)
  const before = await clips()
  await playheadTo(page, 30)
  await page.getByText('Speed', { exact: true }).click()
  const own = Number(await page.getByLabel('shot at').inputValue())
  await page.getByLabel('shot at').fill(String(2 * own))
  await page.getByLabel('song played at').fill('150')
  await expect(page.getByLabel('speed')).toHaveValue('0.75')
  await page.getByRole('button', { name: 'Show once more' }).click()
  await expect.poll(async () => (await clips()).length).toBe(before.length + 1)
  const again = (await clips()).find((c) => !before.includes(c)) ?? ''
  const { doc } = await state()
  expect(doc.placements[again].rate).toBe(0.75)
  expect((await placed('b2.mov')).rate).not.toBe(0.75)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await clips()).length).toBe(before.length)
  // A search at a speed that nobody named leaves what is sure as exact as it was.
  const { start } = await placed('b2.mov')
  await page.getByRole('button', { name: 'Search at any speed' }).click()
  await page.waitForTimeout(200)
  await server.idle()
  expect(Math.abs((await placed('b2.mov')).start - start) / SECOND).toBeLessThan(0.001)
})

test('a point that was set is taken away again', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b2\.mov, sure/ }).click()
  await playheadTo(page, 20)
  await page.getByText('Points and distance').click()
  await page.getByRole('row', { name: 'in point' }).getByRole('button').first().click()
  const clear = page.getByRole('button', { name: 'Clear the in in the clip' })
  await clear.click()
  await expect(clear).toHaveCount(0)
  await expect.poll(async () => Object.values((await state()).doc.clips).every((c) => c.points?.in === undefined)).toBe(true)
})

test('the other picture is chosen, both are looked into, and a click in the waveforms goes there', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b2\.mov, sure/ }).click()
  const { start } = await placed('b2.mov')
  const inside = Math.round(start / SECOND + 5)
  await playheadTo(page, inside)
  const reference = page.getByRole('img', { name: 'Reference picture' })
  await expect(reference).toBeVisible()
  // Another angle has no picture there, and that is said.
  await page.getByLabel('Angle to compare with').click()
  await page.locator('.ant-select-item-option').last().click()
  const compare = page.getByRole('region', { name: 'Compare' })
  await expect(compare).toContainText('dark here')
  await expect(reference).toHaveCount(0)
  await page.getByLabel('Angle to compare with').click()
  await page.locator('.ant-select-item-option').first().click()
  await expect(reference).toBeVisible()
  const width = async () => (await reference.boundingBox())?.width ?? 0
  const before = await width()
  const zoom = page.getByRole('button', { name: 'Zoom into the reference picture' })
  await zoom.click()
  await expect.poll(width).toBeCloseTo(3 * before, 0)
  await zoom.click()
  await expect.poll(width).toBeCloseTo(before, 0)
  const waves = page.getByRole('button', { name: 'Go to an instant of the waveforms' })
  const box = await waves.boundingBox()
  await waves.click({ position: { x: (box?.width ?? 0) * 0.75, y: 20 } })
  // They show 1.5 s to either side.
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeCloseTo(inside + 0.75, 1)
})
