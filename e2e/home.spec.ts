import { execFileSync } from 'node:child_process'
import { mkdirSync, renameSync, statSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

const SECOND = 705_600_000
let server: TestServer
let folder: string
test.beforeAll(async () => {
  folder = scratch('home')
  for (const name of ['left', 'right']) {
    mkdirSync(path.join(folder, name), { recursive: true })
    const picture = ['-f', 'lavfi', '-i', `testsrc2=size=320x180:rate=25:duration=12,hue=h=${name === 'left' ? 0 : 120}`]
    const sound = ['-f', 'lavfi', '-i', 'anoisesrc=amplitude=0.2:seed=3:duration=12']
    execFileSync('ffmpeg', ['-v', 'error', '-y', ...picture, ...sound, '-c:v', 'libx264', '-pix_fmt', 'yuv420p', path.join(folder, name, 'C0001.mp4')])
  }
  mkdirSync(path.join(folder, 'desk'))
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'anoisesrc=amplitude=0.2:seed=4:duration=12', path.join(folder, 'desk', 'desk-mix.wav')])
  server = new TestServer(folder)
  await server.start()
})
test.afterAll(() => server.kill())

interface State {
  doc: { activeCutId: string; angles: { id: string; name: string }[]; clips: Record<string, { id: string; fileId: string }> }
  files: { id: string; name: string; path: string }[]
}

/** A project of both cameras: the right one began with the master, the left one 4 s later. */
async function made(name: string): Promise<{ id: string; doc: State['doc'] }> {
  const { id } = await server.api<{ id: string }>('/projects', { name })
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc, files } = await server.project<State>(id)
  const clip = (camera: string) => Object.values(doc.clips).find((c) => files.find((f) => f.id === c.fileId)?.path.includes(`/${camera}/`))?.id as string
  const placement = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [{ code: 'moved' }], locked: false }
  const placements = { [clip('left')]: { ...placement, start: 4 * SECOND }, [clip('right')]: placement }
  await server.api(`/projects/${id}/edits?label=place`, { edits: [{ type: 'place', by: 'hand', placements, loose: {} }] })
  return { id, doc: (await server.project<State>(id)).doc }
}

test('home tells of each project how far it is, how long and how large; it is sorted and searched, and what is away is missed', async ({ page }) => {
  await page.goto(server.url)
  await expect(page.getByRole('heading', { name: 'Nothing here yet' })).toBeVisible()
  await expect(page.locator('.begin li')).toHaveCount(3)

  const { id, doc } = await made('Two cameras')
  const choose = (seconds: number, name: string) => ({
    type: 'choose',
    cutId: doc.activeCutId,
    time: seconds * SECOND,
    choice: { angleId: doc.angles.find((a) => a.name === name)?.id },
  })
  await server.api(`/projects/${id}/edits?label=cut`, { edits: [choose(0, 'Right'), choose(6, 'Left')] })
  await server.api('/projects', { name: 'An empty one' })
  await page.reload()
  const card = page.getByRole('article', { name: 'Two cameras' })
  await expect(card).toContainText('2 angles · 3 files · 0:12')
  await expect(card.locator('.stages')).toHaveText('2 lined upno pulse yet1 cut')
  await expect(card.locator('video')).toHaveAttribute('src', /tile/)
  const originals = ['left/C0001.mp4', 'right/C0001.mp4', 'desk/desk-mix.wav'].reduce((sum, file) => sum + statSync(path.join(folder, file)).size, 0)
  await expect(card).toContainText(`${(originals / 1e6).toFixed(1)} MB of originals`)
  const kept = async () => Number(/([\d.]+) MB kept here/.exec((await card.textContent()) ?? '')?.[1])
  const before = await kept()
  expect(before).toBeGreaterThan(0.1)

  // A film that was made is kept too.
  await server.api(`/projects/${id}/film`, { width: 1920, height: 1080, rate: '25/1' })
  await server.idle()
  await page.reload()
  await expect.poll(kept).toBeGreaterThan(before)

  const names = () => page.getByRole('article').evaluateAll((cards) => cards.map((c) => c.getAttribute('aria-label')))
  const order = page.getByRole('combobox', { name: 'Order of the projects' })
  await order.click()
  await page.getByText('by name', { exact: true }).click()
  await expect.poll(names).toEqual(['An empty one', 'Two cameras'])
  await order.click()
  await page.getByText('largest first').click()
  await expect.poll(names).toEqual(['Two cameras', 'An empty one'])
  await page.getByRole('textbox', { name: 'Find a project' }).fill('EMPTY')
  await expect.poll(names).toEqual(['An empty one'])
  await page.getByRole('textbox', { name: 'Find a project' }).fill('nothing like it')
  await expect(page.getByText('No project is called so.')).toBeVisible()

  renameSync(path.join(folder, 'left'), path.join(folder, 'elsewhere'))
  await page.reload()
  await expect(card.getByRole('alert')).toHaveText('1 original is not where it was')
  renameSync(path.join(folder, 'elsewhere'), path.join(folder, 'left'))
})

