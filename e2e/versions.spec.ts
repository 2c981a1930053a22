import { readFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { look } from './look.ts'
import { numberedProject } from './numbered.ts'
import { CAMERAS, readFilm } from './numbers.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000

interface State {
  doc: {
    cuts: {
      id: string
      name: string
      note?: string
      points: { time: number; angleId: string }[]
      pieces: { kind: string }[]
      accepted?: Record<string, true>
    }[]
    activeCutId: string
    angles: { id: string; name: string; side?: string }[]
    settings: { standIn: string; safeAngle?: string }
  }
}

let server: TestServer
let id: string

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Versions'))
  const { doc } = await server.project<State>(id)
  const angle = (letter: string) => doc.angles.find((a) => a.name === `Cam ${letter}`)?.id as string
  const beats = Array.from({ length: 76 }, (_, i) => i * (SECOND / 2))
  const cut = (cutId: string, text: string) =>
    [...text.matchAll(/([\d.]+)([abc])/g)].map(([, at, letter]) => ({
      type: 'choose',
      cutId,
      time: Math.round(Number(at) * SECOND),
      choice: { angleId: angle(letter) },
    }))
  await server.api(`/projects/${id}/edits?label=set`, {
    edits: [
      { type: 'settings', change: { rate: '25/1' } },
      { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats: beats.flatMap((_, i) => (i % 4 === 0 ? [i] : [])) } },
      ...cut(doc.activeCutId, '2a 8b 12.12c 16a 16.12b 20a'),
      { type: 'addCut', cutId: 'quick', name: 'Quick', from: doc.activeCutId },
      ...cut('quick', '10c 14b'),
      { type: 'activeCut', cutId: doc.activeCutId },
    ],
  })
})
test.afterAll(() => server?.kill())

async function open(page: Page): Promise<void> {
  await page.goto(`${server.url}/${id}/switch`)
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
}
const state = async () => (await server.project<State>(id)).doc

test.describe.configure({ mode: 'serial' })

test('what is worth a look is listed, one press away, and can stand; the rules are changed beside it', async ({ page }) => {
  await open(page)
  await page.getByRole('button', { name: 'Angle 1, Cam a' }).click({ button: 'right' })
  await page.getByRole('menuitem', { name: 'sees the stage from the left' }).click()
  await page.getByRole('button', { name: 'Angle 2, Cam b' }).click({ button: 'right' })
  await page.getByRole('menuitem', { name: 'sees the stage from the right' }).click()
  await expect.poll(async () => (await state()).angles.map((a) => a.side ?? '-').join()).toBe('left,right,-')
  await page.getByRole('button', { name: 'To look at' }).click()
  const list = page.locator('.rules .list')
  await expect(list.getByText('A cut 3 frames behind its beat.')).toHaveCount(2)
  await expect(list.getByText('A stretch of only 3 frames.')).toBeVisible()
  await expect(list.getByText(/From Cam a to Cam b the sides are changed/).first()).toBeVisible()
  await list.getByRole('button', { name: /^Go there: A stretch of only 3 frames/ }).click()
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeCloseTo(16, 1)
  // The list stays, to be gone through.
  await list.getByRole('button', { name: /^Let it stand: A stretch of only 3 frames/ }).click()
  await expect(list.getByText('A stretch of only 3 frames.')).toBeHidden()
  await list.getByRole('button', { name: '1 let stand' }).click()
  await expect(list.getByText('A stretch of only 3 frames.')).toBeVisible()
  // It stands in Hand over too.
  await page.goto(`${server.url}/${id}/hand-over`)
  await expect(page.getByText('A cut 3 frames behind its beat.')).toHaveCount(2)
  await expect(page.getByText('A stretch of only 3 frames.')).toBeHidden()
  await open(page)
  await page.getByRole('button', { name: 'To look at' }).click()
  await page.locator('.rules').getByText('black', { exact: true }).click()
  await expect.poll(async () => (await state()).settings.standIn).toBe('black')
  await page.locator('.rules').getByText('the next angle', { exact: true }).click()
  await page.getByLabel('first of all this safe angle').click()
  await page.locator('.ant-select-dropdown:visible').getByTitle('Cam c').click()
  await expect.poll(async () => (await state()).settings.safeAngle).toBe((await state()).angles.find((a) => a.name === 'Cam c')?.id)
})

