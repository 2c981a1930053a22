import { expect, type Page, test } from '@playwright/test'
import { numberedProject, toldCuts } from './numbered.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000

let server: TestServer
let id: string

test.beforeEach(async () => {
  ;({ server, id } = await numberedProject('One hand'))
  const beats = Array.from({ length: 76 }, (_, i) => i * (SECOND / 2))
  const downbeats = beats.flatMap((_, i) => (i % 4 === 0 ? [i] : []))
  await server.api(`/projects/${id}/edits?label=set`, {
    edits: [
      { type: 'settings', change: { magnet: 'beat' } },
      { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats } },
    ],
  })
})
test.afterEach(() => server?.kill())

const told = () => toldCuts(server, id)
const sounds = (page: Page) => page.evaluate(() => window.pendolo.health().soundSeconds)
const at = (page: Page, seconds: number) => expect.poll(() => sounds(page), { intervals: [10] }).toBeGreaterThan(seconds)
const film = async () => (await server.project<{ doc: { cuts: { pieces: { from: number | null; to: number | null }[] }[] } }>(id)).doc.cuts[0].pieces

test('by the mouse alone: a project is opened, played and cut on its tiles, corrected, trimmed, a middle left out, undone and handed over', async ({
  page,
}) => {
  await page.goto(server.url)
  await page.getByRole('link', { name: /One hand/ }).click()
  await page.getByRole('link', { name: 'Switch' }).click()
  await expect.poll(() => page.evaluate(() => Object.values(window.pendolo.health().shown).some((s) => s.frame !== null))).toBe(true)
  // Played, and cut as it plays; with two seconds between one cut and the next: a busy machine presses late.
  await page.getByRole('button', { name: 'Play' }).click()
  for (const [seconds, tile] of [
    [0.55, 'Angle 1, Cam a'],
    [2.55, 'Angle 2, Cam b'],
    [4.55, 'Angle 3, Cam c'],
  ] as const) {
    await at(page, seconds)
    await page.getByRole('button', { name: tile }).click()
  }
  await at(page, 5.5)
  await page.getByRole('button', { name: 'Stop' }).click()
  await expect.poll(told).toMatch(/^\S+a \S+b \S+c$/)
  const cut = async (n: number) => Number.parseFloat((await told()).split(' ')[n])
  // A note-head is dragged half a second on, to the next beat but the magnet's.
  const score = page.getByRole('group', { name: 'Score' })
  const box = await score.boundingBox()
  if (!box) throw new Error('no score')
  const head = page.getByRole('button', { name: /^cut to Cam b/ })
  const second = (box.width - 150) / 24
  // The master's beginning is at the left edge, and stays there as long as it is seen.
  const x = (seconds: number) => box.x + 150 + seconds * second
  /** The middle of the note-head, once it is drawn where its cut is. */
  const centre = async () => {
    let found = { x: 0, y: 0 }
    await expect
      .poll(async () => {
        const h = await head.boundingBox().catch(() => null)
        const last = found
        if (h) found = { x: h.x + h.width / 2, y: h.y + h.height / 2 }
        // It stands, and does not only come by.
        return Math.abs(found.x - x(await cut(1))) + 10 * Math.abs(found.x - last.x)
      })
      .toBeLessThan(3)
    return found
  }
  const [before, from] = [await cut(1), await centre()]
  await page.mouse.move(from.x, from.y)
  await page.mouse.down()
  await page.mouse.move(from.x + 0.5 * second, from.y, { steps: 6 })
  await page.mouse.up()
  // On the frame that is nearest to the beat.
  await expect.poll(async () => Math.abs((await cut(1)) - before - 0.5)).toBeLessThan(0.021)
  // Pressed: it is chosen, and another angle given to it.
  const there = await centre()
  await page.mouse.click(there.x, there.y)
  await page.getByRole('combobox', { name: 'Give another angle' }).click()
  await page.locator('.ant-select-dropdown:visible').getByText('Cam a', { exact: true }).click()
  await expect.poll(told).toMatch(/^\S+a \S+c$/)
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect.poll(told).toMatch(/^\S+a \S+b \S+c$/)
  // A drag over the ruler is a range: its cuts are repeated elsewhere, and it is left out of the film.
  const begins = await cut(0)
  await page.mouse.move(x(begins - 0.2), box.y + 8)
  await page.mouse.down()
  await page.mouse.move(x(7), box.y + 8, { steps: 6 })
  await page.mouse.up()
  const tools = page.getByRole('toolbar', { name: 'Chosen range' })
  await expect(tools).toBeVisible()
  await page.mouse.click(x(10), box.y + 80)
  await tools.getByRole('button', { name: 'Repeat at the playhead' }).click()
  await expect.poll(async () => (await told()).split(' ').length).toBeGreaterThanOrEqual(6)
  await tools.getByRole('button', { name: 'Leave out of the film' }).click()
  await expect.poll(async () => (await film()).length).toBe(2)
  // Where the film begins and ends is dragged too.
  const end = page.getByRole('button', { name: /^The film ends at/ })
  await score.hover()
  for (let n = 0; n < 6; n++) await page.mouse.wheel(0, 300)
  const bracket = await end.boundingBox()
  if (!bracket) throw new Error('no end of the film')
  await page.mouse.move(bracket.x + bracket.width / 2, bracket.y + 10)
  await page.mouse.down()
  await page.mouse.move(bracket.x - 60, bracket.y + 10, { steps: 5 })
  await page.mouse.up()
  await expect.poll(async () => (await film()).at(-1)?.to ?? null).not.toBeNull()
  await page.getByRole('link', { name: 'Hand over' }).click()
  await expect(page.getByRole('button', { name: /film/i }).first()).toBeVisible()
})

