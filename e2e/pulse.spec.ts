import { readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { writeMidi } from 'midi-file'
import { makeNumbers, wav } from './numbers.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

interface State {
  doc: {
    pulse: { beats: number[]; downbeats: number[]; metre: number; locked?: { from: number; to: number }[] } | null
    marks: { time: number; end?: number; name: string; kind: string; text?: string }[]
  }
}

const SECOND = 705_600_000
let server: TestServer
let id: string

test.describe.configure({ mode: 'serial' })

test.beforeAll(async () => {
  const folder = await makeNumbers()
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Beats' }))
  await server.api(`/projects/${id}/gather`, { paths: [path.join(folder, 'desk')] })
  await server.idle()
})
test.afterAll(() => server.kill())

const state = async () => (await server.project<State>(id)).doc
const beats = async () => ((await state()).pulse?.beats ?? []).map((b) => b / SECOND)
const closeTo = (times: number[], wanted: number[]) => times.length === wanted.length && times.every((t, i) => Math.abs(t - wanted[i]) < 1e-6)

async function give(page: Page, name: string, text: string): Promise<void> {
  const file = path.join(scratch('marks'), name)
  writeFileSync(file, text)
  await page.getByLabel('File of marks').setInputFiles(file)
}

test('marks and beats come from a file; a broken one is refused with its line', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  await give(page, 'broken.csv', 'time,name\n1.0,first\nlater,second\n')
  await expect(page.getByText('line 3: "later" is no time')).toBeVisible()
  const rows = Array.from({ length: 33 }, (_, i) => `${(2 + i * 0.5).toFixed(2)},,${i % 4 === 0 ? 'bar' : 'beat'},,`)
  await give(page, 'song.csv', `time,end,kind,name,note\n4.0,6.0,section,Opening,"quiet, then loud"\n9.5,,cue,Bell,\n${rows.join('\n')}\n`)
  await expect(page.getByText('2 marks and 33 beats taken in from song.csv')).toBeVisible()
  await expect(page.getByText('Beats: 33 in 9 bars of 4 · ♩ 120.0')).toBeVisible()
  await expect
    .poll(async () => (await state()).marks.map((m) => [m.name, m.kind, m.time / SECOND, (m.end ?? 0) / SECOND, m.text ?? '']))
    .toEqual([
      ['Opening', 'part', 4, 6, 'quiet, then loud'],
      ['Bell', 'cue', 9.5, 0, ''],
    ])
})

test('beats are corrected by hand, a locked stretch stays, and undo gives all back after a restart', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  const before = await beats()
  expect(before).toHaveLength(33)
  const line = page.locator('[data-line]').filter({ has: page.locator('[aria-label*=" beats"]') })
  const target = line.nth(1)
  const box = await target.boundingBox()
  if (!box) throw new Error('no line with beats is seen')
  await page.mouse.move(box.x + 150, box.y + 50)
  await page.mouse.down()
  await page.mouse.move(box.x + 330, box.y + 50, { steps: 4 })
  await page.mouse.up()
  await page.getByRole('button', { name: 'Lock the stretch' }).click()
  await expect.poll(async () => (await state()).pulse?.locked?.length ?? 0).toBe(1)
  const [lock] = (await state()).pulse?.locked ?? []
  const inside = before.filter((t) => t >= lock.from / SECOND && t < lock.to / SECOND)
  expect(inside.length).toBeGreaterThan(2)

  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Beats later' }).click()
  await expect.poll(async () => closeTo([(await beats())[0]], [before[0] + 0.01])).toBe(true)
  expect((await beats()).filter((t) => t >= lock.from / SECOND && t < lock.to / SECOND)).toEqual(inside)
  await page.getByRole('button', { name: 'Double' }).click()
  await expect.poll(async () => (await beats()).length).toBeGreaterThan(50)
  await page.getByRole('button', { name: 'Halve' }).click()
  await expect.poll(async () => (await beats()).length).toBeLessThan(36)
  await page.keyboard.press('Home')
  await page.getByLabel('Beats a bar').click()
  await page.getByTitle('in 3').click()
  await page.keyboard.press('d')
  await expect.poll(async () => (await state()).pulse?.metre).toBe(3)

  await server.kill()
  await server.start()
  await page.goto(`${server.url}/${id}/pulse`)
  for (let i = 0; i < 5; i++) await page.getByRole('button', { name: 'Undo' }).click()
  await expect.poll(async () => closeTo(await beats(), before)).toBe(true)
  // The last of the five gives back the lock alone, and may still be on its way.
  await expect.poll(async () => (await state()).pulse?.locked ?? []).toEqual([])
})

