import { mkdirSync, renameSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { CAMERAS, makeNumbers } from './numbers.ts'
import { homeWithCopies, TestServer } from './server.ts'

interface State {
  revision: number
  doc: {
    clips: Record<string, { fileId: string; state: string }>
    placements: Record<string, { start: number; rate: number; verdict: string; method: string; locked: boolean }>
    strips: Record<string, { gainDb: number }>
    masterClipId: string
    angles: { id: string }[]
    activeCutId: string
  }
  files: { id: string; name: string; path: string; ready: { tile: boolean; sound: boolean } }[]
}

const SECOND = 705_600_000
const FRAME = SECOND / 25
const B = CAMERAS[1]

let server: TestServer
let folder: string
let id: string

test.describe.configure({ mode: 'serial' })

test.beforeAll(async () => {
  folder = await makeNumbers()
  // The folders come in by being dropped, so the server may read no folder at all.
  server = new TestServer('', ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'By hand' }))
})
test.afterAll(() => server.kill())

const state = () => server.project<State>(id)
const clipNamed = ({ doc, files }: State, name: string) =>
  Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === name) as string
const placed = async (name: string) => {
  const now = await state()
  return now.doc.placements[clipNamed(now, name)]
}
const health = (page: Page) => page.evaluate(() => window.pendolo.health())

/** Drops files or folders of the disk on the middle of the page, as from a file manager. */
async function drop(page: Page, files: string[]): Promise<void> {
  const cdp = await page.context().newCDPSession(page)
  const data = { items: [], files, dragOperationsMask: 1 }
  for (const type of ['dragEnter', 'dragOver', 'drop'] as const) await cdp.send('Input.dispatchDragEvent', { type, x: 800, y: 400, data })
  await cdp.detach()
}

test('folders are dropped on the page, wrong files are told apart, and a reload in the middle loses nothing', async ({ page }) => {
  await page.goto(`${server.url}/${id}/gather`)
  await expect(page.getByText('Bring the cameras in')).toBeVisible()
  await drop(page, [path.join(import.meta.dirname, 'package.json')])
  await expect(page.getByText(/package\.json/).first()).toBeVisible()
  await drop(
    page,
    ['cam-a', 'cam-b', 'cam-c', 'desk'].map((f) => path.join(folder, f)),
  )
  for (const name of ['Cam a', 'Cam b', 'Cam c']) await expect(page.getByRole('button', { name, exact: true })).toBeVisible({ timeout: 60_000 })
  await expect(page.getByText('master-mix.wav')).toBeVisible()
  // All has been taken in; light copies are being made now.
  await page.reload()
  await expect(page.getByRole('row', { name: 'b.mov' })).toBeVisible()
  await server.idle()
  await expect(page.getByText('light copies ready')).toBeVisible()
  const { files } = await state()
  expect(files.map((f) => f.name).sort()).toEqual(['a.mp4', 'b.mov', 'c.mkv', 'master-mix.wav'])
  expect(files.every((f) => f.ready.sound)).toBe(true)
})

test('a reload while it lines up shows where it has got to', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Line up', exact: true }).click()
  await page.reload()
  await expect(page.getByText('3 clips · 3 sure · 0 to check')).toBeVisible({ timeout: 60_000 })
  await expect(page.getByRole('progressbar', { name: 'Lining up' })).toHaveCount(0)
})

test('a clip is nudged, locked and undone by keys', async ({ page }) => {
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1' } }] })
  await page.goto(`${server.url}/${id}/line-up`)
  await expect(page.getByRole('button', { name: /b\.mov, sure/ })).toBeVisible()
  await page.keyboard.press(']')
  await expect(page.getByText('Choose a placed clip first')).toBeVisible()
  await page.getByRole('button', { name: /b\.mov, sure/ }).click()
  const { start } = await placed('b.mov')
  const moved = async () => (await placed('b.mov')).start - start
  for (const [key, total] of [
    [']', FRAME],
    ['Shift+]', FRAME * 1.1],
    ['Alt+]', FRAME * 1.1 + SECOND / 1000],
    ['Alt+[', FRAME * 1.1],
    ['Shift+[', FRAME],
    ['[', 0],
    ['[', -FRAME],
  ] as const) {
    await page.keyboard.press(key)
    await expect.poll(moved, key).toBe(Math.round(total))
  }
  await page.keyboard.press('Alt+l')
  await expect.poll(async () => (await placed('b.mov')).locked).toBe(true)
  await page.keyboard.press(']')
  await expect(page.getByText(/locked clip does not move/)).toBeVisible()
  expect(await moved()).toBe(-FRAME)
  // A locked clip stays where it is when everything is searched again.
  await Promise.all([page.waitForResponse((r) => r.request().method() === 'POST'), page.getByRole('button', { name: 'Line up all' }).click()])
  await server.idle()
  expect(await moved()).toBe(-FRAME)
  await page.keyboard.press('Alt+l')
  await expect.poll(async () => (await placed('b.mov')).locked).toBe(false)
  for (let i = 0; i < 12 && (await moved()) !== 0; i++) {
    const { revision } = await state()
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await state()).revision).toBeGreaterThan(revision)
  }
  expect(await moved()).toBe(0)
})

