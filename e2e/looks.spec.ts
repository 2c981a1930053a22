import { expect, type Page, test } from '@playwright/test'
import { apart, Chart, type Colour, drawn, FRAME, filmed, patches } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('looks')
})
test.afterAll(() => chart?.server.kill())

const lookOf = async (name: string) => (await chart.angle(name))?.look
const seen = async (page: Page): Promise<Colour[]> => {
  const { data, ...size } = await drawn(page, 'Picture of the angle in the frame')
  return patches(data, size)
}
const unlike = (a: readonly Colour[], b: readonly Colour[]) => apart(a.flat(), b.flat())

test('an angle is corrected by numbers, seen at once as the film will have it, compared, given to another and taken back', async ({ page }) => {
  await page.goto(`${chart.server.url}/${chart.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Gantry/ }).click()
  const look = page.getByRole('region', { name: 'Look of Gantry' })
  await expect.poll(async () => (await seen(page))[10][0]).toBeGreaterThan(20)
  const before = await seen(page)
  for (const [label, value] of [
    ['exposure of Gantry, stops', '0.5'],
    ['warmth of Gantry, %', '30'],
    ['contrast of Gantry, %', '115'],
    ['saturation of Gantry, %', '130'],
  ]) {
    await look.getByRole('spinbutton', { name: label }).fill(value)
    await look.getByRole('spinbutton', { name: label }).press('Enter')
  }
  await expect.poll(() => lookOf('Gantry')).toEqual({ exposure: 0.5, warmth: 0.3, contrast: 1.15, saturation: 1.3 })
  await expect.poll(async () => unlike(await seen(page), before).mean).toBeGreaterThan(8)
  const made = await chart.film()
  const film = patches(filmed(made, 25), FRAME)
  let after = before
  const mean = async () => {
    after = await seen(page)
    return unlike(after, film).mean
  }
  await expect.poll(mean).toBeLessThanOrEqual(1.5)
  const found = unlike(after, film)
  console.log(`a look in page and film: ${found.mean.toFixed(2)} of 255 apart on average, ${found.most} at most`)
  expect(found.most).toBeLessThanOrEqual(6)
  // The other angle is as it was recorded.
  expect(unlike(patches(filmed(made, 125), FRAME), before).mean).toBeLessThanOrEqual(1.5)

  // Held, it is as it was recorded; let go, corrected again.
  await page.keyboard.down('w')
  await expect.poll(async () => unlike(await seen(page), before).most).toBeLessThanOrEqual(1)
  await page.keyboard.up('w')
  await expect.poll(async () => unlike(await seen(page), after).most).toBeLessThanOrEqual(1)

  await look.getByRole('button', { name: 'Give this look to ▾' }).click()
  await page.locator('.ant-dropdown:visible').getByText('Aisle').click()
  await expect.poll(() => lookOf('Aisle')).toEqual({ exposure: 0.5, warmth: 0.3, contrast: 1.15, saturation: 1.3 })
  await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Aisle')).toBeUndefined()
  await look.getByRole('button', { name: 'As recorded' }).click()
  await expect.poll(() => lookOf('Gantry')).toBeUndefined()
  await expect.poll(async () => unlike(await seen(page), before).most).toBeLessThanOrEqual(1)
})
