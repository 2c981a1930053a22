import { execFileSync } from 'node:child_process'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

let server: TestServer | undefined
test.afterEach(() => server?.kill())

const make = (file: string, ...args: string[]) => {
  mkdirSync(path.dirname(file), { recursive: true })
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...args, file])
  return file
}
const camera = (file: string, rate: string, length: number, ...more: string[]) =>
  make(
    file,
    ...['-f', 'lavfi', '-i', `testsrc=size=128x72:rate=${rate}:duration=${length}`, '-f', 'lavfi', '-i', `sine=frequency=300:duration=${length}`],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p', '-shortest', ...more],
  )

/** Drops files with the folders they come in, as a file manager would. */
async function drop(page: Page, files: { name: string; content: Buffer }[]): Promise<void> {
  await expect(page.getByRole('region', { name: 'Drop folders here' })).toBeVisible()
  const data = await page.evaluateHandle(
    (list) => {
      const transfer = new DataTransfer()
      for (const { name, content } of list) transfer.items.add(new File([Uint8Array.from(atob(content), (c) => c.charCodeAt(0))], name))
      return transfer
    },
    files.map(({ name, content }) => ({ name, content: content.toString('base64') })),
  )
  await page.dispatchEvent('body', 'drop', { dataTransfer: data })
}

interface State {
  files: { name: string; path: string }[]
  doc: { angles: { name: string }[]; settings: { startFrame: number; dropFrame: boolean }; clips: Record<string, { rate?: string }> }
}

test('the table is sorted whole, kinds are chosen, and many files are sorted into angles at once', async ({ page }) => {
  const folder = scratch('gather')
  make(path.join(folder, 'desk', 'mix.wav'), '-f', 'lavfi', '-i', 'sine=frequency=440:duration=12')
  camera(path.join(folder, 'left', 'L_0001.mp4'), '25', 9, '-timecode', '10:00:00:00')
  camera(path.join(folder, 'left', 'L_0002.mp4'), '25', 4)
  camera(path.join(folder, 'right', 'R_0001.mp4'), '30', 6)
  make(path.join(folder, 'photos', 'hall.png'), '-f', 'lavfi', '-i', 'testsrc2=size=320x180', '-frames:v', '1')
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Table' })
  await own.api(`/projects/${id}/gather`, { paths: [folder] })
  await own.idle()
  await page.goto(`${own.url}/${id}/gather`)
  const shown = () => page.locator('tr[aria-label]').evaluateAll((rows) => rows.map((r) => r.getAttribute('aria-label')))
  await expect.poll(shown).toEqual(['L_0001.mp4', 'L_0002.mp4', 'R_0001.mp4', 'hall.png'])

  await page.getByRole('button', { name: 'length' }).click()
  await expect.poll(shown).toEqual(['hall.png', 'L_0002.mp4', 'R_0001.mp4', 'L_0001.mp4'])
  await page.getByRole('button', { name: 'length' }).click()
  await expect.poll(shown).toEqual(['L_0001.mp4', 'R_0001.mp4', 'L_0002.mp4', 'hall.png'])
  // A range with Shift follows the order that is seen.
  await page.getByRole('checkbox', { name: 'Choose L_0001.mp4' }).click()
  await page.getByRole('checkbox', { name: 'Choose L_0002.mp4' }).click({ modifiers: ['Shift'] })
  await expect(page.getByText('3 chosen')).toBeVisible()
  await page.getByRole('button', { name: 'key', exact: true }).click()

  await page.getByRole('button', { name: 'Choose all of a kind' }).click()
  await page.getByText('another rate than the project’s (1)').click()
  await expect(page.getByText('1 chosen')).toBeVisible()
  await page.getByRole('button', { name: 'Pictures a second' }).click()
  await page.getByRole('menuitem', { name: '25', exact: true }).click()
  await expect.poll(async () => Object.values((await own.project<State>(id)).doc.clips).filter((c) => c.rate === '25/1').length).toBe(1)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => Object.values((await own.project<State>(id)).doc.clips).filter((c) => c.rate).length).toBe(0)

  await page.getByRole('button', { name: 'Choose all of a kind' }).click()
  await page.getByText('all 4 files').click()
  await page.getByRole('button', { name: 'Sort into angles' }).click()
  await page.getByText('each file an angle of its own').click()
  const outcome = page.getByRole('list', { name: 'What comes of it' })
  await expect(outcome.getByRole('listitem')).toHaveCount(4)
  await page.getByRole('button', { name: 'Sort into 4 angles' }).click()
  await expect.poll(async () => (await own.project<State>(id)).doc.angles.length).toBe(4)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await own.project<State>(id)).doc.angles.length).toBe(3)

  // Timecode is typed freely; what cannot be is told, and nothing is kept.
  await page.getByRole('button', { name: /frames a second/ }).click()
  const starts = page.getByLabel('Timecode of the master’s beginning')
  await starts.fill('10:00:61:00')
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByText(/minutes or seconds over 59/)).toBeVisible()
  await starts.fill('09:58:30:12')
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect.poll(async () => (await own.project<State>(id)).doc.settings.startFrame).toBe(((9 * 60 + 58) * 60 + 30) * 25 + 12)
})