test('Hand over shows what leaves, how large it will be, a picture beside each check, and films made before', async ({ page }) => {
  const { id, doc } = await made('Leaves')
  const left = doc.angles.find((a) => a.name === 'Left')?.id
  // Two seconds before it has picture.
  await server.api(`/projects/${id}/edits?label=cut`, { edits: [{ type: 'choose', cutId: doc.activeCutId, time: 2 * SECOND, choice: { angleId: left } }] })
  await page.goto(`${server.url}/${id}/hand-over`)
  const leaves = page.getByRole('region', { name: 'What leaves' })
  await expect(leaves.locator('dd')).toHaveText([
    'Cut A · 0 cuts',
    '00:00:00:00 – 00:00:12:00',
    '0:12 · 300 frames',
    /^320 × 180 at 25 · some \d+\.\d MB, of noisy pictures several times that$/,
    'known once one was made',
  ])
  await expect(leaves.getByRole('img')).toHaveCount(6)
  await expect(leaves.getByRole('img', { name: 'The film at 0:11: Left' })).toBeVisible()
  /** How bright a small picture is in the middle. */
  const seen = (name: string | RegExp) =>
    page
      .getByRole('img', { name })
      .first()
      .evaluate((canvas: HTMLCanvasElement) => {
        const { data } = (canvas.getContext('2d') as CanvasRenderingContext2D).getImageData(0, 0, canvas.width, canvas.height)
        return data.reduce((most, v, i) => (i % 4 === 3 ? most : Math.max(most, v)), 0)
      })
  await expect.poll(() => seen('The film at 0:11: Left')).toBeGreaterThan(100)
  // Before its beginning another one stands in, and that is what is seen beside the check.
  const checks = page.getByRole('complementary', { name: 'Before it leaves' })
  await expect(checks.locator('.warning', { hasText: 'Left has no picture there' }).getByRole('img', { name: 'There the film shows Right' })).toBeVisible()
  await expect.poll(() => seen('There the film shows Right')).toBeGreaterThan(100)

  // Another size is another weight; a film that was made tells better.
  const some = Number(/some ([\d.]+)/.exec((await leaves.textContent()) ?? '')?.[1])
  await page.getByRole('combobox', { name: 'Size of the film' }).click()
  await page.getByText('1280 × 720').click()
  await expect.poll(async () => Number(/some ([\d.]+)/.exec((await leaves.textContent()) ?? '')?.[1])).toBeGreaterThan(3 * some)
  await page.getByRole('button', { name: 'Make the film' }).click()
  await expect(page.getByRole('link', { name: 'leaves.mp4' })).toBeVisible({ timeout: 60_000 })
  await expect(page.getByText('Cut A · 1280 × 720 at 25 · 0:12')).toBeVisible()
  const size = Number(/ready · ([\d.]+) MB/.exec((await page.locator('.handover').textContent()) ?? '')?.[1])
  await expect(leaves.locator('dd').nth(3)).toHaveText(`1280 × 720 at 25 · about ${size.toFixed(1)} MB`)
  await expect(leaves.locator('dd').nth(4)).toHaveText(/^about (\d+ s|\d:\d\d), by the last one$/)
  await page.getByRole('combobox', { name: 'Frames a second of the film' }).click()
  await page.getByText('50', { exact: true }).click()
  await expect(leaves.locator('dd').nth(2)).toHaveText('0:12 · 600 frames')
})