test('a clip is slid along the master with Alt, not without, and not when it is locked', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  const bar = page.getByRole('button', { name: /b\.mov, / })
  await expect(bar).toBeVisible()
  const { start } = await placed('b.mov')
  const drag = async (by: number) => {
    const box = await bar.boundingBox()
    if (!box) throw new Error('the clip is not seen')
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
    await page.mouse.down()
    await page.mouse.move(box.x + box.width / 2 + by, box.y + box.height / 2, { steps: 4 })
    await page.mouse.up()
    return box
  }
  await drag(60)
  expect((await placed('b.mov')).start).toBe(start)
  await page.keyboard.down('Alt')
  const { width } = await drag(60)
  await page.keyboard.up('Alt')
  // The bar is forty seconds wide.
  await expect.poll(async () => ((await placed('b.mov')).start - start) / SECOND).toBeCloseTo((60 / width) * B.seconds, 0)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await placed('b.mov')).start).toBe(start)
  await page.keyboard.press('Alt+l')
  await expect.poll(async () => (await placed('b.mov')).locked).toBe(true)
  await page.keyboard.down('Alt')
  await drag(60)
  await page.keyboard.up('Alt')
  expect((await placed('b.mov')).start).toBe(start)
  await page.keyboard.press('Alt+l')
  await expect.poll(async () => (await placed('b.mov')).locked).toBe(false)
})

test('an answer that was on its way when a clip was locked does not unlock it on the screen', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b\.mov, sure/ }).click()
  const { start } = await placed('b.mov')
  await page.keyboard.press(']')
  await expect.poll(async () => (await placed('b.mov')).start).not.toBe(start)
  // From now on the server answers at once, but what it says arrives a second and a half later.
  await page.route(`**/api/projects/${id}`, async (route) => {
    const response = await route.fetch()
    await new Promise((resolve) => setTimeout(resolve, 1500))
    await route.fulfill({ response })
  })
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await placed('b.mov')).start).toBe(start)
  await page.keyboard.press('Alt+l')
  await expect.poll(async () => (await placed('b.mov')).locked).toBe(true)
  await page.waitForTimeout(4500)
  await expect(page.getByRole('button', { name: 'b.mov, sure, locked' })).toBeVisible()
  await page.keyboard.press('Alt+l')
  await expect.poll(async () => (await placed('b.mov')).locked).toBe(false)
  await page.unrouteAll({ behavior: 'ignoreErrors' })
})

test('the next-best place is taken, heard as a flam, and the search near the playhead brings the clip home', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b\.mov, sure/ }).click()
  await page.getByRole('button', { name: 'Take next-best' }).click()
  await expect.poll(async () => Math.abs((await placed('b.mov')).start / SECOND - B.start)).toBeGreaterThan(0.02)
  await expect(page.getByRole('status', { name: 'Verdict' })).toContainText('taken by you')

  // The flam check sounds both at once, one to each side, and follows a nudge while it plays.
  await page.keyboard.press('f')
  const now = await state()
  const pair = [now.doc.masterClipId, clipNamed(now, 'b.mov')]
  const sounding = async () => {
    const { sounds } = await health(page)
    return pair.every((clip) => (sounds[clip]?.level ?? 0) > 0.001)
  }
  await expect.poll(sounding).toBe(true)
  const { sounds, playing } = await health(page)
  expect(playing).toBe(true)
  expect(Object.keys(sounds).sort()).toEqual([...pair].sort())
  expect(sounds[pair[0]].pan).toBeLessThan(0)
  expect(sounds[pair[1]].pan).toBeGreaterThan(0)
  await page.keyboard.press(']')
  await expect.poll(sounding).toBe(true)
  await page.keyboard.press('f')
  await expect.poll(async () => (await health(page)).playing).toBe(false)
  // Afterwards the project's own mix is heard again: the master alone.
  await page.keyboard.press('Space')
  await expect.poll(async () => Object.keys((await health(page)).sounds)).toEqual([now.doc.masterClipId])
  await page.keyboard.press('Space')

  await page.keyboard.press('Enter')
  await expect(page.getByRole('status', { name: 'Verdict' })).toContainText('sure')
  // Its true start lies before the master, so the playhead stands at the master's beginning: near enough.
  await page.keyboard.press('Home')
  await page.getByRole('button', { name: 'Search near the playhead' }).click()
  await expect.poll(async () => Math.abs((await placed('b.mov')).start / SECOND - B.start), { timeout: 30_000 }).toBeLessThan(0.001)
})

