import { expect, type Page, test } from '@playwright/test'
import { look } from './look.ts'
import { numberedProject, openSwitch } from './numbered.ts'
import { CAMERAS } from './numbers.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000
const [FROM, TO] = [8, 12]

interface Doc {
  angles: { id: string; name: string }[]
  exceptions: Record<string, { pace?: { start: number; end: number } }>
}

let server: TestServer
let id: string
test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Pace'))
  const angleId = (await doc()).angles.find((a) => a.name === 'Cam a')?.id
  await server.api(`/projects/${id}/edits?label=stretch`, {
    edits: [{ type: 'exceptions', exceptions: [{ id: 's', angleId, from: FROM * SECOND, to: TO * SECOND }] }],
  })
})
test.afterAll(() => server.kill())

const doc = async () => (await server.project<{ doc: Doc }>(id)).doc
const pace = async () => (await doc()).exceptions.s.pace

/** Types how fast the pictures of the stretch run, in hundredths. */
async function type(page: Page, side: 'beginning' | 'end', speed: number) {
  const field = page.getByRole('spinbutton', { name: `Speed of the pictures at the ${side} of the stretch, %` })
  await field.fill(String(speed))
  await field.press('Enter')
}

/** Looks at instants within the stretch and around it; in it the picture of another instant is seen. */
async function seen(page: Page, pictured: (along: number) => number) {
  const [camera] = CAMERAS
  await openSwitch(page, server, id)
  for (const at of [7.96, 8, 9.04, 10.52, 11.96, 12]) {
    await page.keyboard.press('Home')
    for (let s = 0; s < Math.floor(at); s++) await page.keyboard.press('Shift+ArrowRight')
    for (let f = 0; f < Math.round((at % 1) * 25); f++) await page.keyboard.press('ArrowRight')
    const instant = at >= FROM && at < TO ? FROM + pictured((at - FROM) / (TO - FROM)) * (TO - FROM) : at
    const wanted = Math.floor((((instant - camera.start) / (1 + camera.drift)) * camera.num) / camera.den + 1e-6)
    await expect.poll(async () => (await look(page, 'Picture of Cam a')).read?.frame, { message: `at ${at} s` }).toBe(wanted)
  }
}

test('pictures of a stretch run slower, stand still, or go from one speed to another; each is that whose time has come, and it is undone', async ({ page }) => {
  await page.goto(`${server.url}/${id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Cam a/ }).click()
  await page.getByRole('button', { name: /^00:00:08:00 – 00:00:12:00$/ }).click()
  await type(page, 'beginning', 50)
  await expect.poll(pace).toEqual({ start: 0.5, end: 0.5 })
  await seen(page, (along) => 0.5 * along)

  await page.goto(`${server.url}/${id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Cam a/ }).click()
  await page.getByRole('button', { name: /^00:00:08:00 – 00:00:12:00$/ }).click()
  await type(page, 'end', 200)
  await expect.poll(pace).toEqual({ start: 0.5, end: 2 })
  await seen(page, (s) => 0.5 * s + 1.5 * (s ** 3 - s ** 4 / 2))

  // What lies between two pictures is one giving way to the other, if that is wished.
  await page.goto(`${server.url}/${id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Cam a/ }).click()
  await page.getByRole('button', { name: /^00:00:08:00 – 00:00:12:00$/ }).click()
  await page.getByText('blend', { exact: true }).click()
  await expect.poll(pace).toEqual({ start: 0.5, end: 2, blends: true })
  await page.keyboard.press('Control+z')
  await expect.poll(pace).toEqual({ start: 0.5, end: 2 })
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await expect.poll(pace).toBeUndefined()
})
