import { expect, type Page, test } from '@playwright/test'
import { apart, Chart, type ChartDoc, COLUMNS, type Colour, drawn, FRAME, filmed, goTo, patches, ROWS, SECOND } from './chart.ts'

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
  await look.getByRole('switch', { name: 'vignette is on' }).click()
  await look.getByRole('spinbutton', { name: 'vignette of Gantry: dark, %' }).fill('70')
  await look.getByRole('spinbutton', { name: 'vignette of Gantry: dark, %' }).press('Enter')
  const made = { exposure: 0.5, warmth: 0.3, contrast: 1.15, saturation: 1.3, vignette: { amount: 0.7, x: 0.5, y: 0.5, size: 0.45, soft: 0.7 } }
  await expect.poll(() => lookOf('Gantry')).toEqual(made)
  await expect.poll(async () => unlike(await seen(page), before).mean).toBeGreaterThan(8)
  const file = await chart.film()
  const film = patches(filmed(file, 25), FRAME)
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
  expect(unlike(patches(filmed(file, 125), FRAME), before).mean).toBeLessThanOrEqual(1.5)

  // Held, it is as it was recorded; let go, corrected again.
  await page.keyboard.down('w')
  await expect.poll(async () => unlike(await seen(page), before).most).toBeLessThanOrEqual(1)
  await page.keyboard.up('w')
  await expect.poll(async () => unlike(await seen(page), after).most).toBeLessThanOrEqual(1)

  await look.getByRole('button', { name: 'Give to ▾' }).click()
  await page.locator('.ant-dropdown:visible').getByText('Aisle').click()
  await expect.poll(() => lookOf('Aisle')).toEqual(made)
  await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Aisle')).toBeUndefined()
  await look.getByRole('button', { name: 'As recorded' }).click()
  await expect.poll(() => lookOf('Gantry')).toBeUndefined()
  await expect.poll(async () => unlike(await seen(page), before).most).toBeLessThanOrEqual(1)
})

test('a curve is bent by a press and a drag, seen as it is dragged, and undone as one step; a point goes by Delete, another curve is its own', async ({
  page,
}) => {
  await page.goto(`${chart.server.url}/${chart.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Gantry/ }).click()
  await page.getByText('Curves', { exact: true }).click()
  await expect.poll(async () => (await seen(page))[10][0]).toBeGreaterThan(20)
  const before = await seen(page)
  const brighter = async () => (await seen(page)).reduce((sum, c, i) => sum + c[0] - before[i][0], 0) / before.length
  const curves = async () => (await lookOf('Gantry'))?.curves as Record<string, [number, number][]> | undefined
  const plot = page.getByRole('group', { name: 'Curve of all colours' })
  const box = (await plot.boundingBox()) as { x: number; y: number; width: number; height: number }
  const at = (x: number, y: number) => [box.x + x * box.width, box.y + (1 - y) * box.height] as const
  await page.mouse.move(...at(0.5, 0.5))
  await page.mouse.down()
  for (let n = 1; n <= 12; n++) await page.mouse.move(...at(0.5, 0.5 + 0.02 * n))
  await expect.poll(brighter).toBeGreaterThan(15)
  await page.mouse.move(...at(0.5, 0.7))
  await page.mouse.up()
  await expect.poll(async () => (await curves())?.all?.length).toBe(3)
  await expect.poll(async () => (await curves())?.all[1][1]).toBeCloseTo(0.7, 1)
  await expect(plot.getByRole('slider', { name: 'Point 2 of 3' })).toHaveAttribute('aria-valuenow', '70')
  await page.keyboard.press('Control+z')
  await expect.poll(curves).toBeUndefined()
  await expect(plot.getByRole('slider')).toHaveCount(2)
  await expect.poll(async () => Math.abs(await brighter())).toBeLessThan(0.5)
  await page.keyboard.press('Control+Shift+z')
  await expect(plot.getByRole('slider')).toHaveCount(3)

  await page.getByRole('radiogroup', { name: 'Which curve' }).getByText('red', { exact: true }).click()
  const red = page.getByRole('group', { name: 'Curve of red' })
  await expect(red.getByRole('slider')).toHaveCount(2)
  await red.getByRole('slider', { name: 'Point 2 of 2' }).press('ArrowDown')
  await expect
    .poll(async () => (await curves())?.red)
    .toEqual([
      [0, 0],
      [1, 0.99],
    ])
  await page.getByRole('radiogroup', { name: 'Which curve' }).getByText('all', { exact: true }).click()
  await plot.getByRole('slider', { name: 'Point 2 of 3' }).press('Delete')
  await expect.poll(async () => Object.keys((await curves()) ?? {})).toEqual(['red'])
  for (const _ of ['bent', 'red', 'taken away']) await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Gantry')).toBeUndefined()
})

test('a colour that is grey in truth is picked and becomes grey; a table is read from a .cube file, what is none is refused in words', async ({ page }) => {
  await page.goto(`${chart.server.url}/${chart.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Stalls/ }).click()
  await expect.poll(async () => (await seen(page))[10][0]).toBeGreaterThan(20)
  const patch = 29
  const spread = async () => {
    const colour = (await seen(page))[patch]
    return Math.max(...colour) - Math.min(...colour)
  }
  expect(await spread()).toBeGreaterThan(25)
  const recorded = await seen(page)
  await page.getByRole('button', { name: 'Pick a grey' }).click()
  const picture = page.getByRole('dialog', { name: 'Take a colour from the picture' }).getByRole('img')
  const [x, y] = [((patch % COLUMNS) + 0.5) / COLUMNS, (Math.floor(patch / COLUMNS) + 0.5) / ROWS]
  await expect
    .poll(() => picture.evaluate((c, at) => (c as HTMLCanvasElement).getContext('2d')?.getImageData(at[0] * 384, at[1] * 216, 1, 1).data[0] ?? 0, [x, y]))
    .toBeGreaterThan(60)
  const box = (await picture.boundingBox()) as { width: number; height: number }
  await picture.click({ position: { x: x * box.width, y: y * box.height } })
  await expect.poll(spread).toBeLessThanOrEqual(6)
  expect(Object.keys((await lookOf('Stalls')) ?? {}).sort()).toEqual(['tint', 'warmth'])
  await page.keyboard.press('Control+z')
  await expect.poll(() => lookOf('Stalls')).toBeUndefined()

  // A table that swaps red and blue.
  const cube = ['TITLE "Swapped"', 'LUT_3D_SIZE 2', ...Array.from({ length: 8 }, (_, n) => `${(n >> 2) & 1} ${(n >> 1) & 1} ${n & 1}`)].join('\n')
  const read = (name: string, text: string) =>
    page.locator('.looks input[type="file"]').setInputFiles({ name, mimeType: 'text/plain', buffer: Buffer.from(text) })
  await read('stock.cube', cube)
  await expect.poll(async () => ((await lookOf('Stalls')) as { input?: { name: string } } | undefined)?.input?.name).toBe('Swapped')
  await expect.poll(async () => Math.max(...(await seen(page)).map((c, i) => Math.abs(c[0] - recorded[i][2])))).toBeLessThanOrEqual(8)
  await read('broken.cube', cube.replace('LUT_3D_SIZE 2', 'LUT_3D_SIZE 3'))
  await expect(page.getByText('It has 8 colours where its size asks for 27; it may be cut short, copy it again.')).toBeVisible()
  // After a reload it is there again, fetched by the picture's own worker.
  await page.reload()
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Stalls/ }).click()
  await expect.poll(async () => Math.max(...(await seen(page)).map((c, i) => Math.abs(c[0] - recorded[i][2])))).toBeLessThanOrEqual(8)
  await page.getByRole('combobox', { name: 'Table that pictures of Stalls go through first' }).click()
  await page.locator('.ant-select-item-option').getByText('none', { exact: true }).click()
  await expect.poll(() => lookOf('Stalls')).toBeUndefined()
})

