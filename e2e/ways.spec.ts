import { execFileSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { CAMERAS, makeNumbers, readFilm, readSound } from './numbers.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

interface State {
  doc: {
    clips: Record<string, { fileId: string; points?: Record<string, number> }>
    placements: Record<string, { start: number; rate: number; verdict: string; method: string; locked: boolean; why: { code: string }[] }>
    loose: Record<string, string>
  }
  files: { id: string; name: string }[]
}

const SECOND = 705_600_000
const [A, , C] = CAMERAS

let server: TestServer
let id: string

test.describe.configure({ mode: 'serial' })

/** The numbered cameras as they come from cards: with and without sound, timecode and a clock. */
async function makeCards(): Promise<string> {
  const numbers = await makeNumbers()
  const folder = scratch('cards')
  const copy = (from: string, to: string, args: string[]) => {
    mkdirSync(path.dirname(path.join(folder, to)), { recursive: true })
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', path.join(numbers, from), '-c', 'copy', ...args, path.join(folder, to)])
  }
  copy('desk/master-mix.wav', 'desk/master-mix.wav', [])
  copy('cam-a/a.mp4', 'jammed/a.mov', ['-timecode', '10:00:00:00', '-metadata', 'creation_time=2026-05-02T19:30:02Z'])
  // 78 frames of 24 after camera a began.
  copy('cam-c/c.mkv', 'silent/c.mov', ['-an', '-timecode', '10:00:03:06'])
  copy('cam-b/b.mov', 'clock/b.mov', ['-an', '-metadata', 'creation_time=2026-05-02T19:29:58Z'])
  copy('cam-c/c.mkv', 'bare/d.mp4', ['-an', '-map_metadata', '-1'])
  return folder
}

test.beforeAll(async () => {
  const folder = await makeCards()
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Cards' }))
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1' } }] })
  await server.idle()
})
test.afterAll(() => server.kill())

const state = () => server.project<State>(id)
async function placed(name: string) {
  const { doc, files } = await state()
  const clip = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === name) as string
  return doc.placements[clip]
}
const verdict = (page: Page) => page.getByRole('status', { name: 'Verdict' })
const rightFrame = (page: Page) => page.evaluate(() => window.pendolo.health().shown['compare-right']?.frame ?? null)

async function playheadTo(page: Page, seconds: number): Promise<void> {
  await page.keyboard.press('Home')
  for (let i = 0; i < seconds; i++) await page.keyboard.press('Shift+ArrowRight')
  await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeCloseTo(seconds, 3)
}

test('sound, timecode and clock each place what they can, and say so', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Line up', exact: true }).click()
  await expect(page.getByText('4 clips · 1 sure · 2 to check · 1 loose')).toBeVisible({ timeout: 60_000 })
  const [a, b, c] = [await placed('a.mov'), await placed('b.mov'), await placed('c.mov')]
  expect(a).toMatchObject({ method: 'sound', verdict: 'sure' })
  expect(Math.abs(a.start / SECOND - A.start)).toBeLessThan(0.001)
  expect(c).toMatchObject({
    method: 'timecode',
    verdict: 'check',
    why: expect.arrayContaining([{ code: 'timecode', label: '10:00:03:06', origin: 'file', through: 'a.mov', recordings: 1 }]),
  })
  expect(Math.abs(c.start / SECOND - (A.start + 78 / 24))).toBeLessThan(0.001)
  expect(b).toMatchObject({ method: 'time', verdict: 'check', why: expect.arrayContaining([expect.objectContaining({ code: 'clock' })]) })
  expect(b.start / SECOND).toBeCloseTo(A.start - 4, 2)
  await page.getByRole('button', { name: /c\.mov, check/ }).click()
  await expect(verdict(page)).toContainText('by timecode 10:00:03:06')
  await expect(page.getByRole('button', { name: /d\.mp4.*no sound in this file/ })).toBeVisible()
})

