import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { readSound } from './numbers.ts'
import { scratch, TestServer } from './server.ts'

const SECOND = 705_600_000
const LENGTH = 20
/** Tones of the three microphones, and of the mix, Hz. */
const [LECTERN, LAPEL, ROOM, MIX] = [400, 1000, 2500, 150]

let server: TestServer
let id: string
let cutId: string
let mics: string

test.beforeAll(async () => {
  const folder = scratch('balance')
  for (const name of ['mix', 'mics', 'cam', 'roof']) mkdirSync(path.join(folder, name), { recursive: true })
  const sound = (tones: number[]) => ['-f', 'lavfi', '-i', `aevalsrc='${tones.map((hz) => `0.2*sin(2*PI*${hz}*t)`).join('|')}':s=48000:d=${LENGTH}`]
  execFileSync('ffmpeg', ['-v', 'error', ...sound([MIX]), '-c:a', 'pcm_s16le', path.join(folder, 'mix', 'mix.wav')])
  execFileSync('ffmpeg', ['-v', 'error', ...sound([LECTERN, LAPEL, ROOM]), '-c:a', 'pcm_s16le', path.join(folder, 'mics', 'mics.wav')])
  const picture = ['-f', 'lavfi', '-i', `testsrc2=s=160x90:r=25:d=${LENGTH}`, '-c:v', 'libx264', '-preset', 'ultrafast']
  execFileSync('ffmpeg', ['-v', 'error', ...picture, path.join(folder, 'cam', 'a.mp4')])
  execFileSync('ffmpeg', ['-v', 'error', ...picture, path.join(folder, 'roof', 'b.mov')])
  server = new TestServer(folder)
  await server.start()
  id = (await server.api<{ id: string }>('/projects', { name: 'Vestry' })).id
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc, files } = await state()
  const clip = (name: string) => Object.values(doc.clips).find((c) => files.find((f) => f.id === c.fileId)?.name === name) as Doc['clips'][string]
  cutId = doc.activeCutId
  mics = clip('mics.wav').id
  const place = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }
  const placements = Object.fromEntries(['mics.wav', 'a.mp4', 'b.mov'].map((name) => [clip(name).id, place]))
  const angle = (name: string) => ({ angleId: clip(name).angleId, clipId: clip(name).id })
  await server.api(`/projects/${id}/edits?label=placed`, {
    edits: [
      { type: 'setMaster', clipId: clip('mix.wav').id },
      { type: 'place', by: 'hand', placements, loose: {} },
      // Microphones, whatever three channels stand for by themselves.
      ...[0, 1, 2].map((n) => ({ type: 'channel', clipId: mics, channel: `0.${n}`, change: { layout: 'middle' } })),
      { type: 'choose', cutId, time: 0, choice: angle('a.mp4') },
      { type: 'choose', cutId, time: 8 * SECOND, choice: angle('b.mov') },
      { type: 'choose', cutId, time: 12 * SECOND, choice: angle('a.mp4') },
    ],
  })
})
test.afterAll(() => server?.kill())

interface Doc {
  activeCutId: string
  clips: Record<string, { id: string; fileId: string; angleId: string; channels?: Record<string, { name?: string; on?: boolean }> }>
  strips: Record<string, { on: boolean; gainDb: number; group?: string; pan?: number; highPassHz?: number; bands?: { gainDb: number }[] }>
  groups?: Record<string, { id: string; name: string }>
  mixRanges: Record<string, { clipId: string; channel?: string; from: number; to: number; on: boolean; fadeIn?: number }>
  envelopes: Record<string, Record<string, number>>
}
const state = () => server.project<{ doc: Doc; files: { id: string; name: string }[] }>(id)
const doc = async () => (await state()).doc

const row = (page: Page, name: string) => page.getByRole('group', { name, exact: true })
const plot = (page: Page, name: string) => row(page, name).locator('.level-plot')
/** A place in a row: seconds, and how high, 0 at the top. */
async function at(page: Page, name: string, seconds: number, height = 0.8): Promise<[number, number]> {
  const box = (await plot(page, name).boundingBox()) as { x: number; y: number; width: number; height: number }
  return [box.x + (box.width * seconds) / LENGTH, box.y + box.height * height]
}
async function drag(page: Page, name: string, from: number, to: number): Promise<void> {
  await page.mouse.move(...(await at(page, name, from)))
  await page.mouse.down()
  await page.mouse.move(...(await at(page, name, to)), { steps: 5 })
  await page.mouse.up()
}