test('a stretch is tapped while it plays, clicks sound along, and marks are written out again', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  await page.getByLabel('clicks (N)').click()
  await page.keyboard.press('Space')
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeGreaterThan(2.2)
  // In the page's own time: on a busy machine each key from outside would come later.
  await page.evaluate(async () => {
    for (let i = 0; i < 6; i++) {
      for (const type of ['keydown', 'keyup']) document.body.dispatchEvent(new KeyboardEvent(type, { key: 't', code: 'KeyT', bubbles: true }))
      await new Promise((resolve) => setTimeout(resolve, 400))
    }
  })
  await expect(page.getByRole('button', { name: '6 taps' })).toBeVisible()
  await expect.poll(() => page.evaluate(() => window.pendolo.health().clicks)).toBeGreaterThan(3)
  await page.keyboard.press('Space')
  // Taps were closer than the half seconds before: the tapped stretch now has their distance.
  await expect
    .poll(async () => (await beats()).slice(1).filter((t, i, all) => Math.abs(t - (i > 0 ? all[i - 1] : 0) - 0.5) > 0.03).length, { timeout: 10_000 })
    .toBeGreaterThan(3)
  await page.getByRole('button', { name: 'Undo' }).click()

  await page.getByRole('button', { name: 'Write marks out' }).click()
  const saving = page.waitForEvent('download')
  await page.getByText('WebVTT: marks as captions').click()
  const file = await (await saving).path()
  expect(readFileSync(file, 'utf8')).toContain('00:00:04.000 --> 00:00:06.000')
  expect(readFileSync(file, 'utf8')).toContain('quiet, then loud')
})

test('a beat is dragged by its foot, its neighbours follow, and a double click on nothing breaks nothing', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  const before = await beats()
  const foot = page.locator('[data-line] svg line[y1="78"]').nth(7)
  const box = await foot.boundingBox()
  if (!box) throw new Error('no beat is seen')
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width / 2 + 4, box.y + box.height / 2, { steps: 2 })
  await page.mouse.move(box.x + box.width / 2 + 9, box.y + box.height / 2, { steps: 2 })
  await page.mouse.up()
  const moved = async () => (await beats()).map((t, i) => t - before[i])
  await expect.poll(async () => Math.max(...(await moved()))).toBeGreaterThan(0.1)
  const by = await moved()
  const most = by.indexOf(Math.max(...by))
  expect(by[most - 1]).toBeGreaterThan(0)
  expect(by[most - 1]).toBeLessThan(by[most])
  const after = await beats()
  expect(after.every((t, i) => i === 0 || t > after[i - 1])).toBe(true)
  await page
    .locator('[data-line]')
    .first()
    .dblclick({ position: { x: 200, y: 50 } })
  await page.keyboard.press('Control+z')
  await expect.poll(async () => closeTo(await beats(), before)).toBe(true)
})

test('a MIDI file of the song is laid where its notes are heard', async ({ page }) => {
  const folder = scratch('song')
  // Strokes in an order that comes only once, beginning 3.2 s into the recording.
  const strokes: number[] = []
  for (let t = 0, k = 1; t < 24; k = (k * 7 + 3) % 11) {
    strokes.push(t)
    t += 0.25 * (1 + (k % 4))
  }
  const sound = new Float32Array(30 * 48000)
  for (const t of strokes) {
    const from = Math.round((t + 3.2) * 48000)
    for (let i = 0; i < 9000 && from + i < sound.length; i++) sound[from + i] += 0.6 * Math.exp(-i / 2500) * Math.sin((2 * Math.PI * 330 * i) / 48000)
  }
  writeFileSync(path.join(folder, 'song.wav'), wav(sound))
  const ticks = (t: number) => Math.round(t * 960)
  const notes = strokes.flatMap((t) => [
    { at: ticks(t), on: true },
    { at: ticks(t) + 100, on: false },
  ])
  notes.sort((a, b) => a.at - b.at)
  const track = notes.map(({ at, on }, i) => ({
    deltaTime: at - (i > 0 ? notes[i - 1].at : 0),
    channel: 0,
    type: on ? ('noteOn' as const) : ('noteOff' as const),
    noteNumber: 60,
    velocity: 90,
  }))
  const tempo = [
    { deltaTime: 0, meta: true as const, type: 'setTempo' as const, microsecondsPerBeat: 500_000 },
    { deltaTime: 0, meta: true as const, type: 'timeSignature' as const, numerator: 4, denominator: 4, metronome: 24, thirtyseconds: 8 },
    { deltaTime: ticks(8), meta: true as const, type: 'marker' as const, text: 'Refrain' },
    { deltaTime: ticks(16), meta: true as const, type: 'endOfTrack' as const },
  ]
  const end = { deltaTime: 0, meta: true as const, type: 'endOfTrack' as const }
  const bytes = writeMidi({ header: { format: 1, numTracks: 2, ticksPerBeat: 480 }, tracks: [tempo, [...track, end]] })
  writeFileSync(path.join(folder, 'song.mid'), Uint8Array.from(bytes))

  const own = new TestServer(folder, ['start'], homeWithCopies())
  await own.start()
  try {
    const { id: song } = await own.api<{ id: string }>('/projects', { name: 'Song' })
    await own.api(`/projects/${song}/gather`, { paths: [path.join(folder, 'song.wav')] })
    await own.idle()
    await page.goto(`${own.url}/${song}/pulse`)
    await expect(page.locator('canvas').first()).toBeVisible()
    await page.getByLabel('File of marks').setInputFiles(path.join(folder, 'song.mid'))
    await expect(page.getByText(/its notes fall on the recording 3\.\d\d s later than written/)).toBeVisible()
    const { doc } = await own.project<State>(song)
    expect(Math.abs(doc.marks[0].time / SECOND - 11.2)).toBeLessThan(0.03)
    expect(Math.abs((doc.pulse?.beats[0] ?? 0) / SECOND - 3.2)).toBeLessThan(0.03)
  } finally {
    await own.kill()
  }
})
