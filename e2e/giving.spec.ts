import { expect, test } from '@playwright/test'
import { Chart, chooseRange, likeFilm, SECOND } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('giving')
  // Aisle and gantry see the same chart; mirrored it is another one.
  await chart.edit({ type: 'seeAngle', angleId: (await chart.angle('Aisle'))?.id, cutout: { x: 0, y: 0, scale: 1, turn: 0, mirrored: true } })
})
test.afterAll(() => chart?.server.kill())

interface Cut {
  points: { time: number; transition?: { kind: string; length: number } }[]
  fadeIn?: number
  layers: Record<string, { kind: string; text?: string; title?: object; angleId?: string; place?: { height: number }; from: number; to: number }>
}
const cut = async () => ((await chart.doc()) as unknown as { cuts: Cut[] }).cuts[0]
const layers = async () => Object.values((await cut()).layers)
const transitionAt = async (seconds: number) => (await cut()).points.find((p) => p.time === seconds * SECOND)?.transition ?? null

test('cuts become dissolves and dips, a title and an inset lie over them, the film comes out of black; page and film show the same, and all is undone', async ({
  page,
}) => {
  await page.goto(`${chart.server.url}/${chart.id}/switch`)
  const head = (name: string) => page.getByRole('button', { name: new RegExp(`^cut to ${name} at`) })
  await head('Aisle').click()
  await page.getByRole('button', { name: /gives way at once/ }).click()
  await page.getByText('dissolve', { exact: true }).click()
  await expect.poll(() => transitionAt(4)).toEqual({ kind: 'dissolve', length: (12 * SECOND) / 25 })
  await page.getByRole('spinbutton', { name: 'Length of the transition, frames' }).fill('40')
  await page.getByRole('spinbutton', { name: 'Length of the transition, frames' }).press('Enter')
  await expect.poll(async () => (await transitionAt(4))?.length).toBe((40 * SECOND) / 25)
  await page.keyboard.press('Escape')

  await head('Roof').click()
  await page.getByRole('button', { name: /gives way at once/ }).click()
  await page.getByText('through white', { exact: true }).click()
  await expect.poll(() => transitionAt(6)).toMatchObject({ kind: 'dip-white' })
  await page.keyboard.press('Escape')

  await page.getByRole('button', { name: 'To look at' }).click()
  await page.getByRole('spinbutton', { name: 'the film’s picture comes out of black in, frames' }).fill('20')
  await page.getByRole('spinbutton', { name: 'the film’s picture comes out of black in, frames' }).press('Enter')
  await expect.poll(async () => (await cut()).fadeIn).toBe((20 * SECOND) / 25)
  await page.getByRole('button', { name: 'To look at' }).click()

  // A title over a range that is drawn over the master with Shift.
  await chooseRange(page, 1, 2.2)
  await page.getByRole('button', { name: 'Title', exact: true }).click()
  await page.getByRole('textbox', { name: 'Words of the title' }).fill('Depot Night\nthe last tram')
  await page.getByRole('spinbutton', { name: 'Height of its letters, %' }).fill('9')
  await page.getByRole('spinbutton', { name: 'Height of its letters, %' }).press('Enter')
  await page.getByRole('button', { name: 'box', exact: true }).click()
  await expect
    .poll(async () => (await layers())[0])
    .toMatchObject({ kind: 'title', text: 'Depot Night\nthe last tram', title: { letters: 0.09, box: { share: 0.6 } } })
  await page.getByRole('button', { name: 'Done' }).click()
  const [{ from, to }] = await layers()
  // The roof small over the gantry.
  await chooseRange(page, 2.4, 3.2)
  await page.getByRole('combobox', { name: 'Show an angle small over this range' }).click()
  await page.locator('.ant-select-item-option').getByText('Roof').click()
  await expect.poll(async () => (await layers()).find((l) => l.kind === 'inset')).toMatchObject({ angleId: (await chart.angle('Roof'))?.id })
  await page.getByRole('spinbutton', { name: 'Size of the inset, %' }).fill('45')
  await page.getByRole('spinbutton', { name: 'Size of the inset, %' }).press('Enter')
  await expect.poll(async () => (await layers()).find((l) => l.kind === 'inset')?.place?.height).toBe(0.45)
  await page.getByRole('button', { name: 'Done' }).click()
  expect([from / SECOND, to / SECOND].map((s) => Math.round(5 * s) / 5)).toEqual([1, 2.2])

  const film = await chart.film()
  for (const frame of [0, 7, 19, 27, 40, 60, 70, 100, 110, 146, 150, 153, 180]) await likeFilm(page, film, frame, 1.5)

  for (let i = 0; i < 10; i++) await page.keyboard.press('Control+z')
  await expect.poll(() => Promise.all([transitionAt(4), transitionAt(6)])).toEqual([null, null])
  await page.keyboard.press('Control+Shift+z')
  await expect.poll(() => transitionAt(4)).toMatchObject({ kind: 'dissolve' })
})
