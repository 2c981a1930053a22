import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { bestLag, CAMERAS, MASTER_SECONDS, makeNumbers, readFilm, readLuma, readSound } from './numbers.ts'
import { readOtio } from './otio-reader.ts'
import { scratch, TestServer } from './server.ts'

interface State {
  doc: {
    master: { clipIds: string[]; join: string }
    activeCutId: string
    angles: { id: string; name: string }[]
    clips: Record<string, { fileId: string; angleId: string | null }>
    placements: Record<string, { start: number; rate: number; verdict: string }>
    cuts: {
      id: string
      name: string
      points: { time: number; angleId: string }[]
      pieces: { id: string; kind: string; from: number | null; to: number | null; cutId?: string }[]
    }[]
  }
  files: { id: string; name: string }[]
}

const SECOND = 705_600_000
/** The desk's recorder was stopped by somebody and another was started before; together they have all. */
const FIRST = { from: 0, to: 27 }
const SECOND_RECORDER = { from: 13, to: MASTER_SECONDS }

let server: TestServer
let id: string
let master = ''

test.describe.configure({ mode: 'serial' })

test.beforeAll(async () => {
  const numbers = await makeNumbers()
  const folder = scratch('programme')
  for (const { folder: camera } of CAMERAS) cpSync(path.join(numbers, camera), path.join(folder, camera), { recursive: true })
  master = path.join(numbers, 'desk', 'master-mix.wav')
  for (const [name, { from, to }] of Object.entries({ 'desk-1': FIRST, 'desk-2': SECOND_RECORDER })) {
    mkdirSync(path.join(folder, name))
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', master, '-af', `atrim=${from}:${to},asetpts=PTS-STARTPTS`, path.join(folder, name, `${name}.wav`)])
  }
  server = new TestServer(folder)
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Programme' }))
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1', width: 320, height: 180 } }] })
  await server.idle()
})
test.afterAll(() => server?.kill())

const state = () => server.project<State>(id)
const edits = (list: unknown[]) => server.api(`/projects/${id}/edits?label=test`, { edits: list })
const named = ({ doc, files }: State, name: string) =>
  Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === name) as string
const at = (seconds: number) => Math.round(seconds * SECOND)

/** Where a second of the master stands on the score at its present zoom. */
async function xOf(page: Page, seconds: number): Promise<number> {
  const heads = page.getByRole('button', { name: /^cut to / })
  const [a, b] = [await heads.nth(0).boundingBox(), await heads.nth(1).boundingBox()]
  const times = await heads.evaluateAll((list) =>
    list.map(
      (e) =>
        /at (\d\d):(\d\d):(\d\d):(\d\d)/
          .exec(e.getAttribute('aria-label') ?? '')
          ?.slice(1)
          .map(Number) ?? [],
    ),
  )
  const [ta, tb] = times.slice(0, 2).map(([h, m, s, f]) => h * 3600 + m * 60 + s + f / 25)
  if (!a || !b) throw new Error('there are no two cuts in view')
  const perSecond = (b.x - a.x) / (tb - ta)
  return a.x + a.width / 2 + (seconds - ta) * perSecond
}