test('a silent clip is put in place by eye: both pictures stepped to the same instant', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /d\.mp4/ }).click()
  await playheadTo(page, 10)
  // Without a place it shows its own tenth second; 126 frames earlier it shows what happened at 10 s of the master.
  await expect.poll(() => rightFrame(page)).toBe(240)
  for (let i = 0; i < 12; i++) await page.keyboard.press('Shift+,')
  for (let i = 0; i < 6; i++) await page.keyboard.press(',')
  await expect.poll(() => rightFrame(page)).toBe(114)
  await page.getByRole('button', { name: 'Same instant' }).click()
  await expect.poll(async () => ((await placed('d.mp4'))?.start ?? 0) / SECOND).toBeCloseTo(C.start, 3)
  expect(await placed('d.mp4')).toMatchObject({ method: 'mark', verdict: 'sure' })
  // In place, the picture stays where it was.
  await expect.poll(() => rightFrame(page)).toBe(114)
  await page.getByRole('button', { name: 'Step the clip one frame on' }).click()
  await expect.poll(() => rightFrame(page)).toBe(115)
  await page.getByRole('button', { name: 'back in step' }).click()
  await expect.poll(() => rightFrame(page)).toBe(114)
  // Enlarged, the pictures take the room of the proof; all that steps them stays in sight.
  const picture = page.getByRole('img', { name: 'Picture of the chosen clip' })
  const { width } = (await picture.boundingBox()) ?? { width: 0 }
  await page.getByRole('button', { name: 'larger' }).click()
  await expect.poll(async () => (await picture.boundingBox())?.width).toBeGreaterThan(1.4 * width)
  for (const name of ['smaller', 'Step the clip one frame on']) await expect(page.getByRole('button', { name })).toBeInViewport({ ratio: 1 })
  await page.getByRole('button', { name: 'smaller' }).click()
  await expect(verdict(page)).toBeVisible()
  await page.keyboard.press('Control+z')
  await expect.poll(async () => await placed('d.mp4')).toBeUndefined()
})

test('marks and in points set by keys place a clip; the first frame is a last resort', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /d\.mp4/ }).click()
  await playheadTo(page, 10)
  await expect.poll(() => rightFrame(page)).toBe(240)
  await page.keyboard.press('Shift+M')
  await page.keyboard.press('Shift+I')
  for (let i = 0; i < 12; i++) await page.keyboard.press('Shift+,')
  await page.keyboard.press('m')
  for (let i = 0; i < 6; i++) await page.keyboard.press(',')
  await page.keyboard.press('i')
  await page.getByRole('button', { name: 'Place by the mark' }).click()
  await expect.poll(async () => ((await placed('d.mp4'))?.start ?? 0) / SECOND).toBeCloseTo(10 - 120 / 24, 3)
  await page.getByRole('button', { name: 'Place by the in' }).click()
  await expect.poll(async () => ((await placed('d.mp4'))?.start ?? 0) / SECOND).toBeCloseTo(C.start, 3)
  expect(await placed('d.mp4')).toMatchObject({ method: 'points', why: [{ code: 'point', point: 'in' }] })
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await expect.poll(async () => await placed('d.mp4')).toBeUndefined()
  await page.getByRole('combobox', { name: 'By which ways' }).click()
  await page.getByTitle('by first frame').click()
  await page.getByRole('button', { name: 'Line up the loose ones' }).click()
  await expect.poll(async () => (await placed('d.mp4'))?.method).toBe('first-frame')
  expect((await placed('d.mp4')).start).toBe(0)
})

test('many clips are accepted, locked and left alone together; sound from afar makes the picture later', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: /b\.mov, check/ }).click()
  await page.getByRole('button', { name: /c\.mov, check/ }).click({ modifiers: ['Control'] })
  await expect(page.getByRole('heading', { name: '2 clips chosen' })).toBeVisible()
  const before = [await placed('b.mov'), await placed('c.mov')]
  await page.keyboard.press(']')
  await expect.poll(async () => (await placed('b.mov')).start - before[0].start).toBe(SECOND / 25)
  expect((await placed('c.mov')).start - before[1].start).toBe(SECOND / 25)
  await page.keyboard.press('Enter')
  await expect.poll(async () => [(await placed('b.mov')).verdict, (await placed('c.mov')).verdict]).toEqual(['sure', 'sure'])
  await page.getByRole('button', { name: 'Lock', exact: true }).click()
  await expect.poll(async () => [(await placed('b.mov')).locked, (await placed('c.mov')).locked]).toEqual([true, true])
  await page.getByRole('button', { name: 'Line up all' }).click()
  await server.idle()
  expect((await placed('c.mov')).start - before[1].start).toBe(SECOND / 25)

  await page.getByRole('button', { name: /a\.mov, sure/ }).click()
  await page.getByText('Points and distance').click()
  await page.getByLabel('sound came from').fill('34.32')
  await page.keyboard.press('Enter')
  await expect.poll(async () => (await placed('a.mov')).start / SECOND - A.start).toBeCloseTo(0.1, 3)
  // Found again by sound, it keeps what the distance asks for.
  await page.getByRole('combobox', { name: 'By which ways' }).click()
  await page.getByTitle('by sound').click()
  await page.getByRole('button', { name: 'Line up all' }).click()
  await server.idle()
  await expect.poll(async () => (await placed('a.mov')).start / SECOND - A.start).toBeCloseTo(0.1, 3)
})

