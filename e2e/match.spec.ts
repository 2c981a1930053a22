import { expect, type Page, test } from '@playwright/test'
import { apart, Chart, drawn, patches } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('match')
})
test.afterAll(() => chart?.server.kill())

const lookOf = async (name: string) => (await chart.angle(name))?.look
/** Middles of the patches of the chart as the page shows it. */
async function seen(page: Page) {
  const { data, ...size } = await drawn(page, 'Picture of the angle in the frame')
  return patches(data, size).flat()
}

test('a camera that sees the same in other colours is matched, looked at before, taken and undone', async ({ page }) => {
  await page.goto(`${chart.server.url}/${chart.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Gantry/ }).click()
  await expect.poll(async () => (await seen(page))[40]).toBeGreaterThan(20)
  const gantry = await seen(page)
  await page.getByRole('button', { name: /^Stalls/ }).click()
  await expect.poll(async () => apart(await seen(page), gantry).mean).toBeGreaterThan(20)
  const recorded = await seen(page)

  const open = async (item: string) => {
    await page.getByRole('button', { name: 'Match ▾' }).click()
    await page.locator('.ant-dropdown:visible').getByText(item).click()
  }
  await open('to Gantry')
  const match = page.getByRole('group', { name: 'Match to Gantry' })
  await expect(match.getByRole('button', { name: 'Take it' })).toBeEnabled()
  await expect(match.getByText('1 of 12')).toBeVisible()
  await match.getByRole('button', { name: 'Next instant' }).click()
  await expect(match.getByText('2 of 12')).toBeVisible()
  // Left, nothing has changed.
  await match.getByRole('button', { name: 'Leave' }).click()
  expect(await lookOf('Stalls')).toBeUndefined()
  await open('to Gantry')
  await match.getByRole('button', { name: 'Take it' }).click()
  await expect.poll(() => lookOf('Stalls')).toBeDefined()
  await expect.poll(async () => apart(await seen(page), gantry).mean).toBeLessThan(8)
  console.log(`a matched camera: ${apart(recorded, gantry).mean.toFixed(1)} of 255 apart before, ${apart(await seen(page), gantry).mean.toFixed(1)} after`)
  await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Stalls')).toBeUndefined()

  // All at once: what is alike already stays as it is.
  await page.getByRole('button', { name: /^Gantry/ }).click()
  await open('others to Gantry')
  await match.getByRole('button', { name: /Take all/ }).click()
  await expect.poll(() => lookOf('Stalls')).toBeDefined()
  expect(await lookOf('Aisle')).toBeUndefined()
  await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Stalls')).toBeUndefined()
})