test('two recorders become one master in Gather, and the cameras are lined up on both', async ({ page }) => {
  await page.goto(`${server.url}/${id}/gather`)
  const before = await state()
  const [one, two] = [named(before, 'desk-1.wav'), named(before, 'desk-2.wav')]
  const section = page.getByRole('region', { name: 'Master' })
  if (before.doc.master.clipIds[0] !== one) {
    await section.getByRole('button', { name: /Choose/ }).click()
    await page.getByRole('menuitem', { name: 'desk-1.wav' }).click()
  }
  await expect.poll(async () => (await state()).doc.master.clipIds).toEqual([one])
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
  await section.getByRole('button', { name: 'Add a recording to the master' }).click()
  await page.getByRole('menuitem', { name: 'desk-2.wav' }).click()
  await expect.poll(async () => (await state()).doc.master.clipIds).toEqual([one, two])
  await expect(section.getByText('desk-2.wav')).toBeVisible()
  const { doc } = await state()
  expect(Math.abs(doc.placements[two].start / SECOND - SECOND_RECORDER.from)).toBeLessThan(0.0005)
  await section.getByLabel('How the recordings of the master follow each other').click()
  await page.getByTitle('the upper one as long as it lasts').click()
  await expect.poll(async () => (await state()).doc.master.join).toBe('order')
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect.poll(async () => (await state()).doc.master.join).toBe('crossfade')
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
  const after = await state()
  for (const camera of CAMERAS) {
    const place = after.doc.placements[named(after, camera.file)]
    expect(Math.abs(place.start / SECOND - camera.start), camera.file).toBeLessThan(0.002)
  }
})

test('a middle is chosen on the score and left out, the film is played over the join, and the middle is brought back', async ({ page }) => {
  const { doc } = await state()
  const angle = (n: number) => doc.clips[clipOf(doc, n)].angleId as string
  const cutId = doc.activeCutId
  await edits([0, 3, 6, 9, 12, 15, 18, 21, 24, 27, 30].map((t, i) => ({ type: 'choose', cutId, time: at(t + 0.02), choice: { angleId: angle(i % 2) } })))
  await page.goto(`${server.url}/${id}/switch`)
  await expect(page.getByRole('button', { name: /^cut to / }).nth(3)).toBeVisible()
  const box = await page.getByLabel('Score').boundingBox()
  if (!box) throw new Error('there is no score')
  const y = box.y + 70
  const [from, to] = [await xOf(page, 7), await xOf(page, 11)]
  await page.keyboard.down('Shift')
  await page.mouse.move(from, y)
  await page.mouse.down()
  await page.mouse.move((from + to) / 2, y, { steps: 4 })
  await page.mouse.move(to, y, { steps: 4 })
  await page.mouse.up()
  await page.keyboard.up('Shift')
  await page.getByRole('button', { name: 'Leave out of the film' }).click()
  const pieces = async () => (await state()).doc.cuts.find((c) => c.id === cutId)?.pieces ?? []
  await expect.poll(async () => (await pieces()).length).toBe(2)
  const [a, b] = await pieces()
  expect(Math.abs((a.to ?? 0) / SECOND - 7)).toBeLessThan(0.15)
  expect(Math.abs((b.from ?? 0) / SECOND - 11)).toBeLessThan(0.15)
  await expect(page.getByLabel('Pieces of the film')).toContainText('2 pieces')

  // Played as it will be: what was left out is never heard or seen.
  await page.keyboard.press('v')
  await page.keyboard.press('Home')
  const seen: number[] = []
  const soundSeconds = () => page.evaluate(() => window.pendolo.health().soundSeconds)
  await page.mouse.click(await xOf(page, 5.5), y)
  await page.keyboard.press('Space')
  await expect
    .poll(
      async () => {
        seen.push(await soundSeconds())
        return seen.at(-1)
      },
      { intervals: [60] },
    )
    .toBeGreaterThan(12)
  await page.keyboard.press('Space')
  expect(seen.some((t) => t < 7)).toBe(true)
  expect(seen.filter((t) => t > (a.to ?? 0) / SECOND + 0.1 && t < (b.from ?? 0) / SECOND - 0.1)).toEqual([])

  // By keys alone it is chosen again and brought back, and once more left out by undo.
  await page.keyboard.press('v')
  await page.mouse.click(await xOf(page, 6.5), y)
  await page.keyboard.press(',')
  await page.mouse.click(await xOf(page, 11.5), y)
  await page.keyboard.press('.')
  await page.getByRole('toolbar', { name: 'Chosen range' }).getByRole('button', { name: 'Bring back' }).click()
  await expect.poll(async () => (await pieces()).length).toBe(1)
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await pieces()).length).toBe(2)
})

