import { existsSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { startDemo } from './demo-home.ts'
import type { TestServer } from './server.ts'

const root = path.dirname(import.meta.dirname)
let home: string
const shots = process.env.PENDOLO_SHOTS === '1'

interface Truth {
  beats: number[]
  clips: { file: string; placeableBySound: boolean; start: number | null; rate: number | null; seconds: number }[]
}
interface State {
  doc: {
    angles: { id: string; name: string }[]
    clips: Record<string, { fileId: string }>
    placements: Record<string, { start: number; rate: number; method: string }>
    pulse: { beats: number[] } | null
    cuts: { id: string; points: unknown[] }[]
    marks: { time: number; kind: string }[]
    spans?: { from: number; to: number; kind: string }[]
  }
  files: { id: string; path: string }[]
}

const SECOND = 705_600_000
/** Share of late pictures that is asked of a quiet machine, where it is measured; and of any, where it is only a story. */
const GOOD = 0.03
const MOST = process.env.PENDOLO_MEASURE === '1' ? GOOD : 0.1
let server: TestServer

test.describe.configure({ mode: 'serial' })
test.setTimeout(900_000)

test.beforeAll(async () => {
  // On a fresh clone the show is made first.
  test.setTimeout(900_000)
  ;({ server, home } = await startDemo())
})
test.afterAll(() => server?.kill())

async function shot(page: Page, name: string): Promise<void> {
  if (!shots) return
  await page.mouse.move(5, 795)
  await page.waitForTimeout(400)
  await page.screenshot({ path: path.join(root, 'docs', 'screenshots', `${name}.png`) })
}

const shownFrames = (page: Page) => page.evaluate(() => Object.values(window.pendolo.health().shown).filter((s) => s.frame !== null).length)

test('the cameras fall onto the master’s time as the truth says, and what belongs to nothing waits', async ({ page }) => {
  await page.goto(`${server.url}/depot-night/gather`)
  await expect(page.getByText('light copies ready')).toBeVisible()
  await shot(page, 'gather')
  await page.goto(`${server.url}/depot-night/line-up`)
  await expect(page.getByRole('button', { name: /^Line up/ })).toBeVisible()
  const first = page.getByRole('button', { name: 'Line up', exact: true })
  if (await first.isVisible()) await first.click()
  await expect(page.getByText('11 sure · 0 to check · 1 loose')).toBeVisible({ timeout: 180_000 })
  const truth = JSON.parse(readFileSync(path.join(home, 'depot-night', 'truth.json'), 'utf8')) as Truth
  const { doc, files } = await server.project<State>('depot-night')
  for (const clip of truth.clips) {
    const file = files.find((f) => f.path.endsWith(clip.file))
    const id = Object.keys(doc.clips).find((c) => doc.clips[c].fileId === file?.id) as string
    const placed = doc.placements[id]
    if (clip.start === null || clip.rate === null) {
      expect(placed, clip.file).toBeUndefined()
      continue
    }
    // The silent camera is not placed by sound; flashes and lamps place it within one of its frames.
    if (!clip.placeableBySound) {
      expect(placed.method).toBe('light')
      expect(Math.abs(placed.start / SECOND - clip.start)).toBeLessThan(1 / 15)
      continue
    }
    expect(placed.method).toBe('sound')
    for (const t of [0, clip.seconds / 2, clip.seconds])
      expect(Math.abs(placed.start / SECOND + placed.rate * t - clip.start - clip.rate * t), clip.file).toBeLessThan(0.005)
  }
  await page.getByRole('button', { name: /VID_0044_fast/ }).click()
  await expect(page.getByRole('status', { name: 'Verdict' })).toContainText('sure')
  await expect.poll(() => shownFrames(page)).toBeGreaterThan(1)
  await expect(page.getByText('11 sure, 0 to check, 1 loose')).toBeHidden()
  await shot(page, 'line-up')
})

test('the beats are those the band played', async ({ page }) => {
  await page.goto(`${server.url}/depot-night/pulse`)
  await expect(page.getByRole('button', { name: /^Find the pulse/ })).toBeVisible()
  const find = page.getByRole('button', { name: 'Find the pulse', exact: true })
  if (await find.isVisible()) await find.click()
  await expect(page.getByText(/Beats: \d+ in/)).toBeVisible({ timeout: 90_000 })
  const { beats } = JSON.parse(readFileSync(path.join(home, 'depot-night', 'truth.json'), 'utf8')) as Truth
  const found = ((await server.project<State>('depot-night')).doc.pulse?.beats ?? []).map((b) => b / SECOND)
  let hits = 0
  for (const beat of beats) if (found.some((f) => Math.abs(f - beat) <= 0.07)) hits++
  const f = (2 * hits) / (beats.length + found.length)
  console.log(`beats of the demo: F ${f.toFixed(3)}`)
  expect(f).toBeGreaterThanOrEqual(0.95)
  // The mayor speaks, then come steam, a march, applause and an encore.
  await page.getByRole('button', { name: 'Find something else' }).click()
  await page.getByText('Speech: phrases, speakers, applause').click()
  await page.getByRole('button', { name: 'Listen' }).click()
  await expect(page.getByRole('button', { name: 'Listen' })).toBeHidden()
  await server.idle()
  const { spans = [], marks: heard } = (await server.project<State>('depot-night')).doc
  const kindAt = (t: number) => spans.find((s) => t >= s.from / SECOND && t < s.to / SECOND)?.kind
  expect([1, 8, 20, 35, 60, 90, 150].map(kindAt)).toEqual(['silence', 'speech', 'speech', 'speech', 'music', 'music', 'music'])
  expect(kindAt(130)).toBe('applause')
  const phrases = heard.filter((m) => m.kind === 'phrase').map((m) => m.time / SECOND)
  expect(phrases.length).toBeGreaterThan(7)
  expect(Math.min(...phrases)).toBeGreaterThan(3.8)
  expect(Math.max(...phrases)).toBeLessThan(43)
  // The sheet follows the playhead, and draws only what is in sight.
  await page.keyboard.press('End')
  await expect(page.getByRole('img', { name: /^from .* to 3:07/ })).toBeInViewport()
  await expect(page.locator('[data-line="0"]')).toHaveCount(0)
  await page.keyboard.press('Home')
  await expect(page.locator('[data-line="0"]')).toBeInViewport()
  if (shots) {
    const marks = [
      { name: 'Speech', from: 4, to: 45.9, hue: 3 },
      { name: 'Whistle', from: 46, hue: 5 },
      { name: 'March', from: 50, to: 125, hue: 2 },
      { name: 'Second strain', from: 83.1, hue: 1 },
      { name: 'Drum break', from: 99.65, hue: 0 },
      { name: 'Encore', from: 133.98, to: 176, hue: 4 },
    ]
    const { doc } = await server.project<State>('depot-night')
    if (!doc.marks.some((m) => m.kind === 'cue')) {
      await server.api('/projects/depot-night/edits?label=marks', {
        edits: [
          {
            type: 'addMarks',
            marks: marks.map(({ name, from, to, hue }) => ({
              id: name,
              name,
              hue,
              kind: to ? 'part' : 'cue',
              time: Math.round(from * SECOND),
              ...(to && { end: Math.round(to * SECOND) }),
            })),
          },
        ],
      })
      await expect(page.getByRole('option', { name: 'Go to Encore' })).toBeVisible()
    }
    await page.getByRole('option', { name: 'Go to Second strain' }).click()
    await page.locator('.pulse .lines').evaluate((e) => e.scrollTo(0, 128))
  }
  await shot(page, 'pulse')
})

/** Plays a minute of the demo while keys are pressed, and returns the share of pictures that came late. */
async function lateInAMinute(page: Page): Promise<number> {
  await page.keyboard.press('Home')
  for (let i = 0; i < 75; i++) await page.keyboard.press('Shift+ArrowRight')
  await expect.poll(() => shownFrames(page)).toBeGreaterThan(4)
  await page.keyboard.press('3')
  await page.evaluate(() => window.pendolo.resetHealth())
  await page.keyboard.press('Space')
  const until = (seconds: number) =>
    expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds), { timeout: 90_000, intervals: [250] }).toBeGreaterThan(seconds)
  for (const [k, key] of ['1', '2', '3', '5', '1', '8', '4', '3', '2', '5', '1', '3'].entries()) {
    await until(78 + k * 2.1)
    await page.keyboard.press(key)
  }
  await until(103)
  await shot(page, 'switch')
  await until(135)
  const { due, late } = await page.evaluate(() => window.pendolo.health())
  await page.keyboard.press('Space')
  console.log(`wall of the demo: ${late} of ${due} pictures late (${((100 * late) / due).toFixed(2)} %)`)
  expect(due).toBeGreaterThan(4000)
  return late / due
}