test('what is dropped and lies where it may be read is used there; the rest is copied, after it was said how much and where', async ({ page }) => {
  const folder = scratch('drop')
  const here = camera(path.join(folder, 'card', 'C0001.mp4'), '25', 3)
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Drop' })
  await page.goto(`${own.url}/${id}/gather`)
  await drop(page, [{ name: 'C0001.mp4', content: readFileSync(here) }])
  await expect(page.getByText('1 used where they lie, not copied')).toBeVisible()
  await expect(page.getByRole('row', { name: 'C0001.mp4' })).toBeVisible()
  expect((await own.project<State>(id)).files.map((f) => f.path)).toEqual([here])

  // Something large that is nowhere: asked before a byte is copied.
  const wav = (seconds: number, hz: number) => {
    const file = path.join(scratch('elsewhere'), 'long.wav')
    return readFileSync(make(file, '-f', 'lavfi', '-i', `sine=frequency=${hz}:duration=${seconds}:sample_rate=48000`, '-ac', '2'))
  }
  const long = wav(130, 500)
  await drop(page, [{ name: 'long.wav', content: long }])
  const asked = page.getByRole('dialog')
  await expect(asked).toContainText('1 file would be copied')
  await expect(asked).toContainText(`${(long.length / 1e6).toFixed(1)} MB to ${path.join(own.home, 'uploads')}`)
  await asked.getByRole('button', { name: 'Cancel' }).click()
  await expect(page.getByText('Nothing was added')).toBeVisible()
  expect((await own.project<State>(id)).files).toHaveLength(1)

  // The connection breaks in the middle: it waits and goes on by itself.
  let broken = 0
  await page.route('**/upload', (route) => (broken++ < 2 ? route.abort('connectionreset') : route.continue()))
  await drop(page, [{ name: 'long.wav', content: long }])
  await asked.getByRole('button', { name: /^Copy 1 file/ }).click()
  await expect(page.getByText('the connection broke: it goes on by itself')).toBeVisible()
  await expect(page.getByText('long.wav').first()).toBeVisible()
  expect(broken).toBe(3)
  const kept = (await own.project<State>(id)).files.find((f) => f.name === 'long.wav')?.path as string
  expect(readFileSync(kept).equals(long)).toBe(true)

  // What arrived once is not copied a second time.
  const { id: other } = await own.api<{ id: string }>('/projects', { name: 'Again' })
  await page.goto(`${own.url}/${other}/gather`)
  await drop(page, [{ name: 'long.wav', content: long }])
  await expect(page.getByText('1 used where they lie, not copied')).toBeVisible()
  expect(broken).toBe(3)
})

test('a picture lies in Gather as an angle, stands on the wall and in the film', async ({ page }) => {
  const folder = scratch('still')
  make(path.join(folder, 'desk', 'mix.wav'), '-f', 'lavfi', '-i', 'sine=frequency=440:duration=6')
  make(path.join(folder, 'photos', 'hall.png'), '-f', 'lavfi', '-i', 'color=white:size=320x180', '-frames:v', '1')
  writeFileSync(path.join(folder, 'photos', 'notes.txt'), 'x')
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Still' })
  await own.api(`/projects/${id}/gather`, { paths: [folder] })
  await own.idle()
  await page.goto(`${own.url}/${id}/switch`)
  await page.keyboard.press('1')
  const health = () => page.evaluate(() => window.pendolo.health())
  await expect.poll(async () => (await health()).shown.programme?.frame).toBe(0)
  await page.keyboard.press('Space')
  await expect.poll(async () => (await health()).soundSeconds).toBeGreaterThan(1.5)
  expect((await health()).shown.programme?.frame).toBe(0)
  await page.keyboard.press('Space')
  const { jobId } = await own.api<{ jobId: string }>(`/projects/${id}/film`, { width: 320, height: 180, rate: '25/1' })
  await own.idle()
  const film = (await own.api<{ id: string; result: { path: string } | null }[]>('/jobs')).find((j) => j.id === jobId)?.result?.path as string
  const luma = execFileSync('ffmpeg', ['-v', 'error', '-i', film, '-vf', 'scale=1:1,format=gray', '-f', 'rawvideo', 'pipe:1'])
  expect(luma.length).toBe(150)
  expect(Math.min(...luma)).toBeGreaterThan(220)
})