test('places come in from an exchange file of another program; a wrong file is refused in words', async ({ page }) => {
  const time = (value: number, rate = 25) => ({ OTIO_SCHEMA: 'RationalTime.1', value, rate })
  const range = (start: number, frames: number, rate = 25) => ({ OTIO_SCHEMA: 'TimeRange.1', start_time: time(start, rate), duration: time(frames) })
  const clip = (file: string, start: number, frames: number, rate = 25) => ({
    OTIO_SCHEMA: 'Clip.1',
    name: file,
    source_range: range(start, frames, rate),
    media_reference: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `file:///elsewhere/${file}`, available_range: range(0, 2000, rate) },
  })
  const gap = (frames: number) => ({ OTIO_SCHEMA: 'Gap.1', source_range: range(0, frames) })
  const tracks = [
    { OTIO_SCHEMA: 'Track.1', kind: 'Audio', children: [gap(50), clip('master-mix.wav', 0, 900)] },
    // 250 frames after the master's beginning it shows its frame 48, two seconds in.
    { OTIO_SCHEMA: 'Track.1', kind: 'Video', children: [gap(300), clip('d.mp4', 48, 100, 24), clip('not-here.mov', 0, 25)] },
  ]
  const folder = scratch('otio')
  const good = path.join(folder, 'rough.otio')
  writeFileSync(good, JSON.stringify({ OTIO_SCHEMA: 'Timeline.1', tracks: { OTIO_SCHEMA: 'Stack.1', children: tracks } }))
  writeFileSync(path.join(folder, 'wrong.otio'), '{"hello": 1}')
  await page.goto(`${server.url}/${id}/line-up`)
  await expect(page.getByRole('button', { name: 'Take in' })).toBeVisible()
  const input = page.locator('input[type=file]')
  await input.setInputFiles(path.join(folder, 'wrong.otio'))
  await expect(page.getByText('wrong.otio was not taken in')).toBeVisible()
  await input.setInputFiles(good)
  await expect(page.getByText('1 clip placed as in rough.otio; 1 of its files is not in this project')).toBeVisible()
  await expect.poll(async () => ((await placed('d.mp4'))?.start ?? 0) / SECOND).toBeCloseTo(8, 6)
  expect(await placed('d.mp4')).toMatchObject({ method: 'exchange', verdict: 'sure' })
})