test('one take of an angle is corrected alone, wherever it is seen, in page and film', async ({ page }) => {
  const own = await chart.copy()
  const { activeCutId: cutId, angles, clips } = await own.doc()
  const angle = (name: string) => angles.find((a) => a.name === name) as ChartDoc['angles'][number]
  const clipOf = (name: string) => Object.values(clips).find((c) => c.angleId === angle(name).id)?.id as string
  const [first, second] = [clipOf('Gantry'), clipOf('Aisle')]
  const angleId = angle('Gantry').id
  await own.edit(
    { type: 'moveClips', clipIds: [second], angle: { id: angleId } },
    { type: 'choose', cutId, time: 0, choice: { angleId, clipId: first } },
    { type: 'choose', cutId, time: 4 * SECOND, choice: { angleId, clipId: second } },
  )
  await page.goto(`${own.server.url}/${own.id}/balance`)
  await page.getByText('Picture', { exact: true }).click()
  await page.getByRole('button', { name: /^Gantry/ }).click()
  await goTo(page, 125)
  await page.getByRole('button', { name: '+ only this clip' }).click()
  const exceptions = async () => Object.values((await own.doc()).exceptions)
  await expect.poll(async () => (await exceptions()).map((e) => (e as { clipId?: string }).clipId)).toEqual([second])
  const exposure = page.getByRole('region', { name: 'Look of Gantry' }).getByRole('spinbutton', { name: 'exposure of Gantry, stops' })
  await exposure.fill('-1')
  await exposure.press('Enter')
  await expect.poll(async () => (await exceptions())[0].look).toEqual({ exposure: -1 })

  const file = await own.film()
  const [recorded, darker] = [25, 125].map((frame) => patches(filmed(file, frame), FRAME))
  expect(unlike(recorded, darker).mean).toBeGreaterThan(20)
  for (const [frame, film] of [
    [125, darker],
    [25, recorded],
  ] as const) {
    await goTo(page, frame)
    await expect.poll(async () => unlike(await seen(page), film).mean, { message: `frame ${frame}` }).toBeLessThanOrEqual(1.5)
  }
  await page.getByRole('button', { name: 'See aisle.mp4 as all of it' }).click()
  await expect.poll(exceptions).toEqual([])
  await goTo(page, 125)
  await expect.poll(async () => unlike(await seen(page), recorded).mean).toBeLessThanOrEqual(1.5)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => unlike(await seen(page), darker).mean).toBeLessThanOrEqual(1.5)
})
