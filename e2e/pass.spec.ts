import { expect, type Page, test } from '@playwright/test'
import { numberedProject, openSwitch } from './numbered.ts'
import { lags, type Meant, playAlong, seeded } from './player.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000
const FRAME = SECOND / 25
/** How long the player plays, s. */
const SECONDS = 20
const LAG = 120
const SPREAD = 30

interface State {
  doc: { cuts: { id: string; points: { time: number; angleId: string }[] }[]; activeCutId: string; angles: { id: string; name: string }[] }
}

let server: TestServer
let id: string
let beats: number[]

/** A band at 116 a minute that breathes a little. */
function played(): number[] {
  const random = seeded(7)
  const out: number[] = []
  for (let t = 0.4; t < 60; t += (60 / 116) * (1 + 0.03 * Math.sin(t / 5)) + 0.012 * (random() - 0.5)) out.push(t)
  return out
}

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Pass'))
  beats = played()
  const flicks = beats.map((b) => Math.round(b * SECOND))
  await server.api(`/projects/${id}/edits?label=pulse`, {
    edits: [
      { type: 'settings', change: { rate: '25/1', magnet: 'beat' } },
      { type: 'setPulse', pulse: { tempoBpm: 116, metre: 4, confidence: 1, beats: flicks, downbeats: flicks.flatMap((_, i) => (i % 4 === 0 ? [i] : [])) } },
    ],
  })
})
test.afterAll(() => server?.kill())

/** The cuts as they stand, in seconds. */
async function cuts(): Promise<{ at: number; name: string }[]> {
  const { doc } = await server.project<State>(id)
  const { points } = doc.cuts.find((c) => c.id === doc.activeCutId) as State['doc']['cuts'][number]
  return points.map(({ time, angleId }) => ({ at: time / SECOND, name: doc.angles.find((a) => a.id === angleId)?.name ?? '?' }))
}
const edit = (...edits: object[]) => server.api(`/projects/${id}/edits?label=set`, { edits })
const onFrame = (seconds: number) => Math.round((seconds * SECOND) / FRAME) * (FRAME / SECOND)

async function open(page: Page, lag: number): Promise<void> {
  await page.addInitScript((ms) => localStorage.setItem('pendolo.touch-lag-ms', String(ms)), lag)
  await openSwitch(page, server, id)
}
async function fresh(name: string): Promise<void> {
  await edit({ type: 'addCut', cutId: name, name, from: null })
}
async function from(page: Page, seconds: number): Promise<void> {
  await page.keyboard.press('Home')
  for (let s = 0; s < seconds; s++) await page.keyboard.press('Shift+ArrowRight')
}
/** Every second to fourth beat of a stretch another of three angles. */
function meant(first: number, last: number, seed: number): Meant[] {
  const random = seeded(seed)
  const out: Meant[] = []
  let angle = 1
  for (let i = beats.findIndex((b) => b > first); beats[i] < last; i += 1 + Math.floor(random() * 3)) {
    angle = (angle % 3) + 1
    out.push({ at: beats[i], angle })
  }
  return out
}
const names = ['Cam a', 'Cam b', 'Cam c']
const wanted = (list: readonly Meant[]) => list.map(({ at, angle }) => ({ at: expect.closeTo(onFrame(at), 6), name: names[angle - 1] }))

test.describe.configure({ mode: 'serial' })

