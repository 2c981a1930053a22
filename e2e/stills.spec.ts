import { expect, type Page, test } from '@playwright/test'
import { Chart, chooseRange, GENTLE, likeFilm, SECOND } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('stills', GENTLE, true)
})
test.afterAll(() => chart?.server.kill())

interface Still {
  kind: string
  from: number
  to: number
  place: { x: number; y: number; width: number; height: number }
  placeTo?: { width: number }
  fadeIn?: number
}
const stills = async () => Object.values(((await chart.doc()) as unknown as { cuts: { layers: Record<string, Still> }[] }).cuts[0].layers)
const still = async () => (await stills())[0]

async function number(page: Page, name: string, value: string): Promise<void> {
  const field = page.getByRole('spinbutton', { name })
  await field.fill(value)
  await field.press('Enter')
}

test('a logo is laid over a range, put into another corner, sized, let grow slowly, and then over all of the film; page and film show the same', async ({
  page,
}) => {
  await page.goto(`${chart.server.url}/${chart.id}/switch`)
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
  await chooseRange(page, 1, 3)
  await page.getByRole('combobox', { name: 'Lay a still over this range' }).click()
  await page.locator('.ant-select-item-option').getByText('logo.png').click()
  await expect.poll(still).toMatchObject({ kind: 'still', place: { x: 0.82, y: 0.05 } })
  const bar = page.getByRole('toolbar', { name: 'Chosen still' })
  await expect(bar.getByText('logo.png')).toBeVisible()

  await bar.getByRole('combobox', { name: 'Place of the still' }).click()
  await page.locator('.ant-select-item-option').getByText('lower left', { exact: true }).click()
  await expect.poll(async () => (await still()).place).toEqual({ x: 0.04, y: 0.81, width: 0.14, height: 0.14 })
  // It grows from the corner that it lies in.
  await number(page, 'Size of the still, %', '28')
  await expect.poll(async () => Object.values((await still()).place).map((v) => Math.round(100 * v))).toEqual([4, 67, 28, 28])
  await bar.getByRole('button', { name: 'moves' }).click()
  await expect.poll(async () => (await still()).placeTo?.width).toBeCloseTo(1.15 * 0.28, 6)
  await number(page, 'Its size at its end, % of that at its beginning', '150')
  await expect.poll(async () => (await still()).placeTo?.width).toBeCloseTo(1.5 * 0.28, 6)
  await number(page, 'It comes and goes in, frames', '10')
  await expect.poll(async () => (await still()).fadeIn).toBe((10 * SECOND) / 25)

  const film = await chart.film()
  const { from, to } = await still()
  const frames = [from, (from + to) / 2, to - SECOND / 25].map((t) => Math.round((t / SECOND) * 25))
  for (const frame of [frames[0] - 2, frames[0] + 4, frames[1], frames[2] - 3, frames[2] + 3]) await likeFilm(page, film, frame, 1.5, 0.03)

  await bar.getByRole('button', { name: 'over all of the film' }).click()
  await expect.poll(async () => (await still()).from).toBe(0)
  await expect.poll(async () => (await still()).to).toBeGreaterThanOrEqual(8 * SECOND - SECOND / 25)
  await expect(bar.getByRole('button', { name: 'over all of the film' })).toBeDisabled()
  await bar.getByRole('button', { name: 'moves' }).click()
  await expect.poll(async () => (await still()).placeTo).toBeUndefined()

  // Each of it is a step of undo, and a removed one comes back.
  await bar.getByRole('button', { name: 'Remove the still' }).click()
  await expect.poll(stills).toEqual([])
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await still())?.from).toBe(0)
  for (let n = 0; n < 7; n++) await page.keyboard.press('Control+z')
  await expect.poll(async () => (await stills()).length).toBe(1)
  await page.keyboard.press('Control+z')
  await expect.poll(stills).toEqual([])
})
