import { expect, type Page, test } from '@playwright/test'
import { numberedProject, openSwitch, toldCuts } from './numbered.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000

interface State {
  doc: { cuts: { id: string; points: { time: number; angleId: string; split?: true }[] }[]; activeCutId: string; angles: { id: string; name: string }[] }
}

let server: TestServer
let id: string
let count = 0

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('At rest'))
  const beats = Array.from({ length: 80 }, (_, i) => i * (SECOND / 2))
  await edit(
    { type: 'settings', change: { rate: '25/1', magnet: 'beat' } },
    { type: 'setPulse', pulse: { tempoBpm: 120, metre: 4, confidence: 1, beats, downbeats: beats.flatMap((_, i) => (i % 4 === 0 ? [i] : [])) } },
  )
})
test.afterAll(() => server?.kill())

const edit = (...edits: object[]) => server.api(`/projects/${id}/edits?label=set`, { edits })

/** A new version with such cuts: "2a 5b" is camera a from 2 s on, b from 5 s. */
async function open(page: Page, text: string): Promise<void> {
  const { doc } = await server.project<State>(id)
  const angle = (letter: string) => doc.angles.find((a) => a.name === `Cam ${letter}`)?.id as string
  const cutId = `v${++count}`
  const chosen = [...text.matchAll(/([\d.]+)([abc])/g)]
  await edit(
    { type: 'addCut', cutId, name: cutId, from: null },
    ...chosen.map(([, at, letter]) => ({ type: 'choose', cutId, time: Number(at) * SECOND, choice: { angleId: angle(letter) } })),
  )
  await openSwitch(page, server, id)
}
const told = () => toldCuts(server, id)
const head = (page: Page, name: RegExp) => page.getByRole('button', { name })
async function go(page: Page, seconds: number): Promise<void> {
  await page.keyboard.press('Home')
  for (let s = 0; s < seconds; s++) await page.keyboard.press('Shift+ArrowRight')
  await expect(page.getByTestId('timecode')).toHaveText(`00:00:${String(seconds).padStart(2, '0')}:00`)
}
/** Chooses a range by its keys. */
async function range(page: Page, from: number, to: number): Promise<void> {
  await go(page, from)
  await page.keyboard.press(',')
  for (let s = from; s < to; s++) await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('.')
}

test('one stretch: chosen by a click, split, slid by a frame and by a beat, joined; by mouse and by keys', async ({ page }) => {
  await open(page, '2a 6b 12c 20a')
  await head(page, /^cut to Cam b at/).click()
  const bar = page.getByRole('toolbar', { name: 'Chosen cuts' })
  await expect(bar).toContainText('Cam b')
  await bar.getByRole('button', { name: 'Slide a frame later' }).click()
  await expect.poll(told).toBe('2a 6.04b 12.04c 20a')
  await bar.getByRole('button', { name: 'Slide a beat later' }).click()
  await expect.poll(told).toBe('2a 6.52b 12.52c 20a')
  await bar.getByRole('button', { name: 'Slide a beat earlier' }).click()
  await expect.poll(told).toBe('2a 6b 12c 20a')
  await page.keyboard.press('Escape')
  await expect(bar).toBeHidden()
  await go(page, 9)
  await page.keyboard.press('s')
  await expect.poll(told).toBe('2a 6b 9b! 12c 20a')
  // The new cut is chosen: it alone gets another angle, and is moved.
  await expect(bar).toContainText('Cam b')
  await page.keyboard.press('Shift+3')
  await expect.poll(told).toBe('2a 6b 9c! 20a')
  await page.keyboard.press('[')
  await expect.poll(told).toBe('2a 6b 8.96c! 20a')
  await expect(head(page, /^cut to Cam c at .*:08:24/)).toHaveAttribute('aria-pressed', 'true')
  await page.keyboard.press('Backspace')
  await expect.poll(told).toBe('2a 6b 20a')
  for (let n = 0; n < 4; n++) await page.keyboard.press('Control+z')
  await expect.poll(told).toBe('2a 6b 12c 20a')
})

