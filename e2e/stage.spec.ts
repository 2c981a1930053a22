import { expect, type Locator, type Page, test } from '@playwright/test'
import { numberedProject, openSwitch } from './numbered.ts'
import type { TestServer } from './server.ts'

let server: TestServer
let id: string

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Stage'))
})
test.afterAll(() => server?.kill())

const open = (page: Page) => openSwitch(page, server, id)
const programme = (page: Page) => page.getByRole('img', { name: 'Programme', exact: true })
const size = async (of: Locator) => {
  const box = await of.boundingBox()
  if (!box) throw new Error('it is not seen')
  return box
}
/** Whether a canvas shows something else than one colour. */
const drawn = async (page: Page, of: Locator) => {
  const bytes = await of.screenshot()
  const url = `data:image/png;base64,${bytes.toString('base64')}`
  return page.evaluate(async (source) => {
    const image = new Image()
    image.src = source
    await image.decode()
    const canvas = document.createElement('canvas')
    canvas.width = image.width
    canvas.height = image.height
    const ctx = canvas.getContext('2d') as CanvasRenderingContext2D
    ctx.drawImage(image, 0, 0)
    const { data } = ctx.getImageData(0, 0, canvas.width, canvas.height)
    const seen = new Set<number>()
    for (let i = 0; i < data.length; i += 400) seen.add(data[i] >> 5)
    return seen.size > 2
  }, url)
}

test('the lines between stage and score, programme and angles are dragged, moved by arrows, kept over a reload and given back', async ({ page }) => {
  await open(page)
  const line = page.getByRole('separator', { name: 'Height of the stage' })
  const before = await size(programme(page))
  const at = await size(line)
  await page.mouse.move(at.x + 300, at.y + 3)
  await page.mouse.down()
  await page.mouse.move(at.x + 300, at.y + 153, { steps: 5 })
  await page.mouse.up()
  const taller = await size(line)
  expect(taller.y - at.y).toBeGreaterThan(130)
  expect((await size(programme(page))).height).toBeGreaterThan(before.height + 60)
  await line.focus()
  await page.keyboard.press('ArrowUp')
  await expect.poll(async () => (await size(line)).y).toBeLessThan(taller.y - 8)
  await page.reload()
  await expect(line).toBeVisible()
  expect(Math.abs((await size(line)).y - taller.y + 15)).toBeLessThan(12)
  await line.dblclick()
  await expect.poll(async () => Math.round((await size(line)).y / 10)).toBe(Math.round(at.y / 10))

  const side = page.getByRole('separator', { name: 'Room for large pictures' })
  const wide = await size(programme(page))
  const edge = await size(side)
  await page.mouse.move(edge.x + 3, edge.y + 60)
  await page.mouse.down()
  await page.mouse.move(edge.x - 97, edge.y + 60, { steps: 5 })
  await page.mouse.up()
  await expect.poll(async () => (await size(programme(page))).width).toBeLessThan(wide.width - 60)
  await side.dblclick()
  await expect.poll(async () => Math.round((await size(programme(page))).width)).toBe(Math.round(wide.width))
})

test('an angle is hidden and brought back, kept beside the programme, and looked at closely while a key is held', async ({ page }) => {
  await open(page)
  const tile = page.getByRole('button', { name: 'Angle 2, Cam b' })
  await tile.hover()
  await page.getByRole('button', { name: 'More for Cam b' }).click()
  await page.getByText('hide on the wall').click()
  await expect(tile).toBeHidden()
  // Its key cuts all the same.
  await page.keyboard.press('2')
  await expect.poll(() => page.evaluate(() => window.pendolo.health().programme.standIn)).toBe(false)
  await page.getByRole('button', { name: '1 hidden' }).click()
  await page.getByText('show Cam b again').click()
  await expect(tile).toBeVisible()

  await page.getByRole('button', { name: 'Angle 3, Cam c' }).click({ button: 'right' })
  await page.getByText('keep beside the programme').click()
  const kept = page.getByRole('img', { name: 'Kept beside the programme: Cam c' })
  await expect(kept).toBeVisible()
  expect(Math.round((await size(kept)).width)).toBe(Math.round((await size(programme(page))).width))
  await page.reload()
  await expect(kept).toBeVisible()
  await page.getByRole('button', { name: 'Angle 3, Cam c' }).click({ button: 'right' })
  await page.getByText('no longer beside the programme').click()
  await expect(kept).toBeHidden()

  await tile.hover()
  await page.keyboard.down('z')
  const large = page.getByRole('img', { name: 'Enlarged: Cam b' })
  await expect(large).toBeVisible()
  expect((await size(large)).width).toBeGreaterThan((await size(tile)).width * 1.2)
  await page.keyboard.up('z')
  await expect(large).toBeHidden()
})

test('the programme alone, the angles alone, all of the screen; a second window shows the stage and takes keys', async ({ page, context }) => {
  await open(page)
  for (let s = 0; s < 8; s++) await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('1')
  await page.keyboard.press('Shift+F')
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeHidden()
  await expect(programme(page)).toBeVisible()
  await page.keyboard.press('Shift+F')
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
  await expect(programme(page)).toBeHidden()
  await page.keyboard.press('Shift+F')
  await page.keyboard.press('f')
  await expect.poll(() => page.evaluate(() => document.fullscreenElement !== null)).toBe(true)
  await page.keyboard.press('f')
  await expect.poll(() => page.evaluate(() => document.fullscreenElement)).toBeNull()

  await page.getByRole('button', { name: 'What the stage shows' }).click()
  const opened = context.waitForEvent('page')
  await page.getByText('in a second window too').click()
  const other = await opened
  await expect(other.getByRole('img', { name: 'Programme', exact: true })).toBeVisible()
  await expect.poll(() => drawn(page, other.getByRole('img', { name: 'Programme', exact: true })), { timeout: 15_000 }).toBe(true)
  await expect(other.getByText('1 Cam a')).toBeVisible()
  // A key pressed there cuts here, a tile pressed there too; both windows show the same.
  await other.keyboard.press('3')
  await expect.poll(() => page.evaluate(() => window.pendolo.health().programme.angleId)).not.toBeNull()
  await expect(other.getByText('3 Cam c')).toBeVisible()
  await other.getByRole('button', { name: 'Angle 2, Cam b' }).click()
  await expect(other.getByText('2 Cam b')).toBeVisible()
  await expect(page.getByText('2 Cam b')).toBeVisible()
  await other.close()
  await page.getByRole('button', { name: 'What the stage shows' }).click()
  await expect(page.getByText('in a second window too')).toBeVisible()
})

test('before a camera goes dark its tile counts down, and the tiles stay where they are while it plays', async ({ page }) => {
  await open(page)
  // Camera c has pictures from 5.25 to 35.25 s of the master.
  await page.keyboard.press('Home')
  for (let s = 0; s < 30; s++) await page.keyboard.press('Shift+ArrowRight')
  const tiles = async () =>
    Promise.all([1, 2, 3].map(async (n) => Object.values(await size(page.getByRole('button', { name: `Angle ${n},` }))).map(Math.round)))
  const before = await tiles()
  await page.keyboard.press('Space')
  await expect(page.getByText(/^dark in [1-5]$/).first()).toBeVisible({ timeout: 8000 })
  expect(await tiles()).toEqual(before)
  await page.keyboard.press('Space')
})