test('the wall plays for a minute, and few pictures are late', async ({ page }) => {
  await server.idle()
  await page.goto(`${server.url}/depot-night/switch`)
  await expect(page.getByRole('button', { name: /Angle 1/ })).toBeVisible()
  // A machine that is shared is called away at times: what it manages in one of three minutes it can do.
  let best = 1
  for (let i = 0; i < 3 && best > GOOD; i++) best = Math.min(best, await lateInAMinute(page))
  expect(best).toBeLessThanOrEqual(MOST)
})

test('balance, hand over and home show the show', async ({ page }) => {
  await page.goto(`${server.url}/depot-night/balance`)
  await page.getByRole('switch', { name: /Hear Drums close/ }).click()
  await expect(page.getByText('2 of 11 sounds heard')).toBeVisible()
  await page.keyboard.press('Home')
  for (let i = 0; i < 85; i++) await page.keyboard.press('Shift+ArrowRight')
  await page.getByText('Picture', { exact: true }).click()
  const roof = page.getByRole('radiogroup', { name: 'Shape of Gantry' })
  await roof.getByText('fill').click()
  await expect.poll(() => shownFrames(page)).toBeGreaterThan(0)
  // The drums are drawn: up at the march, silent at the applause.
  await page.getByText('Sound', { exact: true }).click()
  const drums = page.getByRole('group', { name: 'Drums close, drums.mkv' }).locator('.level-plot')
  const box = (await drums.boundingBox()) as { x: number; y: number; width: number; height: number }
  const at = (share: number, height: number): [number, number] => [box.x + share * box.width, box.y + height * box.height]
  for (const [share, height] of [
    [0.3, 0.5],
    [0.33, 0.2],
    [0.5, 0.2],
    [0.53, 0.4],
  ])
    await page.mouse.dblclick(...at(share, height))
  await page.mouse.move(...at(0.67, 0.8))
  await page.mouse.down()
  await page.mouse.move(...at(0.71, 0.8), { steps: 4 })
  await page.mouse.up()
  await page.keyboard.press('x')
  await page.getByRole('switch', { name: 'compressor is on' }).click()
  await page.getByRole('button', { name: 'Measure loudness' }).click()
  await expect(page.getByText(/LUFS · peak/).first()).toBeVisible()
  await shot(page, 'balance')
  await page.getByRole('switch', { name: /Hear Drums close/ }).click()
  await page.goto(`${server.url}/depot-night/hand-over`)
  await expect(page.getByRole('heading', { name: 'Before it leaves' })).toBeVisible()
  await expect(page.getByRole('link', { name: 'Save .otio' })).toBeVisible()
  await shot(page, 'hand-over')
  await page.goto(server.url)
  await expect(page.getByRole('article', { name: 'Depot Night' })).toBeVisible()
  await shot(page, 'home')
  expect(existsSync(path.join(home, 'pendolo.db'))).toBe(true)
})
