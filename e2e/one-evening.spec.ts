import { expect, type Page, test } from '@playwright/test'
import { Chart, chooseRange, goTo, likeFilm, SECOND } from './chart.ts'

let chart: Chart
test.beforeAll(async () => {
  chart = await Chart.start('evening')
})
test.afterAll(() => chart?.server.kill())

interface Made {
  angles: { name: string; look?: { vignette?: object }; of?: string; cutout?: { scale: number } }[]
  exceptions: object
  cuts: { points: Record<string, { transition?: object }>; layers: Record<string, { kind: string }>; fadeOut?: number }[]
}
/** All of the document that is about pictures. */
const made = async () => {
  const { angles, exceptions, cuts } = (await chart.doc()) as unknown as Made
  return { angles, exceptions, cuts }
}
const cut = async () => (await made()).cuts[0]
const kinds = async () => Object.values((await cut()).layers).map((l) => l.kind)
const transitions = async () => Object.values((await cut()).points).filter((p) => p.transition).length
const angle = async (name: string) => (await made()).angles.find((a) => a.name === name)

async function pick(page: Page, combobox: string, option: string) {
  await page.getByRole('combobox', { name: combobox }).click()
  await page.locator('.ant-select-item-option').getByText(option, { exact: true }).click()
}

test('raw angles become one evening: matched, darkened at the edges, framed twice, with dissolves, an inset, a background, a title and an end; all of it undone and done again', async ({
  page,
}) => {
  test.setTimeout(300_000)
  const before = await made()
  let steps = 0
  const step = async (what: () => Promise<unknown>) => {
    await expect.poll(what, { timeout: 30_000 }).toBeTruthy()
    steps++
  }
  await page.goto(`${chart.server.url}/${chart.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Stalls/ }).click()
  await page.getByRole('button', { name: 'Match ▾' }).click()
  await page.locator('.ant-dropdown:visible').getByText('to Gantry', { exact: true }).click()
  await page.getByRole('button', { name: 'Take it' }).click({ timeout: 60_000 })
  await step(async () => (await angle('Stalls'))?.look)

  await page.getByRole('button', { name: /^Gantry/ }).click()
  await page.getByRole('switch', { name: 'vignette is on' }).click()
  await step(async () => (await angle('Gantry'))?.look?.vignette)
  await page.getByText('Framing', { exact: true }).click()
  await page.getByRole('button', { name: 'Second framing' }).click()
  await step(() => angle('Gantry close'))
  await page.getByRole('spinbutton', { name: 'size of Gantry close, %' }).fill('160')
  await page.getByRole('spinbutton', { name: 'size of Gantry close, %' }).press('Enter')
  await step(async () => (await angle('Gantry close'))?.cutout?.scale === 1.6)

  await page.goto(`${chart.server.url}/${chart.id}/switch`)
  const head = (name: string) => page.getByRole('button', { name: new RegExp(`^cut to ${name} at`) })
  await expect(head('Roof')).toBeVisible()
  // The matched camera comes in at 2 s, by its key.
  await goTo(page, 50)
  await page.keyboard.press('4')
  await step(() => head('Stalls').isVisible())

  await head('Stalls').click()
  await head('Aisle').click({ modifiers: ['Shift'] })
  await head('Roof').click({ modifiers: ['Shift'] })
  await page.getByRole('button', { name: /gives way/ }).click()
  await page.getByText('dissolve', { exact: true }).click()
  await step(async () => (await transitions()) === 3)
  await page.keyboard.press('Escape')
  await page.keyboard.press('Escape')

  await chooseRange(page, 2.6, 3.6)
  await pick(page, 'Show an angle small over this range', 'Tram')
  await step(async () => (await kinds()).includes('inset'))
  await page.getByRole('button', { name: 'Done' }).click()

  await chooseRange(page, 6.4, 7.6)
  await pick(page, 'Show an angle behind a keyed picture', 'Gantry')
  await step(async () => (await kinds()).includes('background'))
  await page.getByRole('button', { name: 'Done' }).click()

  await chooseRange(page, 0.6, 1.6)
  await page.getByRole('button', { name: 'Title', exact: true }).click()
  await step(async () => (await kinds()).includes('title'))
  await page.getByRole('button', { name: 'Done' }).click()

  await page.getByRole('button', { name: 'To look at' }).click()
  await page.getByRole('spinbutton', { name: 'and goes into black in, frames' }).fill('15')
  await page.getByRole('spinbutton', { name: 'and goes into black in, frames' }).press('Enter')
  await step(async () => (await cut()).fadeOut)
  await page.getByRole('button', { name: 'To look at' }).click()

  const after = await made()
  const film = await chart.film()
  for (const frame of [5, 25, 45, 50, 55, 75, 96, 103, 130, 147, 150, 156, 170, 188, 195]) await likeFilm(page, film, frame, 2)

  for (let i = 0; i < steps; i++) await page.keyboard.press('Control+z')
  await expect.poll(made).toEqual(before)
  for (let i = 0; i < steps; i++) await page.keyboard.press('Control+Shift+z')
  await expect.poll(made).toEqual(after)
  expect(await chart.film()).not.toBe(film)
  await likeFilm(page, film, 103, 2)
  expect((await cut()).fadeOut).toBe((15 * SECOND) / 25)
})