test('a start is typed in several ways, parked and taken back', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /c\.mkv, sure/ }).click()
  const field = page.getByLabel('Start on the master')
  await field.fill('half past two')
  await field.press('Enter')
  await expect(page.getByText(/frames like 12 f/)).toBeVisible()
  for (const [text, seconds] of [
    ['-3.2 s', -3.2],
    ['12 f', 12 / 25],
    ['00:00:04:05', 4.2],
    ['1500 ms', 1.5],
    ['+2 f', 1.58],
    ['by -80 ms', 1.5],
    ['4800 samples', 0.1],
  ] as const) {
    await field.fill(text)
    await field.press('Enter')
    await expect.poll(async () => ((await placed('c.mkv'))?.start ?? 0) / SECOND, text).toBeCloseTo(seconds, 6)
  }
  await page.getByRole('button', { name: 'Park', exact: true }).click()
  await expect(page.getByText('1 parked')).toBeVisible()
  await expect.poll(() => placed('c.mkv')).toBeUndefined()
  await page.getByRole('button', { name: 'Take back' }).click()
  await expect(page.getByText(/\d parked/)).toHaveCount(0)
  await page.getByRole('button', { name: 'Line up the loose ones' }).click()
  await expect.poll(async () => Math.abs(((await placed('c.mkv'))?.start ?? 0) / SECOND - CAMERAS[2].start), { timeout: 30_000 }).toBeLessThan(0.001)
})

test('solo, mute and level are heard while it plays', async ({ page }) => {
  await page.goto(`${server.url}/${id}/balance`)
  await expect(page.getByText('1 of 4 sounds heard')).toBeVisible()
  await page.keyboard.press('Home')
  for (let i = 0; i < 8; i++) await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Space')
  const now = await state()
  const [master, a] = [now.doc.masterClipId, clipNamed(now, 'a.mp4')]
  const heard = async () => Object.keys((await health(page)).sounds).sort()
  const loudest = async (clip: string) => {
    let most = 0
    for (let i = 0; i < 12; i++) {
      most = Math.max(most, (await health(page)).sounds[clip]?.level ?? 0)
      await page.waitForTimeout(60)
    }
    return most
  }
  await expect.poll(() => loudest(master)).toBeGreaterThan(0.01)
  await page.getByRole('switch', { name: /Hear Cam a/ }).click()
  await expect.poll(heard).toEqual([master, a].sort())
  await expect.poll(() => loudest(a)).toBeGreaterThan(0.005)
  await page.getByRole('button', { name: 'Solo Cam a' }).click()
  await expect.poll(heard).toEqual([a])
  await page.getByRole('button', { name: 'Solo Cam a' }).click()
  await page.getByRole('button', { name: 'Mute Master' }).click()
  // A slow machine is by now near the end of what the camera recorded: once more from the beginning.
  await page.keyboard.press('Home')
  await expect.poll(heard).toEqual([a])
  await expect.poll(() => loudest(a)).toBeGreaterThan(0.005)
  const before = await loudest(a)
  const row = page.getByRole('group', { name: 'Cam a, a.mp4' }).getByText('a.mp4')
  await row.click()
  const level = page.getByRole('slider', { name: 'Level of Cam a' })
  for (let i = 0; i < 40; i++) await level.press('ArrowDown')
  await expect.poll(async () => (await state()).doc.strips[a].gainDb).toBe(-20)
  // Forty presses take a while: from the beginning, so that it is still heard. On the slider itself Home would be its least.
  await row.click()
  await page.keyboard.press('Home')
  // Twenty decibels are a tenth; strokes differ by less than half of that.
  await expect
    .poll(async () => {
      const now = await loudest(a)
      return now > before * 0.03 && now < before * 0.25
    })
    .toBe(true)
  await page.keyboard.press('Space')
})

