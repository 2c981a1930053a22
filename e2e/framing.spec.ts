import { expect, type Page, test } from '@playwright/test'
import { apart, Chart, drawn, filmed, goTo, likeFilm, SECOND } from './chart.ts'

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

  // The aisle moves in on its stretch, and nowhere else; pressed twice, it is one stretch.
  await page.getByRole('button', { name: /^Aisle/ }).click()
  await goTo(page, 125)
  await page.getByRole('button', { name: '+ only a stretch' }).dblclick()
  await expect.poll(async () => (await exceptions()).map(({ from, to }) => [from / SECOND, to / SECOND])).toEqual([[4, 6]])
  await page.getByText('moves', { exact: true }).click()
  await page.getByText('to', { exact: true }).click()
  await type(page, 'size of Aisle, %', '180')
  await type(page, 'down of Aisle, %', '15')
  await expect.poll(async () => (await exceptions())[0].cutoutTo).toEqual({ x: 0, y: 0.15, scale: 1.8, turn: 0 })
  expect((await exceptions())[0].cutout).toEqual({ x: 0, y: 0, scale: 1, turn: 0 })
  expect(await cutoutOf('Aisle')).toBeUndefined()

  // The gantry once more, from nearer: an angle of its own, which the film shows for a while.
  await page.getByRole('button', { name: /^Gantry/ }).click()
  await page.getByRole('button', { name: 'Second framing' }).click()
  await expect.poll(async () => (await chart.angle('Gantry close')) !== undefined).toBe(true)
  await type(page, 'size of Gantry close, %', '160')
  await expect.poll(async () => (await cutoutOf('Gantry close'))?.scale).toBe(1.6)
  expect(await cutoutOf('Gantry')).toBeUndefined()
  const close = (await chart.angle('Gantry close'))?.id
  await chart.edit({ type: 'choose', cutId: (await chart.doc()).activeCutId, time: 2 * SECOND, choice: { angleId: close } })

  const film = await chart.film()
  await page.getByRole('button', { name: 'Programme: what the film shows' }).click()
  await likeFilm(page, film, 70, 3)
  await likeFilm(page, film, 165, 1.5)
  // Patches have edges, whose pixels are never quite the same at two sizes.
  await likeFilm(page, film, 100, 3)
  await likeFilm(page, film, 30, 3)
  // What moves is seen at its own place: a second before it is another picture.
  await likeFilm(page, film, 102, 3)
  const moving = await likeFilm(page, film, 126, 3)
  const { data, ...size } = await drawn(page, 'Programme')
  expect(apart(data, filmed(film, 102, size)).mean).toBeGreaterThan(3 * moving.mean)

  await page.getByRole('button', { name: /^Aisle/ }).click()
  await page.getByRole('button', { name: /as all of it$/ }).click()
  await expect.poll(exceptions).toEqual([])
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await exceptions()).length).toBe(1)
})