/** How loud a tone of the film is over a second, linear. */
function toneIn(samples: Float32Array, hz: number, from: number): number {
  let [a, b] = [0, 0]
  for (let n = from * 48000; n < (from + 1) * 48000; n++) {
    a += samples[n] * Math.cos((2 * Math.PI * hz * n) / 48000)
    b += samples[n] * Math.sin((2 * Math.PI * hz * n) / 48000)
  }
  return Math.hypot(a, b) / 24000
}
const decibels = (x: number) => 20 * Math.log10(Math.max(x, 1e-9))

test('microphones are named, led to a group, drawn, silenced at a touch while another goes up, and the film sounds so', async ({ page }) => {
  await page.goto(`${server.url}/${id}/balance`)
  await page.getByRole('switch', { name: 'Hear mics, mics.wav' }).click()
  await row(page, 'Mics, mics.wav').getByRole('button', { name: '3 channels' }).click()
  for (const [number, name] of [
    [1, 'Lectern'],
    [2, 'Lapel'],
    [3, 'Room'],
  ] as const) {
    await page.getByLabel(`Name of channel ${number}`).fill(name)
    await page.getByLabel(`Name of channel ${number}`).press('Enter')
    await expect(row(page, name)).toBeVisible()
  }
  // Two of them together to a group of their own.
  await row(page, 'Lectern').locator('.gain').click()
  await row(page, 'Lapel')
    .locator('.gain')
    .click({ modifiers: ['Control'] })
  await expect(page.getByRole('region', { name: 'Strip of Lectern' })).toContainText('and 1 more')
  await page.getByRole('combobox', { name: 'Group of Lectern' }).click()
  await page.locator('.ant-select-dropdown:visible').getByText('a new group').click()
  await expect(row(page, 'Voices')).toBeVisible()
  await page.getByRole('button', { name: 'What goes to Voices' }).click()
  await expect(row(page, 'Lectern')).toBeVisible()
  await expect.poll(async () => (await doc()).strips[`${mics} 0.1`].group).toBeDefined()
  const [group] = Object.values((await doc()).groups ?? {})
  expect((await doc()).strips[`${mics} 0.1`].group).toBe(group.id)

  // A touch on the lapel is silenced, and the lectern goes up meanwhile: one gesture, one step.
  await row(page, 'Lapel').locator('.gain').click()
  await drag(page, 'Lapel', 4, 6)
  await expect(page.getByRole('toolbar', { name: 'The chosen range' })).toContainText('Lapel')
  await page.getByRole('button', { name: 'Silent here, another up ▾' }).click()
  await page.getByRole('menuitem', { name: 'Lectern' }).click()
  await expect.poll(async () => Object.values((await doc()).mixRanges)).toHaveLength(1)
  const [touch] = Object.values((await doc()).mixRanges)
  expect(touch).toMatchObject({ clipId: mics, channel: '0.1', on: false })
  expect(Math.abs(touch.from / SECOND - 4)).toBeLessThan(0.1)
  const drawn = () => doc().then((d) => Object.entries(d.envelopes[`${mics} 0.0`] ?? {}).map(([t, v]) => [Math.round((10 * Number(t)) / SECOND) / 10, v]))
  await expect.poll(async () => (await drawn()).map(([, v]) => v).sort()).toEqual([0, 0, 6, 6])
  await page.keyboard.press('Control+z')
  await expect.poll(async () => [Object.keys((await doc()).mixRanges).length, (await drawn()).length]).toEqual([0, 0])
  await page.keyboard.press('Control+Shift+z')
  await expect.poll(async () => Object.keys((await doc()).mixRanges).length).toBe(1)

  // The room: its level is drawn by two double presses, one point is pulled down, and a stretch of the cut is lowered by keys.
  await page.mouse.dblclick(...(await at(page, 'Room', 14, 0.3)))
  await page.mouse.dblclick(...(await at(page, 'Room', 15, 0.3)))
  const room = () => doc().then((d) => Object.entries(d.envelopes[`${mics} 0.2`] ?? {}).sort(([a], [b]) => Number(a) - Number(b)))
  await expect.poll(async () => (await room()).map(([, v]) => v)).toEqual([0, 0])
  await page.mouse.move(...(await at(page, 'Room', 15, 0.3)))
  await page.mouse.down()
  await page.mouse.move(...(await at(page, 'Room', 15, 0.7)), { steps: 4 })
  await page.mouse.up()
  await expect.poll(async () => (await room())[1]?.[1] ?? 0).toBeLessThan(-15)
  const ribbon = (await page.locator('.ribbon').boundingBox()) as { x: number; y: number; width: number; height: number }
  await page.mouse.click(ribbon.x + (ribbon.width * 10) / LENGTH, ribbon.y + ribbon.height / 2)
  for (let i = 0; i < 6; i++) await page.keyboard.press('Shift+ArrowDown')
  await expect.poll(async () => (await room()).filter(([t, v]) => Number(t) < 13 * SECOND && v === -6).length).toBe(2)
  const edges = (await room()).map(([t]) => Number(t) / SECOND)
  expect(edges.some((t) => Math.abs(t - 8) < 0.06)).toBe(true)
  expect(edges.some((t) => Math.abs(t - 12) < 0.06)).toBe(true)

  await page.getByRole('switch', { name: 'Hear Master, mix.wav' }).click()
  await page.goto(`${server.url}/${id}/hand-over`)
  await page.getByRole('combobox', { name: 'Kind of the film’s sound' }).click()
  await page.locator('.ant-select-dropdown:visible').getByText('sound untouched (.mov)').click()
  await page.getByRole('button', { name: 'Make the film' }).click()
  await expect.poll(async () => (await server.api<{ kind: string }[]>('/jobs')).some((j) => j.kind === 'film')).toBe(true)
  await server.idle()
  const [job] = (await server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  const film = readSound(job.result?.path as string, 48000).map((x) => x / Math.SQRT2)
  const level = (hz: number, from: number) => decibels(toneIn(film, hz, from))
  const plain = decibels(0.2)
  expect(level(LAPEL, 2)).toBeCloseTo(plain, 0)
  expect(level(LAPEL, 4.5)).toBeLessThan(plain - 30)
  expect(level(LECTERN, 4.5)).toBeCloseTo(plain + 6, 0)
  expect(level(LECTERN, 7)).toBeCloseTo(plain, 0)
  expect(level(ROOM, 9)).toBeCloseTo(plain - 6, 0)
  expect(level(ROOM, 17)).toBeLessThan(plain - 15)
  expect(level(MIX, 2)).toBeLessThan(-60)
})

test('the strip of a sound is typed and dragged, and heard at once; what is chosen is found and gone through by keys', async ({ page }) => {
  await server.api(`/projects/${id}/edits?label=on`, { edits: [{ type: 'strip', clipId: mics, change: { on: true } }] })
  await page.goto(`${server.url}/${id}/balance`)
  await page.keyboard.press('ArrowDown')
  await expect(page.getByRole('region', { name: /^Strip of / })).toBeVisible()
  await row(page, 'Mics, mics.wav').getByText('mics.wav').click()
  const strip = page.getByRole('region', { name: 'Strip of Mics' })
  await strip.getByRole('switch', { name: 'high-pass is on' }).click()
  await strip.getByRole('spinbutton', { name: 'High-pass of Mics, Hz' }).fill('300')
  await page.keyboard.press('Enter')
  await strip.getByRole('spinbutton', { name: 'Gain of band 3' }).fill('-9')
  await page.keyboard.press('Enter')
  await strip.getByRole('spinbutton', { name: 'Place of Mics, left to right, %' }).fill('-40')
  await page.keyboard.press('Enter')
  await expect
    .poll(async () => (await doc()).strips[mics])
    .toMatchObject({ highPassHz: 300, pan: -0.4, bands: expect.arrayContaining([expect.objectContaining({ gainDb: -9 })]) })
  // A dragged level is one step, and changes what is heard while it plays.
  await page.keyboard.press('Space')
  const heard = () => page.evaluate((clip) => window.pendolo.health().sounds[clip]?.level ?? 0, mics)
  await expect.poll(heard).toBeGreaterThan(0.01)
  const before = await heard()
  const slider = strip.getByRole('slider', { name: 'Level of Mics' })
  const handle = (await slider.boundingBox()) as { x: number; y: number; width: number; height: number }
  await page.mouse.move(handle.x + handle.width / 2, handle.y + handle.height / 2)
  await page.mouse.down()
  await page.mouse.move(handle.x - 60, handle.y + handle.height / 2, { steps: 8 })
  await page.mouse.up()
  await expect.poll(heard).toBeLessThan(before * 0.7)
  const lowered = (await doc()).strips[mics].gainDb
  expect(lowered).toBeLessThan(-5)
  await page.keyboard.press('Space')
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await doc()).strips[mics].gainDb).toBe(0)
  // Keys on the chosen row.
  await page.keyboard.press('m')
  await expect(row(page, 'Mics, mics.wav').getByRole('button', { name: 'Mute Mics' })).toHaveAttribute('aria-pressed', 'true')
  await page.keyboard.press('m')
  // The mix as it is is kept, changed, and heard both ways; a strip is heard with and without what it does.
  await page.getByRole('button', { name: 'Keep to compare' }).click()
  await page.keyboard.press('m')
  await page.keyboard.press('Space')
  const isHeard = () => page.evaluate((clip) => clip in window.pendolo.health().sounds, mics)
  await expect.poll(isHeard).toBe(false)
  await page.getByText('kept', { exact: true }).click()
  await expect.poll(heard).toBeGreaterThan(0.005)
  await strip.getByRole('button', { name: 'Bypass' }).click()
  await expect(strip.getByRole('button', { name: 'Bypass' })).toHaveAttribute('aria-pressed', 'true')
  await expect.poll(heard).toBeGreaterThan(0.005)
  await page.getByRole('button', { name: 'End', exact: true }).click()
  await expect.poll(isHeard).toBe(false)
  await page.keyboard.press('k')
  await page.keyboard.press('m')
  await page.getByLabel('Find a sound').fill('mix')
  await expect(row(page, 'Master, mix.wav')).toBeVisible()
  await expect(row(page, 'Mics, mics.wav')).toHaveCount(0)
})