test('a page that nobody touches rests: while nothing plays, nothing is drawn', async ({ page }) => {
  await page.addInitScript(() => {
    const real = window.requestAnimationFrame.bind(window)
    const counted = window as unknown as { refreshes: number }
    counted.refreshes = 0
    window.requestAnimationFrame = (act) => {
      counted.refreshes++
      return real(act)
    }
  })
  const inOneSecond = () =>
    page.evaluate(async () => {
      const counted = window as unknown as { refreshes: number }
      const before = counted.refreshes
      await new Promise((resolve) => setTimeout(resolve, 1000))
      return counted.refreshes - before
    })
  for (const stage of ['line-up', 'pulse', 'switch', 'balance']) {
    await page.goto(`${server.url}/${id}/${stage}`)
    await expect(page.getByText('By hand')).toBeVisible()
    await expect.poll(inOneSecond, stage).toBe(0)
  }
  // Playing, the playhead runs; stopped, it rests again.
  await page.goto(`${server.url}/${id}/switch`)
  await page.getByRole('button', { name: 'Play' }).click()
  await expect.poll(inOneSecond).toBeGreaterThan(10)
  await page.getByRole('button', { name: 'Stop' }).click()
  await expect.poll(inOneSecond).toBe(0)
})

test('marks are gone to, found and changed in every stage', async ({ page }) => {
  const marks = [
    { id: 'drop', time: 6 * SECOND, kind: 'cue', name: 'The drop', hue: 1 },
    { id: 'ring', time: 11 * SECOND, kind: 'cue', name: 'The ring', hue: 2 },
  ]
  await server.api(`/projects/${id}/edits?label=marks`, { edits: [{ type: 'addMarks', marks }] })
  const now = () => page.evaluate(() => window.pendolo.health().soundSeconds)
  for (const [n, stage] of ['gather', 'line-up', 'switch', 'balance', 'hand-over'].entries()) {
    await page.goto(`${server.url}/${id}/${stage}`)
    await page.getByRole('button', { name: 'All marks' }).click()
    const list = page.getByRole('complementary', { name: 'Marks' })
    await list.getByRole('option', { name: 'Go to The ring' }).click()
    await expect.poll(now, stage).toBeCloseTo(11, 2)
    await page.keyboard.press('Alt+ArrowUp')
    await expect.poll(now, stage).toBeCloseTo(6, 2)
    await page.keyboard.press('Alt+ArrowDown')
    await expect.poll(now, stage).toBeCloseTo(11, 2)
    await list.getByLabel('Note of the chosen mark').fill(`seen in ${stage}`)
    await list.getByLabel('Find a mark').click()
    await expect
      .poll(async () => (await server.project<{ doc: { marks: { id: string; text?: string }[] } }>(id)).doc.marks.find((m) => m.id === 'ring')?.text)
      .toBe(`seen in ${stage}`)
    if (n === 0) {
      // The list keeps none of the stage's keys.
      await list.getByRole('button', { name: 'Close the marks' }).click()
      await expect(list).toHaveCount(0)
    }
  }
})

test('an original that went elsewhere is missed in words, and found again by its content', async ({ page }) => {
  const { doc, files } = await state()
  const { path: was } = files.find((f) => f.name === 'a.mp4') as State['files'][number]
  const now = path.join(path.dirname(was), '..', 'second disk', 'evening one.mp4')
  mkdirSync(path.dirname(now))
  renameSync(was, now)
  const choice = { angleId: doc.angles[0].id }
  await server.api(`/projects/${id}/edits?label=cut`, { edits: [{ type: 'choose', cutId: doc.activeCutId, time: 5 * SECOND, choice }] })
  const { jobId } = await server.api<{ jobId: string }>(`/projects/${id}/film`, { width: 320, height: 180, rate: '25/1' })
  const film = async () => (await server.api<{ id: string; detail: { text?: string } }[]>('/jobs')).find((j) => j.id === jobId)?.detail.text
  await expect.poll(film).toContain('a.mp4 is missing; find it again in Gather')

  await page.goto(`${server.url}/${id}/gather`)
  const missing = page.locator('.missing')
  await expect(missing).toContainText('One original is missing: a.mp4')
  // On another disk, which is not there yet.
  const away = path.join(server.home, 'away.mp4')
  renameSync(now, away)
  await page.getByRole('button', { name: 'Look for it' }).click()
  await expect(missing).toContainText('Not in the folders that may be read')
  renameSync(away, now)
  await page.getByRole('button', { name: 'Look for it' }).click()
  await expect(page.getByText('found again: evening one.mp4')).toBeVisible()
  await expect(missing).toHaveCount(0)
  await expect(page.getByRole('row', { name: 'evening one.mp4' })).toBeVisible()
  expect((await state()).files.map((f) => f.path)).toContain(path.normalize(now))
  await page.getByRole('link', { name: 'Hand over' }).click()
  await page.getByRole('button', { name: 'Make the film' }).click()
  await expect(page.getByRole('link', { name: /\.mp4/ })).toBeVisible({ timeout: 60_000 })
})