/** The clip of a numbered camera. */
function clipOf(doc: State['doc'], n: number): string {
  const angle = doc.angles.find((a) => a.name === CAMERAS[n].folder) ?? doc.angles[n]
  return Object.keys(doc.clips).find((c) => doc.clips[c].angleId === angle.id) as string
}

/** What a frame of the film must show: the camera and its frame at an instant of the master. */
function wanted(doc: State['doc'], points: State['doc']['cuts'][number]['points'], seconds: number): { code: number; frame: number } | null {
  const point = points.findLast((p) => p.time <= seconds * SECOND + 1)
  const index = CAMERAS.findIndex((_, n) => doc.clips[clipOf(doc, n)].angleId === point?.angleId)
  const camera = CAMERAS[index]
  if (!camera) return null
  const place = doc.placements[clipOf(doc, index)]
  const own = (seconds * SECOND - place.start) / place.rate / SECOND
  const frame = Math.floor((own * camera.num) / camera.den + 1e-6)
  return own < 0.1 || own > camera.seconds - 0.2 ? null : { code: camera.code, frame }
}

test('another version is set in, and film, exchange file and a film of each part show just what was chosen', async ({ page }) => {
  test.setTimeout(600_000)
  const before = await state()
  const cutId = before.doc.activeCutId
  const clip = (n: number) => before.doc.clips[clipOf(before.doc, n)].angleId as string
  await edits([
    { type: 'addCut', cutId: 'inner', name: 'Encore', from: null },
    { type: 'choose', cutId: 'inner', time: at(0), choice: { angleId: clip(2) } },
    { type: 'choose', cutId: 'inner', time: at(16), choice: { angleId: clip(0) } },
    { type: 'keep', cutId: 'inner', start: at(14), end: at(18) },
    { type: 'activeCut', cutId },
    { type: 'keep', start: at(3), end: at(29) },
  ])
  await page.goto(`${server.url}/${id}/switch`)
  await page.getByLabel('Pieces of the film').click()
  await page.getByLabel('Version to set in').click()
  await page.getByTitle('Encore').click()
  await page.getByRole('button', { name: 'Set it in' }).click()
  await page.getByRole('button', { name: 'Add a card' }).click()
  await page.getByLabel('Words of the card').fill('Depot Night\nthe end')
  await expect(page.getByLabel('Pieces of the film')).toContainText('4 pieces')
  await page.getByLabel('Seconds of the card').focus()
  await expect.poll(async () => (await state()).doc.cuts.find((c) => c.id === cutId)?.pieces[3]).toMatchObject({ kind: 'card', text: 'Depot Night\nthe end' })
  const now = await state()
  const cut = now.doc.cuts.find((c) => c.id === cutId)
  const [first, second, inner, card] = cut?.pieces ?? []
  expect([first.kind, second.kind, inner.kind, card.kind]).toEqual(['range', 'range', 'version', 'card'])

  await edits([
    {
      type: 'addMarks',
      marks: [
        { id: 'p1', time: at(3), end: at(10), kind: 'part', name: 'Opening', hue: 1 },
        { id: 'p2', time: at(10), end: at(20), kind: 'part', name: 'Middle', hue: 2 },
        { id: 'p3', time: at(20), end: at(28), kind: 'part', name: 'End', hue: 3 },
      ],
    },
  ])
  await page.goto(`${server.url}/${id}/hand-over`)
  await page.getByRole('button', { name: 'Make the film' }).click()
  await page.getByRole('button', { name: 'A film of each of the 3 parts' }).click()
  await expect(page.getByText('programme-opening.mp4')).toBeVisible()
  await server.idle()
  await expect(page.getByText(/^ready/)).toHaveCount(4)

  // Where each frame of the film comes from on the master, as the pieces say.
  const frame = (t: number | null) => Math.ceil(((t ?? 0) / SECOND) * 25 - 1e-6)
  const runs = [
    { from: frame(first.from), to: frame(first.to), points: cut?.points ?? [] },
    { from: frame(second.from), to: frame(second.to), points: cut?.points ?? [] },
    { from: 14 * 25, to: 18 * 25, points: now.doc.cuts.find((c) => c.id === 'inner')?.points ?? [] },
  ]
  const jobs = await server.api<{ kind: string; result: { path: string; name: string } | null }[]>('/jobs')
  const filmNamed = (name: string) => jobs.find((j) => j.result?.name === name)?.result?.path as string
  const sources = runs.flatMap(({ from, to, points }) => Array.from({ length: to - from }, (_, i) => ({ master: (from + i) / 25, points })))
  const film = readFilm(filmNamed('programme.mp4'), 320, 180)
  expect(film).toHaveLength(sources.length + 50)
  // The card: white words in the middle of black, from its first frame to the last.
  const luma = readLuma(filmNamed('programme.mp4'), 320, 180)
  for (const n of [sources.length, sources.length + 49]) {
    const picture = luma[n]
    const bright = (fromRow: number, toRow: number) => picture.subarray(fromRow * 320, toRow * 320).filter((v) => v > 200).length
    expect(bright(60, 120)).toBeGreaterThan(300)
    expect(bright(0, 50) + bright(130, 180)).toBe(0)
  }
  let right = 0
  for (const [n, { master: t, points }] of sources.entries()) {
    const want = wanted(now.doc, points, t)
    if (!want) continue
    expect(film[n], `frame ${n}, master ${t} s`).toEqual(want)
    right++
  }
  expect(right).toBeGreaterThan(500)

  // The sound of each piece is the master's, to the sample, right up to the joins.
  const RATE = 16_000
  const [heard, whole] = [readSound(filmNamed('programme.mp4'), RATE), readSound(master, RATE)]
  let begins = 0
  for (const { from, to } of runs) {
    const length = (to - from) / 25
    for (const [a, b] of [
      [0.05, 1.5],
      [length - 1.5, length - 0.05],
    ]) {
      const piece = (sound: Float32Array, start: number) => sound.slice(Math.round((start + a) * RATE), Math.round((start + b) * RATE))
      expect(Math.abs(bestLag(piece(whole, from / 25), piece(heard, begins), 200)), `piece from ${from / 25} s`).toBeLessThanOrEqual(1)
    }
    begins += length
  }
  expect(Math.max(...heard.slice(Math.round((begins + 0.2) * RATE), Math.round((begins + 1.8) * RATE)).map(Math.abs))).toBeLessThan(0.001)

  // Each part is what the film keeps of it.
  for (const [name, from, to] of [
    ['programme-opening.mp4', 3, 10],
    ['programme-middle.mp4', 10, 20],
    ['programme-end.mp4', 20, 28],
  ] as const) {
    const mine = sources.filter(({ master: t }) => t >= from - 1e-6 && t < to - 1e-6)
    const read = readFilm(filmNamed(name), 320, 180)
    expect(read.length, name).toBe(mine.length)
    for (const [n, { master: t, points }] of mine.entries()) {
      const want = wanted(now.doc, points, t)
      if (want) expect(read[n], `${name} frame ${n}`).toEqual(want)
    }
  }

  // The exchange file has the same frames of the same files.
  const otio = readOtio(await (await fetch(`${server.url}/api/projects/${id}/exchange/otio`)).text())
  const track = otio.tracks.find((t) => t.name.startsWith('Cut'))
  const clips = track?.clips ?? []
  let checked = 0
  for (const one of clips) {
    const source = sources[one.trackStart - clips[0].trackStart]
    const want = wanted(now.doc, source.points, source.master)
    if (!want) continue
    expect([one.name, one.sourceStart], `${one.name} at frame ${one.trackStart}`).toEqual([CAMERAS[want.code - 1].file, want.frame])
    checked++
  }
  expect(checked).toBeGreaterThan(8)
})