test('several stretches: chosen with Ctrl and Shift, swapped, moved together, given another angle, joined', async ({ page }) => {
  await open(page, '2a 6b 12c 16a 20b')
  await head(page, /^cut to Cam b at .*:06:/).click()
  await head(page, /^cut to Cam c at/).click({ modifiers: ['Control'] })
  const bar = page.getByRole('toolbar', { name: 'Chosen cuts' })
  await expect(bar).toContainText('2 stretches')
  await bar.getByRole('button', { name: 'Swap' }).click()
  await expect.poll(told).toBe('2a 6c 12b 16a 20b')
  await page.keyboard.press(']')
  await expect.poll(told).toBe('2a 6.04c 12.04b 16a 20b')
  await head(page, /^cut to Cam b at .*:20:/).click({ modifiers: ['Shift'] })
  await expect(bar).toContainText('4 stretches')
  await bar.getByLabel('Give another angle').click()
  await page.locator('.ant-select-dropdown:visible').getByTitle('Cam a').click()
  await expect.poll(told).toBe('2a')
  await page.keyboard.press('Control+z')
  await expect.poll(told).toBe('2a 6.04c 12.04b 16a 20b')
  // Through the keyboard alone: a cut has the focus, Space chooses it.
  await head(page, /^cut to Cam c at/).focus()
  await page.keyboard.press('Escape')
  await page.keyboard.press(' ')
  await expect(bar).toContainText('Cam c')
  expect(await page.evaluate(() => window.pendolo.health().playing)).toBe(false)
  await bar.getByRole('button', { name: 'Join' }).click()
  await expect.poll(told).toBe('2a 12.04b 16a 20b')
})

test('over a range: angles take turns by beats, one gives way to another, another version is taken over, cuts are repeated by the bar', async ({ page }) => {
  await open(page, '0a')
  await range(page, 4, 8)
  const bar = page.getByRole('toolbar', { name: 'Chosen range' })
  await bar.getByRole('button', { name: 'Take turns' }).click()
  await page.getByLabel('Every', { exact: true }).fill('2')
  await page.getByRole('button', { name: /stretches by turns/ }).click()
  await expect.poll(told).toBe('0a 5b 6a 7b 8a')
  await bar.getByRole('button', { name: 'Replace' }).click()
  await page.getByLabel('Angle that gives way').click()
  await page.locator('.ant-select-dropdown:visible').getByTitle('Cam b').click()
  await page.getByLabel('Angle in its place').click()
  await page.locator('.ant-select-dropdown:visible').getByTitle('Cam c').click()
  await expect.poll(told).toBe('0a 5c 6a 7c 8a')
  await page.keyboard.press('Escape')
  await range(page, 4, 8)
  await page.keyboard.press('Control+c')
  await expect(page.getByText(/^The cuts of this range are copied/)).toBeVisible()
  await go(page, 12)
  await page.keyboard.press('Control+v')
  await expect.poll(told).toBe('0a 5c 6a 7c 8a 13c 14a 15c 16a')
  // Half a bar beside the beat it still falls on the beats.
  await go(page, 20)
  for (let n = 0; n < 3; n++) await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Control+v')
  await expect.poll(told).toBe('0a 5c 6a 7c 8a 13c 14a 15c 16a 21c 22a 23c 24a')
  const before = await told()
  await open(page, '0b')
  await range(page, 5, 16)
  await bar.getByLabel('Take over from version').click()
  await page
    .locator('.ant-select-dropdown:visible')
    .getByTitle(`v${count - 1}`)
    .click()
  await expect.poll(told).toBe('0b 5c 6a 7c 8a 13c 14a 15c 16b')
  expect(before).toContain('21c')
})

test('a cut that is dragged shows both sides where it would land', async ({ page }) => {
  await open(page, '2a 10b 20c')
  const box = await head(page, /^cut to Cam b at/).boundingBox()
  if (!box) throw new Error('no note-head')
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
  await page.mouse.down()
  await page.mouse.move(box.x + 60, box.y + box.height / 2, { steps: 6 })
  const both = page.getByRole('group', { name: 'Both sides of the cut' })
  await expect(both).toContainText('Cam a')
  await expect(both).toContainText('Cam b')
  await expect
    .poll(() => page.evaluate(() => Object.entries(window.pendolo.health().shown).filter(([key, s]) => key.startsWith('rolling') && s.frame !== null).length))
    .toBe(2)
  await page.mouse.up()
  await expect(both).toBeHidden()
  await expect.poll(told).not.toBe('2a 10b 20c')
})