test('by the keyboard alone: a project is opened, played and cut, its cuts gone through, chosen, moved, split and joined, a range painted, left out and looped', async ({
  page,
}) => {
  const focused = () =>
    page.evaluate(() => {
      const { activeElement: at } = document
      return at === null || at === document.body ? '' : (at.getAttribute('aria-label') ?? at.textContent ?? '')
    })
  const tabTo = async (name: RegExp) => {
    for (let n = 0; n < 120; n++) {
      if (name.test(await focused())) return
      await page.keyboard.press('Tab')
    }
    throw new Error(`the keyboard does not come to ${name}`)
  }
  await page.goto(server.url)
  await expect(page.getByRole('link', { name: /One hand/ })).toBeVisible()
  await tabTo(/One hand/)
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(new RegExp(id))
  await tabTo(/^4?\s*Switch$/)
  await page.keyboard.press('Enter')
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
  await expect.poll(() => page.evaluate(() => Object.values(window.pendolo.health().shown).some((s) => s.frame !== null))).toBe(true)
  await page.keyboard.press('Escape')
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur())
  await page.keyboard.press('Space')
  for (const [seconds, key] of [
    [1.05, '1'],
    [2.05, '2'],
    [4.05, '3'],
  ] as const) {
    await at(page, seconds)
    await page.keyboard.press(key)
  }
  await at(page, 5)
  await page.keyboard.press('k')
  await expect.poll(told).toMatch(/^\S+a \S+b \S+c$/)
  const cuts = async () => (await told()).split(' ').map((c) => Number.parseFloat(c))
  const first = await cuts()
  // The second cut is the nearest; it goes two frames on and to the next beat, the last one away.
  await page.keyboard.press('ArrowUp')
  await page.keyboard.press('ArrowUp')
  await page.keyboard.press(']')
  await page.keyboard.press(']')
  await expect.poll(async () => (await cuts())[1]).toBeCloseTo(first[1] + 0.08, 3)
  await page.keyboard.press('Shift+BracketRight')
  await expect.poll(async () => Math.abs((await cuts())[1] - first[1] - 0.5)).toBeLessThan(0.021)
  // Two cuts are chosen through the list and moved together.
  await tabTo(/^cut to Cam b/)
  await page.keyboard.press('Space')
  await tabTo(/^cut to Cam c/)
  await page.keyboard.press('Space')
  await expect(page.getByText('2 cuts')).toBeVisible()
  await page.keyboard.press(']')
  await expect.poll(async () => (await cuts())[2]).toBeCloseTo(first[2] + 0.04, 3)
  await page.keyboard.press('Escape')
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur())
  // Split where it stands, and joined again.
  for (let s = 0; s < 4; s++) await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('s')
  await expect.poll(told).toMatch(/c!$/)
  await page.keyboard.press('Backspace')
  await expect.poll(told).not.toMatch(/!/)
  // A range by its keys, an angle shown in it, then left out of the film.
  await page.keyboard.press(',')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('.')
  await tabTo(/^Show an angle in this range/)
  await page.keyboard.press('Enter')
  await expect(page.locator('.ant-select-dropdown:visible')).toBeVisible()
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('Enter')
  await expect.poll(async () => (await told()).split(' ').length).toBe(5)
  await page.keyboard.press('Escape')
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur())
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await told()).split(' ').length).toBe(3)
})