test('what the master does not cover is placed through a camera that reaches out of it, and checked at start, middle and end', async ({ page }) => {
  const numbers = await makeNumbers()
  const folder = scratch('short')
  const cut = (from: string, to: string, args: string[]) => {
    mkdirSync(path.dirname(path.join(folder, to)), { recursive: true })
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', path.join(numbers, from), ...args, path.join(folder, to)])
  }
  const [begins, lasts] = [8, 9]
  cut('desk/master-mix.wav', 'desk/master-mix.wav', ['-ss', String(begins), '-t', String(lasts), '-c:a', 'pcm_s16le'])
  cut('cam-c/c.mkv', 'long/c.mkv', ['-c', 'copy'])
  // From its twentieth second on it hears nothing of the short master.
  cut('cam-b/b.mov', 'late/b.wav', ['-ss', '20', '-t', '16', '-vn', '-c:a', 'pcm_s16le'])
  const alone = new TestServer(folder, ['start'], homeWithCopies())
  await alone.start()
  try {
    const { id: short } = await alone.api<{ id: string }>('/projects', { name: 'Short master' })
    await alone.api(`/projects/${short}/gather`, { paths: [folder] })
    await alone.idle()
    await page.goto(`${alone.url}/${short}/line-up`)
    await page.getByRole('button', { name: 'Line up', exact: true }).click()
    await expect(page.getByText('2 clips · 2 sure')).toBeVisible({ timeout: 60_000 })
    await page.getByRole('button', { name: /b\.wav, sure/ }).click()
    await expect(verdict(page)).toContainText('by sound through c.mkv')
    const { doc, files } = await alone.project<State>(short)
    const late = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === 'b.wav') as string
    expect(doc.placements[late].method).toBe('through')
    expect(Math.abs(doc.placements[late].start / SECOND - (CAMERAS[1].start - begins + 20 * (1 + CAMERAS[1].drift)))).toBeLessThan(0.001)

    await page.getByRole('button', { name: 'Mark parts' }).click()
    await expect(page.getByText('The cameras ran through')).toBeVisible()

    await page.getByRole('button', { name: /c\.mkv, sure/ }).click()
    await page.keyboard.press('c')
    const heard = () =>
      page.evaluate(() => ({
        at: window.pendolo.health().soundSeconds,
        playing: window.pendolo.health().playing,
        sounds: Object.keys(window.pendolo.health().sounds).length,
      }))
    await expect.poll(async () => (await heard()).playing).toBe(true)
    const first = await heard()
    expect(first.sounds).toBe(2)
    expect(Math.abs(first.at)).toBeLessThan(3.5)
    // On to its middle and its end, as far as the master goes; then it stops by itself.
    await expect.poll(async () => (await heard()).at, { timeout: 10_000 }).toBeGreaterThan(6)
    await expect.poll(async () => (await heard()).playing, { timeout: 10_000 }).toBe(false)

    // Before the master and after it there is an event too: it can be gone to, cut and filmed.
    await page.getByRole('link', { name: 'Balance' }).click()
    await page.getByRole('switch', { name: 'Hear Late, b.wav' }).click()
    await page.getByRole('link', { name: 'Switch' }).click()
    await expect(page.getByRole('button', { name: 'Angle 1, Long' })).toBeVisible()
    await page.keyboard.press('Shift+Home')
    await expect(page.getByTestId('timecode')).toHaveText(/-00:00:02:1[89]/)
    await page.keyboard.press('1')
    await expect(page.getByRole('button', { name: /cut to Long at -00:00:02:1/ })).toBeVisible()
    await page.keyboard.press('Shift+End')
    await expect.poll(async () => (await heard()).at).toBeCloseTo(CAMERAS[2].start - begins + CAMERAS[2].seconds, 1)
    await page.getByRole('button', { name: 'Versions of the cut' }).click()
    await page.getByText('the film covers all that was recorded').click()
    await page.getByRole('link', { name: 'Hand over' }).click()
    await page.getByRole('button', { name: 'Make the film' }).click()
    await alone.idle()
    const [film] = (await alone.api<{ id: string; kind: string }[]>('/jobs')).filter((j) => j.kind === 'film')
    const made = path.join(scratch('film'), 'film.mp4')
    writeFileSync(made, Buffer.from(await (await fetch(`${alone.url}/api/jobs/${film.id}/film`)).arrayBuffer()))
    const shown = readFilm(made, 320, 180)
    expect(Math.abs(shown.length - 24 * CAMERAS[2].seconds)).toBeLessThanOrEqual(1)
    const wrong = shown.filter((picture, k) => picture?.code !== CAMERAS[2].code || Math.abs(picture.frame - k) > 1)
    expect(wrong).toEqual([])
    const sound = readSound(made, 8000)
    const loudness = (from: number, to: number) => Math.sqrt(sound.subarray(8000 * from, 8000 * to).reduce((sum, x) => sum + x * x, 0) / (8000 * (to - from)))
    // The master is over, the other recording has not begun; then it is heard.
    expect(loudness(12, 13)).toBeLessThan(0.0005)
    expect(loudness(14, 24)).toBeGreaterThan(0.005)
  } finally {
    await alone.kill()
  }
})
