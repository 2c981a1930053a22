import { expect, type Page, test } from '@playwright/test'
import { numberedProject, openSwitch } from './numbered.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000

interface State {
  doc: { cuts: { id: string; points: { time: number; angleId: string }[] }[]; activeCutId: string; angles: { id: string; name: string }[] }
}

let server: TestServer
let id: string

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Controllers'))
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1', magnet: 'off' } }] })
})
test.afterAll(() => server?.kill())

const open = (page: Page) => openSwitch(page, server, id)
const cuts = async () => {
  const { doc } = await server.project<State>(id)
  return (doc.cuts.find((c) => c.id === doc.activeCutId)?.points ?? []).map((p) => ({
    at: p.time / SECOND,
    name: doc.angles.find((a) => a.id === p.angleId)?.name,
  }))
}
/** Bytes as a device would send them, through the simulated controller. */
const send = (page: Page, ...bytes: number[]) =>
  page.evaluate((data) => {
    const device = new BroadcastChannel('pendolo-midi')
    device.postMessage(data)
    device.close()
  }, bytes)

test('a control page in a second window cuts while it plays, and is lit as the stage is', async ({ page, context }) => {
  await open(page)
  const control = await context.newPage()
  await control.goto(`${server.url}/${id}/control`)
  const button = (name: RegExp) => control.getByRole('button', { name })
  await expect(button(/Cam c/)).toBeVisible()
  await page.bringToFront()
  for (let s = 0; s < 8; s++) await page.keyboard.press('Shift+ArrowRight')
  await control.getByRole('button', { name: 'Play' }).click()
  await expect(control.getByRole('button', { name: 'Stop' })).toBeVisible()
  const sounds = () => page.evaluate(() => window.pendolo.health().soundSeconds)
  await expect.poll(sounds, { intervals: [30] }).toBeGreaterThan(9)
  const before = await sounds()
  await button(/Cam c/).click()
  const after = await sounds()
  await expect(button(/Cam c/)).toHaveAttribute('aria-pressed', 'true')
  await expect(control.getByRole('status')).toContainText(/Cam c 00:00:\d\d/)
  await control.keyboard.press('2')
  await expect(button(/Cam b/)).toHaveAttribute('aria-pressed', 'true')
  await control.getByRole('button', { name: 'Stop' }).click()
  await expect.poll(async () => (await cuts()).map((c) => c.name)).toEqual(['Cam c', 'Cam b'])
  const [{ at }] = await cuts()
  expect(at).toBeGreaterThan(before - 0.3)
  expect(at).toBeLessThan(after + 0.3)
  // A key while it stands still is lit too; without a stage the page says what to do.
  await page.getByRole('button', { name: 'Angle 1, Cam a' }).click()
  await expect(button(/Cam a/)).toHaveAttribute('aria-pressed', 'true')
  await page.goto(`${server.url}/${id}/balance`)
  await expect(control.getByText('No stage is open')).toBeVisible()
})

test('a MIDI controller cuts: pads in order at first, then those that were learnt by pressing', async ({ page }) => {
  await server.api(`/projects/${id}/edits?label=fresh`, { edits: [{ type: 'addCut', cutId: 'midi', name: 'Midi', from: null }] })
  await open(page)
  for (let s = 0; s < 8; s++) await page.keyboard.press('Shift+ArrowRight')
  await send(page, 0x99, 37, 90)
  await expect.poll(async () => (await cuts()).map((c) => c.name)).toEqual(['Cam b'])
  // What is let go, and what means nothing, does nothing.
  await send(page, 0x89, 36, 0)
  await send(page, 0x99, 36, 0)
  await send(page, 0x99, 90, 90)
  await page.getByRole('button', { name: 'What the stage shows' }).click()
  await page.getByRole('menuitem', { name: 'MIDI controllers' }).click()
  await page.getByRole('button', { name: 'Learn the press for Cam c' }).click()
  await send(page, 0xb2, 20, 127)
  await expect(page.getByText('control 20 on 3', { exact: true })).toBeVisible()
  await page.getByRole('button', { name: 'Close' }).click()
  for (let s = 0; s < 3; s++) await page.keyboard.press('Shift+ArrowRight')
  await send(page, 0xb2, 20, 127)
  await expect.poll(async () => (await cuts()).map((c) => c.name)).toEqual(['Cam b', 'Cam c'])
  // Learnt once, it is known after a reload, and the pads of before mean nothing any more.
  await page.reload()
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
  await page.keyboard.press('End')
  await send(page, 0x99, 36, 90)
  for (let s = 0; s < 4; s++) await page.keyboard.press('Shift+ArrowLeft')
  await send(page, 0xb2, 20, 127)
  await expect.poll(async () => (await cuts()).length).toBe(2)
})