test('somebody who presses late, and not evenly, cuts on the beats that were meant; a second pass leaves just its own cuts in its passage', async ({
  page,
}) => {
  await fresh('magnet')
  await open(page, LAG)
  const first = meant(2, 2 + SECONDS, 3)
  await from(page, 1)
  await page.keyboard.press('Space')
  await playAlong(page, first, lags(first.length, LAG, SPREAD, 11))
  await page.keyboard.press('Space')
  await expect.poll(async () => (await cuts()).length).toBeGreaterThanOrEqual(first.length)
  await expect.poll(cuts).toEqual(wanted(first))

  // The middle third again, begun in the middle of the music.
  const [low, high] = [2 + SECONDS / 3, 2 + (2 * SECONDS) / 3]
  const second = meant(low, high, 5)
  await from(page, Math.floor(low) - 1)
  await page.keyboard.press('Space')
  await playAlong(page, second, lags(second.length, LAG, SPREAD, 13))
  const stop = high + 0.6
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds), { intervals: [20] }).toBeGreaterThan(stop)
  await page.keyboard.press('Space')
  const stopped = await page.evaluate(() => window.pendolo.health().soundSeconds)
  await server.idle()
  await expect.poll(async () => (await cuts()).filter((c) => c.at > high && c.at < stopped - 0.1).length).toBe(0)
  const after = await cuts()
  const begin = onFrame(second[0].at)
  const inside = after.filter((c) => c.at >= begin - 1e-6 && c.at < stopped - 0.1)
  // A press that chose what was seen already made no cut.
  const before = first.filter((m) => onFrame(m.at) < begin - 1e-6)
  expect(inside).toEqual(wanted(second).filter((_, i) => i > 0 || second[0].angle !== before.at(-1)?.angle))
  expect(after.filter((c) => c.at < begin - 1e-6)).toEqual(wanted(before))
  expect(after.filter((c) => c.at > stopped + 0.1)).toEqual(wanted(first.filter((m) => m.at > stopped + 0.1)))
  // What stood there before comes back at the stop.
  const seen = (list: { at: number; name: string }[], at: number) => list.findLast((c) => c.at <= at + 1e-6)?.name
  const old = first.map((m) => ({ at: onFrame(m.at), name: names[m.angle - 1] }))
  expect(seen(after, stopped + 0.05)).toBe(seen(old, stopped + 0.05))

  // All of it is one step.
  await page.keyboard.press('Control+z')
  await expect.poll(cuts).toEqual(wanted(first))
  await page.keyboard.press('Control+Shift+z')
  await expect.poll(cuts).toEqual(after)
})

test('without the magnet a late player is off by no more than a frame, half of the time', async ({ page }) => {
  await fresh('free')
  await edit({ type: 'settings', change: { magnet: 'off' } })
  await open(page, LAG)
  const list = meant(2, 14, 9)
  await from(page, 1)
  await page.keyboard.press('Space')
  await playAlong(page, list, lags(list.length, LAG, SPREAD, 17))
  await page.keyboard.press('Space')
  await expect.poll(async () => (await cuts()).length).toBeGreaterThanOrEqual(list.length)
  const off = (await cuts())
    .slice(0, list.length)
    .map((c, i) => Math.abs(c.at - list[i].at) * 25)
    .sort((a, b) => a - b)
  console.log(`without the magnet, frames off: median ${off[Math.floor(off.length / 2)].toFixed(2)}, most ${off.at(-1)?.toFixed(2)}`)
  expect(off[Math.floor(off.length / 2)]).toBeLessThanOrEqual(1)
  await edit({ type: 'settings', change: { magnet: 'beat' } })
})

test('undo during a pass takes back the last press, and what is seen is held over the cuts that were there', async ({ page }) => {
  await fresh('undo')
  await edit({ type: 'settings', change: { magnet: 'off' } })
  const { doc } = await server.project<State>(id)
  const angle = (n: number) => doc.angles.find((a) => a.name === names[n - 1])?.id as string
  await edit(
    ...[
      [2, 1],
      [5, 2],
      [6, 3],
      [7, 2],
      [12, 3],
    ].map(([s, n]) => ({ type: 'choose', cutId: 'undo', time: s * SECOND, choice: { angleId: angle(n) } })),
  )
  await open(page, 0)
  await from(page, 3)
  await page.keyboard.press('Space')
  const programme = () => page.evaluate(() => window.pendolo.health().programme.angleId)
  const sounds = () => page.evaluate(() => window.pendolo.health().soundSeconds)
  await expect.poll(sounds, { intervals: [20] }).toBeGreaterThan(4)
  // Pressing what is seen: the cuts at 5 and 6 give way.
  await page.keyboard.press('1')
  await expect.poll(sounds, { intervals: [20] }).toBeGreaterThan(5.4)
  expect(await programme()).toBe(angle(1))
  await page.keyboard.press('3')
  await expect.poll(programme).toBe(angle(3))
  await page.keyboard.press('Control+z')
  await expect.poll(programme).toBe(angle(1))
  await expect.poll(sounds, { intervals: [20] }).toBeGreaterThan(8.5)
  expect(await programme()).toBe(angle(1))
  await page.keyboard.press('Space')
  const stopped = await sounds()
  await expect.poll(async () => (await cuts()).map((c) => c.name)).toEqual(['Cam a', 'Cam b', 'Cam c'])
  const after = await cuts()
  expect(after[0].at).toBe(2)
  expect(Math.abs(after[1].at - stopped)).toBeLessThan(0.1)
  expect(after[2].at).toBe(12)
  // One step, told with its presses.
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await cuts()).map((c) => c.at)).toEqual([2, 5, 6, 7, 12])
})