test('where the chosen angle is dark its last picture is held: shown in the rules, on the wall and in the film', async ({ page }) => {
  await open(page)
  const camera = CAMERAS[0]
  const last = Math.floor(camera.seconds * camera.num) - 1
  await page.keyboard.press('End')
  await page.keyboard.press('Shift+ArrowLeft')
  await page.getByRole('button', { name: 'To look at' }).click()
  const rules = page.locator('.rules')
  // Camera a ends at 36.013 s: what each rule would show there.
  for (const what of ['Cam b', 'Cam a', 'black']) await expect(rules.getByRole('img', { name: `There would be ${what}` })).toBeVisible()
  const held = rules.getByRole('img', { name: 'There would be Cam a' })
  await expect
    .poll(() =>
      held.evaluate((node) =>
        Math.max(
          ...((node as HTMLCanvasElement)
            .getContext('2d')
            ?.getImageData(0, 0, 192, 108)
            .data.filter((_, i) => i % 4 === 0) ?? []),
        ),
      ),
    )
    .toBeGreaterThan(200)
  await rules.getByText('its last picture').click()
  await expect.poll(async () => (await state()).settings.standIn).toBe('hold')
  await page.keyboard.press('Escape')
  await expect.poll(async () => (await look(page, 'Programme')).read).toEqual(expect.objectContaining({ code: 1, frame: last }))
  await expect(page.getByText(/stands in/).first()).toBeVisible()
  await page.goto(`${server.url}/${id}/hand-over`)
  await page.getByLabel('Size of the film').click()
  await page.getByTitle('640 × 360').click()
  await page.getByRole('button', { name: 'Make the film' }).click()
  const link = page.getByRole('link', { name: /mp4$/ })
  await expect(link).toBeVisible({ timeout: 120_000 })
  const [download] = await Promise.all([page.waitForEvent('download'), link.click()])
  const film = path.join(server.home, 'held.mp4')
  await download.saveAs(film)
  const shown = readFilm(film, 640, 360)
  for (const frame of [36.08, 36.6, 37.9]) expect(shown[Math.round(frame * 25)]).toMatchObject({ code: 1, frame: last })
  await server.api(`/projects/${id}/edits?label=set`, { edits: [{ type: 'settings', change: { standIn: 'next' } }] })
})

test('a version has a name and a note, is compared on the score, and its rhythm stands beside another one’s', async ({ page }) => {
  await open(page)
  const menu = page.getByRole('button', { name: 'Versions of the cut' })
  await menu.click()
  await page.getByRole('menuitem', { name: 'its name and a note' }).click()
  await page.getByLabel('Name of the version').fill('Calm')
  await page.getByLabel('Note about the version').fill('for the family')
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect(menu).toContainText('Calm')
  await expect.poll(async () => (await state()).cuts.map((c) => `${c.name} ${c.note ?? ''}`).join('; ')).toBe('Calm for the family; Quick ')
  const pixels = () =>
    page.locator('canvas.score-drawing').evaluate((node) => {
      const canvas = node as HTMLCanvasElement
      const { data } = (canvas.getContext('2d') as CanvasRenderingContext2D).getImageData(0, 0, canvas.width, canvas.height)
      return data.reduce((sum, x, i) => (sum * 31 + x * (i + 1)) % 1_000_003, 0)
    })
  const before = await pixels()
  await menu.click()
  await page.getByRole('menuitem', { name: 'compare on the score with' }).hover()
  await page.getByRole('menuitem', { name: 'Quick', exact: true }).click()
  await expect.poll(pixels).not.toBe(before)

  await menu.click()
  await page.getByRole('menuitem', { name: 'its rhythm in figures' }).click()
  const calm = page.getByRole('region', { name: 'Rhythm of Calm' })
  await expect(calm).toContainText('first beat of a bar')
  await page.getByLabel('Version beside it').click()
  await page.locator('.ant-select-dropdown:visible').getByTitle('Quick').click()
  await expect(page.getByRole('region', { name: 'Rhythm of Quick' })).toContainText('Share of each angle')
  const saved = page.waitForEvent('download')
  await calm.getByRole('button', { name: 'Save CSV' }).click()
  const rows = readFileSync(await (await saved).path(), 'utf8')
    .trim()
    .split('\r\n')
  expect(rows[0]).toBe('at,seconds,frames,angle,falls on,frames from the beat')
  expect(rows.find((r) => r.startsWith('00:00:08:00'))).toBe('00:00:08:00,4.120,103,Cam b,bar,0')
  expect(rows.find((r) => r.startsWith('00:00:12:03'))).toBe('00:00:12:03,3.880,97,Cam c,none,3')
  const png = page.waitForEvent('download')
  await calm.getByRole('button', { name: 'Save PNG' }).click()
  const bytes = readFileSync(await (await png).path())
  expect(bytes.subarray(1, 4).toString()).toBe('PNG')
  expect(bytes.length).toBeGreaterThan(2000)
})

test('a version that is set in is laid flat, and the film stays the same', async ({ page }) => {
  const { activeCutId } = await state()
  await server.api(`/projects/${id}/edits?label=nest`, {
    edits: [
      { type: 'keep', start: 0, end: 18 * SECOND },
      { type: 'addPiece', cutId: activeCutId, piece: { id: 'nested', kind: 'version', cutId: 'quick', from: 20 * SECOND, to: 24 * SECOND }, before: null },
    ],
  })
  const edl = async () => (await (await fetch(`${server.url}/api/projects/${id}/exchange/edl`)).text()).split('\n').filter((l) => /^\d{3}/.test(l))
  const before = await edl()
  await open(page)
  await page.getByRole('button', { name: 'Versions of the cut' }).click()
  await page.getByRole('menuitem', { name: 'lay versions that are set in flat' }).click()
  await expect.poll(async () => (await state()).cuts[0].pieces.map((p) => p.kind).join()).toBe('range,range')
  expect(await edl()).toEqual(before)
})