test('the ends of the film are dragged on the score, moved by arrows, given back; a range is played again and again, a cut is played around', async ({
  page,
}) => {
  await open(page, '2a 10b 20c')
  const keeps = async () => {
    const { doc } = await server.project<{ doc: { cuts: { id: string; pieces: { from: number | null; to: number | null }[] }[]; activeCutId: string } }>(id)
    const [piece] = doc.cuts.find((c) => c.id === doc.activeCutId)?.pieces ?? []
    return [piece.from, piece.to].map((t) => (t === null ? null : Number((t / SECOND).toFixed(2))))
  }
  const begins = page.getByRole('button', { name: /^The film begins at/ })
  const box = await begins.boundingBox()
  if (!box) throw new Error('the film has no beginning')
  await page.mouse.move(box.x + 4, box.y + 20)
  await page.mouse.down()
  await page.mouse.move(box.x + 94, box.y + 20, { steps: 5 })
  await page.mouse.up()
  await expect.poll(async () => (await keeps())[0]).toBeGreaterThan(1.5)
  const [from] = await keeps()
  await begins.focus()
  await page.keyboard.press('ArrowRight')
  await expect.poll(async () => Math.round(((await keeps())[0] ?? 0) * 25)).toBe(Math.round((from ?? 0) * 25) + 1)
  await begins.dblclick()
  await expect.poll(keeps).toEqual([null, null])

  const sounds = () => page.evaluate(() => window.pendolo.health().soundSeconds)
  await range(page, 5, 7)
  await page.getByRole('button', { name: 'Loop' }).click()
  await expect.poll(sounds, { intervals: [20] }).toBeGreaterThan(6.5)
  await expect.poll(sounds, { intervals: [20] }).toBeLessThan(5.5)
  await expect.poll(sounds, { intervals: [20] }).toBeGreaterThan(6.5)
  expect(await sounds()).toBeLessThan(7.3)
  await page.keyboard.press('Space')
  await page.keyboard.press('Escape')
  await go(page, 9)
  await page.keyboard.press('a')
  await expect.poll(() => page.evaluate(() => window.pendolo.health().playing)).toBe(true)
  expect(await sounds()).toBeGreaterThan(7.5)
  await expect.poll(() => page.evaluate(() => window.pendolo.health().playing), { timeout: 8000 }).toBe(false)
  expect(await sounds()).toBeCloseTo(9, 1)
})

test('a mark is dragged, named anew, moved by arrows and removed on the score', async ({ page }) => {
  await open(page, '2a')
  await edit({ type: 'addMarks', marks: [{ id: `mark-${count}`, time: 5 * SECOND, end: 6 * SECOND, kind: 'part', name: 'Verse', hue: 2 }] })
  const flag = page.getByRole('button', { name: /^mark Verse at .*:05:00$/ })
  const box = await flag.boundingBox()
  if (!box) throw new Error('the mark is not seen')
  await page.mouse.move(box.x + 10, box.y + 8)
  await page.mouse.down()
  await page.mouse.move(box.x + 97, box.y + 8, { steps: 5 })
  await page.mouse.up()
  const mark = async () =>
    (await server.project<{ doc: { marks: { id: string; time: number; end?: number; name: string }[] } }>(id)).doc.marks.find((m) => m.id === `mark-${count}`)
  await expect.poll(async () => ((await mark())?.time ?? 0) / SECOND).toBeGreaterThan(6.5)
  const moved = await mark()
  // A part keeps its length.
  expect(((moved?.end ?? 0) - (moved?.time ?? 0)) / SECOND).toBe(1)
  const now = page.getByRole('button', { name: /^mark Verse at/ })
  await now.focus()
  await page.keyboard.press('ArrowRight')
  await expect.poll(async () => (((await mark())?.time ?? 0) - (moved?.time ?? 0)) / (SECOND / 25)).toBe(1)
  await now.dblclick()
  await page.getByLabel('Name of the mark').fill('Chorus')
  await page.keyboard.press('Enter')
  await expect.poll(async () => (await mark())?.name).toBe('Chorus')
  await page.getByRole('button', { name: /^mark Chorus at/ }).focus()
  await page.keyboard.press('Delete')
  await expect.poll(mark).toBeUndefined()
})