test('levels draw themselves by who speaks; the loudness of the film is measured, and told to be older when something was changed', async ({ page }) => {
  const phrase = (n: number, from: number, to: number, name: string) => ({
    id: `phrase-${n}`,
    time: from * SECOND,
    end: to * SECOND,
    kind: 'phrase',
    name,
    hue: 0,
  })
  await server.api(`/projects/${id}/edits?label=phrases`, {
    edits: [
      { type: 'strip', clipId: mics, change: { on: true } },
      { type: 'channel', clipId: mics, channel: '0.0', change: { name: 'Reading' } },
      { type: 'channel', clipId: mics, channel: '0.1', change: { name: 'Answer' } },
      { type: 'addMarks', marks: [phrase(1, 2, 5, 'Reading'), phrase(2, 9, 12, 'Answer')] },
    ],
  })
  await page.goto(`${server.url}/${id}/balance`)
  await page.getByRole('button', { name: 'Draw levels ▾' }).click()
  await page.getByText('by who speaks …').click()
  const dialog = page.getByRole('dialog', { name: 'Who is heard when' })
  await expect(dialog.getByText('Reading: 1 phrase')).toBeVisible()
  await dialog.getByLabel('the others are down by').fill('24')
  await dialog.getByRole('combobox', { name: 'Gives way to all speech' }).click()
  await page.locator('.ant-select-dropdown:visible').getByText('Master', { exact: true }).click()
  await dialog.getByText('Who is heard when').click()
  await dialog.getByRole('button', { name: 'Draw the levels' }).click()
  const drawn = (key: string) => doc().then((d) => Object.entries(d.envelopes[key] ?? {}).sort(([a], [b]) => Number(a) - Number(b)))
  await expect.poll(async () => (await drawn(`${mics} 0.0`)).map(([, v]) => v)).toEqual([-24, -24, 0, 0, -24])
  const answer = await drawn(`${mics} 0.1`)
  expect(answer.map(([, v]) => v)).toEqual([-24, -24, 0, 0, -24])
  expect(Number(answer[2][0]) / SECOND).toBeLessThan(9)
  expect(Number(answer[3][0]) / SECOND).toBeGreaterThan(12)
  const master = await drawn(Object.keys((await doc()).envelopes).find((key) => key !== mics && !key.startsWith(mics)) as string)
  expect(master.map(([, v]) => v)).toEqual([0, 0, -12, -12, 0, 0, -12, -12, 0])
  await page.keyboard.press('Control+z')
  await expect
    .poll(async () =>
      Object.values((await doc()).envelopes)
        .flatMap((e) => Object.values(e))
        .includes(-24),
    )
    .toBe(false)

  await page.getByRole('button', { name: 'Measure loudness' }).click()
  const figures = page.getByRole('button', { name: /LUFS · peak/ })
  await expect(figures).toBeVisible()
  await expect(page.getByRole('img', { name: 'Loudness of the film over its length' })).toBeVisible()
  const integrated = Number((await figures.textContent())?.match(/−?([\d.]+) LUFS/)?.[1])
  await server.api(`/projects/${id}/film`, { width: 160, height: 90, rate: '25/1', lossless: true })
  await server.idle()
  const films = (await server.api<{ kind: string; result: { made?: { sound?: { integrated: number } } } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  expect(Math.abs(-integrated - (films[0].result?.made?.sound?.integrated ?? 0))).toBeLessThan(0.06)
  await row(page, 'Mics, mics.wav').locator('.gain').click()
  await page.keyboard.press('Shift+ArrowDown')
  await expect(page.getByRole('button', { name: /LUFS · peak .* · older/ })).toBeVisible()
  // Measured again it is of now.
  await figures.click()
  await expect(page.getByRole('button', { name: /LUFS · peak −?[\d.]+$/ })).toBeVisible()
})
