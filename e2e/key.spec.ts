import { expect, test } from '@playwright/test'
import { Chart, chooseRange, likeFilm } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('key')
})
test.afterAll(() => chart?.server.kill())

interface Background {
  kind: string
  angleId?: string
  key?: { colour: string; tolerance: number; softness: number; spill: number; exposure?: number }
}
const background = async () => {
  const { cuts } = (await chart.doc()) as unknown as { cuts: { layers: Record<string, Background> }[] }
  return Object.values(cuts[0].layers).find((l) => l.kind === 'background')
}

test('another angle is seen behind a picture through a colour that is picked from it; page and film show the same, and it is undone', async ({ page }) => {
  await page.goto(`${chart.server.url}/${chart.id}/switch`)
  await expect(page.getByRole('button', { name: /^cut to Roof at/ })).toBeVisible()
  await page.keyboard.press('Home')
  for (let s = 0; s < 7; s++) await page.keyboard.press('Shift+ArrowRight')
  await chooseRange(page, 6.2, 7.8)
  await page.getByRole('combobox', { name: 'Show an angle behind a keyed picture' }).click()
  await page.locator('.ant-select-item-option').getByText('Gantry').click()
  await expect.poll(background).toMatchObject({ angleId: (await chart.angle('Gantry'))?.id })

  const usual = (await background())?.key?.colour
  await page.getByRole('button', { name: 'Pick the colour from the picture' }).click()
  const picture = page.getByRole('dialog', { name: 'Take a colour from the picture' }).getByRole('img')
  // Until its picture has come, black would be taken.
  await expect.poll(() => picture.evaluate((c) => (c as HTMLCanvasElement).getContext('2d')?.getImageData(60, 180, 1, 1).data[1] ?? 0)).toBeGreaterThan(100)
  await picture.click({ position: { x: 60, y: 180 } })
  await expect.poll(async () => (await background())?.key?.colour).not.toBe(usual)
  for (const [label, value] of [
    ['How unlike it may be, % unlike', '40'],
    ['Brightness before the key, stops', '0.2'],
  ]) {
    await page.getByRole('spinbutton', { name: label }).fill(value)
    await page.getByRole('spinbutton', { name: label }).press('Enter')
  }
  await expect.poll(async () => (await background())?.key).toMatchObject({ tolerance: 0.4, exposure: 0.2 })

  const film = await chart.film()
  // Before it, within it, and behind it.
  for (const frame of [152, 165, 180, 198]) await likeFilm(page, film, frame, 1.5)

  await page.getByRole('button', { name: 'Remove the background' }).click()
  await expect.poll(background).toBeUndefined()
  await page.keyboard.press('Control+z')
  await expect.poll(background).toBeDefined()
})