test('keys that follow each other as fast as they can, and a page that is left at once: each does what it says', async ({ page }) => {
  await open(page, '2a 12c')
  await go(page, 6)
  await page.keyboard.press('2')
  await page.reload()
  await expect.poll(told).toBe('2a 6b 12c')
  await expect(head(page, /^cut to Cam b at/)).toBeVisible()
  // All in one go: moved by three frames, on to the next cut and the one behind it, another angle there.
  await go(page, 6)
  await page.evaluate(async () => {
    for (const key of [']', ']', ']', 'ArrowDown', 'ArrowDown', '1']) {
      const code = ({ ']': 'BracketRight', '1': 'Digit1' } as Record<string, string>)[key] ?? key
      for (const type of ['keydown', 'keyup']) document.body.dispatchEvent(new KeyboardEvent(type, { key, code, bubbles: true, cancelable: true }))
      await null
      await null
    }
  })
  await expect.poll(told).toBe('2a 6.12b 12a')
  await page.keyboard.press('Control+z')
  await expect.poll(told).toBe('2a 6.12b 12c')
})

test('while the server cannot be reached edits wait and say so; none is lost, none is made twice', async ({ page, context }) => {
  await open(page, '2a 10b 20c')
  await context.setOffline(true)
  await go(page, 5)
  await page.keyboard.press('3')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('1')
  await page.keyboard.press('Shift+ArrowRight')
  await page.keyboard.press('3')
  await expect(page.getByText(/^\d changes? waits? for the server$/)).toBeVisible()
  await expect(head(page, /^cut to Cam c at .*:05:/)).toHaveCount(1)
  expect(await told()).toBe('2a 10b 20c')
  await context.setOffline(false)
  await expect.poll(told).toBe('2a 5c 6a 7c 10b 20c')
  await expect(page.getByText(/for the server$/)).toBeHidden()

  // The server takes an edit, but its answer gets lost.
  let lost = 0
  await page.route('**/edits*', async (route) => {
    if (lost > 0) return route.continue()
    lost++
    await route.fetch()
    await route.abort('connectionreset')
  })
  await head(page, /^cut to Cam b at .*:10:/).click()
  await page.getByRole('button', { name: 'Slide a frame later' }).click()
  await expect.poll(told).toBe('2a 5c 6a 7c 10.04b 20.04c')
  await page.waitForTimeout(2500)
  expect(lost).toBe(1)
  expect(await told()).toBe('2a 5c 6a 7c 10.04b 20.04c')
  await page.getByRole('button', { name: 'Slide a frame later' }).click()
  await expect.poll(told).toBe('2a 5c 6a 7c 10.08b 20.08c')
})

test('an angle with several takes: its key again, or a press on the tile, goes to the next, and the exchange file uses it', async ({ page }) => {
  const { doc } = await server.project<{
    doc: { clips: Record<string, { angleId: string | null }>; angles: { id: string; name: string }[]; activeCutId: string }
  }>(id)
  const angle = (letter: string) => doc.angles.find((a) => a.name === `Cam ${letter}`)?.id as string
  const clipOf = (letter: string) => Object.keys(doc.clips).find((c) => doc.clips[c].angleId === angle(letter)) as string
  const [one, two] = [clipOf('a'), clipOf('b')]
  await edit({ type: 'moveClips', clipIds: [two], angle: { id: angle('a') } })
  await open(page, '2c')
  await go(page, 8)
  const chosen = async () => {
    const now = await server.project<State>(id)
    return now.doc.cuts.find((c) => c.id === now.doc.activeCutId)?.points.at(-1) as { angleId: string; clipId?: string }
  }
  await page.keyboard.press('1')
  await expect.poll(async () => (await chosen()).angleId).toBe(angle('a'))
  const first = (await chosen()).clipId
  const seen = () => page.evaluate(() => window.pendolo.health().shown.programme?.clipId)
  await expect.poll(async () => [one, two].includes((await seen()) ?? '')).toBe(true)
  const before = await seen()
  await page.keyboard.press('1')
  await expect.poll(async () => (await chosen()).clipId).not.toBe(first)
  await expect.poll(seen).not.toBe(before)
  const other = await seen()
  // The tabs on its tile say which is seen, and choose too.
  const takes = page.getByRole('group', { name: 'Takes' })
  await expect(takes.getByRole('button')).toHaveCount(2)
  const name = await takes.getByRole('button', { pressed: false }).getAttribute('aria-label')
  await takes.getByRole('button', { pressed: false }).click()
  await expect.poll(seen).toBe(before)
  await expect(takes.getByRole('button', { name: name ?? '' })).toHaveAttribute('aria-pressed', 'true')
  await page.keyboard.press('1')
  await expect.poll(seen).toBe(other)
  const edl = await (await fetch(`${server.url}/api/projects/${id}/exchange/edl`)).text()
  expect(edl).toContain(other === two ? 'b.mov' : 'a.mp4')
})
