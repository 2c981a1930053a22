import { expect, type Page, test } from '@playwright/test'
import { apart, Chart, drawn, filmed, SECOND } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('framing')
})
test.afterAll(() => chart?.server.kill())

const cutoutOf = async (name: string) => (await chart.angle(name))?.cutout
const exceptions = async () => Object.values((await chart.doc()).exceptions)
const type = async (page: Page, label: string, value: string) => {
  await page.getByRole('spinbutton', { name: label }).fill(value)
  await page.getByRole('spinbutton', { name: label }).press('Enter')
}
/** To a frame of the film, by keys. */
async function goTo(page: Page, frame: number) {
  await page.keyboard.press('Home')
  for (let i = 0; i < Math.floor(frame / 25); i++) await page.keyboard.press('Shift+ArrowRight')
  for (let i = 0; i < frame % 25; i++) await page.keyboard.press('ArrowRight')
}

/** How a frame of the film differs from what the page shows of the programme at that time. */
async function unlikeFilm(page: Page, film: string, frame: number) {
  await goTo(page, frame)
  await page.waitForTimeout(400)
  const { data, ...size } = await drawn(page, 'Programme')
  return apart(data, filmed(film, frame, size))
}

test('an angle is framed by numbers and by hand, a stretch of it moves; page and film show the same, and all is undone', async ({ page }) => {
  await page.goto(`${chart.server.url}/${chart.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Roof/ }).click()
  await goTo(page, 162)
  await page.getByText('Framing', { exact: true }).click()
  await type(page, 'size of Roof, %', '70')
  await type(page, 'across of Roof, %', '-12')
  await type(page, 'turn of Roof, °', '12')
  await type(page, 'cut off left of Roof, %', '20')
  await page.getByRole('switch', { name: 'Roof is mirrored' }).click()
  await expect.poll(() => cutoutOf('Roof')).toEqual({ x: -0.12, y: 0, scale: 0.7, turn: 12, mirrored: true, crop: { left: 0.2, top: 0, right: 0, bottom: 0 } })

  // By hand: dragged to the right by a tenth of the frame, a step that is undone at once.
  const box = (await page.getByRole('group', { name: 'Handles of Roof' }).boundingBox()) as { x: number; y: number; width: number; height: number }
  const drag = async (from: readonly [number, number], to: readonly [number, number]) => {
    await page.mouse.move(box.x + from[0] * box.width, box.y + from[1] * box.height)
    await page.mouse.down()
    await page.mouse.move(box.x + (from[0] + 0.5 * (to[0] - from[0])) * box.width, box.y + to[1] * box.height)
    await page.mouse.move(box.x + to[0] * box.width, box.y + to[1] * box.height)
    await page.mouse.up()
  }
  await drag([0.36, 0.5], [0.46, 0.6])
  await expect.poll(async () => Math.round(100 * Number((await cutoutOf('Roof'))?.x))).toBe(-2)
  expect(Number((await cutoutOf('Roof'))?.y)).toBeCloseTo(0.1, 2)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await cutoutOf('Roof'))?.x).toBe(-0.12)

  // The aisle moves in on its stretch, and nowhere else.
  await page.getByRole('button', { name: /^Aisle/ }).click()
  await goTo(page, 125)
  await page.getByRole('button', { name: '+ only a stretch' }).click()
  await expect.poll(async () => (await exceptions()).map(({ from, to }) => [from / SECOND, to / SECOND])).toEqual([[4, 6]])
  await page.getByText('moves', { exact: true }).click()
  await page.getByText('to', { exact: true }).click()
  await type(page, 'size of Aisle, %', '180')
  await type(page, 'down of Aisle, %', '15')
  await expect.poll(async () => (await exceptions())[0].cutoutTo).toEqual({ x: 0, y: 0.15, scale: 1.8, turn: 0 })
  expect((await exceptions())[0].cutout).toEqual({ x: 0, y: 0, scale: 1, turn: 0 })
  expect(await cutoutOf('Aisle')).toBeUndefined()

  const film = await chart.film()
  await page.getByRole('button', { name: 'Programme: what the film shows' }).click()
  const roof = await unlikeFilm(page, film, 165)
  const begun = await unlikeFilm(page, film, 100)
  const moving = await unlikeFilm(page, film, 126)
  const plain = await unlikeFilm(page, film, 30)
  for (const [what, found] of Object.entries({ roof, begun, moving, plain }))
    console.log(`${what}, page and film: ${found.mean.toFixed(2)} of 255 apart on average, ${(100 * found.far).toFixed(1)} % more than 4`)
  expect(roof.mean).toBeLessThanOrEqual(1.5)
  // Patches have edges, whose pixels are never quite the same at two sizes.
  for (const { mean } of [begun, moving, plain]) expect(mean).toBeLessThanOrEqual(3)
  // What moves is seen at its own place: a second before it is another picture.
  await goTo(page, 102)
  await page.waitForTimeout(400)
  const { data, ...size } = await drawn(page, 'Programme')
  expect(apart(data, filmed(film, 126, size)).mean).toBeGreaterThan(3 * moving.mean)

  await page.getByRole('button', { name: /^Aisle/ }).click()
  await page.getByRole('button', { name: /as all of it$/ }).click()
  await expect.poll(exceptions).toEqual([])
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await exceptions()).length).toBe(1)
})
