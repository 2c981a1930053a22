import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { bestLag, type Camera, filmPictures, makeNumbers, readSound, type Show } from './numbers.ts'
import { readOtio } from './otio-reader.ts'
import { scratch, TestServer } from './server.ts'

/** A whole event, as long as is asked for: two recorders as one master, three parts, a removed middle, a version set into another. */
const MINUTES = Number(process.env.PENDOLO_EVENT_MINUTES ?? 0)
const LENGTH = MINUTES * 60
const SECOND = 705_600_000
const RATE = 8000
const FPS = 25

const part = (share: number) => Math.round(share * LENGTH)
const camera = (folder: string, file: string, code: number, [num, den]: [number, number], from: number, to: number, drift: number): Camera => ({
  folder,
  file,
  code,
  num,
  den,
  start: from,
  seconds: Math.floor(to - from),
  drift,
})
const SHOW: Show = {
  name: `event-${MINUTES}`,
  seconds: LENGTH,
  cameras: [
    camera('cam-a', 'a1.mp4', 1, [25, 1], 2.013, part(0.49), 20e-6),
    camera('cam-a', 'a2.mp4', 2, [25, 1], part(0.51) + 0.37, LENGTH - 4, 20e-6),
    camera('cam-b', 'b1.mov', 3, [30000, 1001], -1.507, part(0.56), -8e-6),
    camera('cam-b', 'b2.mov', 4, [30000, 1001], part(0.565) + 0.11, LENGTH - 2, -8e-6),
    camera('cam-c', 'c.mkv', 5, [24, 1], 5.25, LENGTH - 6, 4e-6),
  ],
}
/** The removed middle, what the other version keeps, head and tail, on the master, s. */
const GONE = { from: part(0.34), to: part(0.46) }
const INNER = { from: part(0.15), to: part(0.2) }
const KEPT = { from: 3, to: LENGTH - 9 }
const PARTS = [
  { id: 'p1', name: 'Opening', from: KEPT.from, to: part(0.3) },
  { id: 'p2', name: 'Middle', from: part(0.3), to: part(0.66) },
  { id: 'p3', name: 'End', from: part(0.66), to: LENGTH - 20 },
]

interface Doc {
  activeCutId: string
  master: { clipIds: string[] }
  clips: Record<string, { fileId: string; angleId: string | null }>
  placements: Record<string, { start: number; rate: number; verdict: string }>
  cuts: { id: string; points: { time: number; angleId: string }[]; pieces: { kind: string; from: number; to: number }[] }[]
}
interface State {
  doc: Doc
  files: { id: string; name: string }[]
}

let server: TestServer | undefined
test.afterEach(() => server?.kill())
test.skip(MINUTES === 0, 'asked for by PENDOLO_EVENT_MINUTES')

test(`an event of ${MINUTES} minutes is played, filmed whole and in parts, and exchanged`, async ({ page }) => {
  test.setTimeout(7_200_000)
  const numbers = await makeNumbers(SHOW)
  const folder = scratch('event')
  for (const { folder: from } of SHOW.cameras) cpSync(path.join(numbers, from), path.join(folder, from), { recursive: true })
  const master = path.join(numbers, 'desk', 'master-mix.wav')
  for (const [name, from, to] of [
    ['desk-1', 0, part(0.64)],
    ['desk-2', part(0.44), LENGTH],
  ] as const) {
    mkdirSync(path.join(folder, name))
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', master, '-af', `atrim=${from}:${to},asetpts=PTS-STARTPTS`, path.join(folder, name, `${name}.wav`)])
  }
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Event' })
  const state = () => own.project<State>(id)
  const edits = (list: unknown[]) => own.api(`/projects/${id}/edits?label=test`, { edits: list })
  const at = (seconds: number) => Math.round(seconds * SECOND)
  await own.api(`/projects/${id}/gather`, { paths: [folder] })
  await edits([{ type: 'settings', change: { rate: '25/1', width: 320, height: 180 } }])
  await own.idle()
  const named = ({ doc, files }: State, name: string) =>
    Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === name) as string
  const gathered = await state()
  const [one, two] = [named(gathered, 'desk-1.wav'), named(gathered, 'desk-2.wav')]
  await edits([{ type: 'setMaster', clipId: one }])
  await own.api(`/projects/${id}/lineup`, {})
  await own.idle()
  await edits([{ type: 'masters', clipIds: [one, two], join: 'crossfade' }])
  await own.api(`/projects/${id}/lineup`, {})
  await own.idle()

  const placed = await state()
  const clipIds = SHOW.cameras.map((c) => named(placed, c.file))
  for (const [i, { file, start, drift, seconds }] of SHOW.cameras.entries()) {
    const place = placed.doc.placements[clipIds[i]]
    expect(place.verdict, `${file} ${JSON.stringify(place)}`).toBe('sure')
    for (const own of [0, seconds])
      expect(Math.abs(place.start / SECOND + place.rate * own - start - (1 + drift) * own), `${file} at ${own} s`).toBeLessThan(0.002)
  }
  const angles = [0, 2, 4].map((i) => placed.doc.clips[clipIds[i]].angleId as string)
  const cutId = placed.doc.activeCutId
  // Cuts of an evening: three to eleven seconds apart, by turns.
  const points: number[] = []
  for (let t = 0.02, n = 0; t < LENGTH - 10; t += 3 + ((n++ * 5) % 9) + 0.28) points.push(t)
  for (let i = 0; i < points.length; i += 500)
    await edits(points.slice(i, i + 500).map((t, k) => ({ type: 'choose', cutId, time: at(t), choice: { angleId: angles[(i + k) % 3] } })))
  await edits([
    { type: 'keep', start: at(KEPT.from), end: at(KEPT.to) },
    { type: 'leaveOut', cutId, from: at(GONE.from), to: at(GONE.to) },
    { type: 'addCut', cutId: 'inner', name: 'Encore', from: null },
    { type: 'choose', cutId: 'inner', time: at(0), choice: { angleId: angles[2] } },
    { type: 'choose', cutId: 'inner', time: at((INNER.from + INNER.to) / 2), choice: { angleId: angles[0] } },
    { type: 'keep', cutId: 'inner', start: at(INNER.from), end: at(INNER.to) },
    { type: 'activeCut', cutId },
    { type: 'addPiece', cutId, before: null, piece: { id: 'set-in', kind: 'version', cutId: 'inner', from: null, to: null } },
    { type: 'addMarks', marks: PARTS.map(({ from, to, ...p }, hue) => ({ ...p, time: at(from), end: at(to), kind: 'part', hue })) },
  ])

  // Played over the join of the removed middle: what was left out is neither heard nor seen.
  await page.goto(`${own.url}/${id}/switch`)
  await expect(page.getByRole('button', { name: /^cut to / }).first()).toBeVisible()
  const health = () => page.evaluate(() => window.pendolo.health())
  // From cut to cut, up to the last one before the join.
  await page.keyboard.press('Shift+Home')
  for (let n = points.filter((t) => t < GONE.from - 1).length; n > 0; n--) await page.keyboard.press('ArrowDown')
  await expect.poll(async () => GONE.from - (await health()).soundSeconds).toBeLessThan(13)
  await page.keyboard.press('v')
  const seen: number[] = []
  await page.keyboard.press('Space')
  await expect
    .poll(
      async () => {
        seen.push((await health()).soundSeconds)
        return seen.at(-1)
      },
      { intervals: [60] },
    )
    .toBeGreaterThan(GONE.to + 2)
  await page.keyboard.press('Space')
  expect(seen.some((t) => t < GONE.from)).toBe(true)
  expect(seen.filter((t) => t > GONE.from + 0.1 && t < GONE.to - 0.1)).toEqual([])

  await page.goto(`${own.url}/${id}/hand-over`)
  await page.getByRole('button', { name: 'Make the film' }).click()
  await page.getByRole('button', { name: 'A film of each of the 3 parts' }).click()
  await expect.poll(async () => (await own.api<{ kind: string }[]>('/jobs')).filter((j) => j.kind === 'film').length).toBe(1 + PARTS.length)
  await own.idle()

  const { doc } = await state()
  const cut = doc.cuts.find((c) => c.id === cutId)
  const inner = doc.cuts.find((c) => c.id === 'inner')
  const frame = (seconds: number) => Math.ceil(seconds * FPS - 1e-6)
  const runs = [
    { from: frame(KEPT.from), to: frame(GONE.from), points: cut?.points ?? [] },
    { from: frame(GONE.to), to: frame(KEPT.to), points: cut?.points ?? [] },
    { from: frame(INNER.from), to: frame(INNER.to), points: inner?.points ?? [] },
  ]
  const sources = runs.flatMap(({ from, to, points: list }) => Array.from({ length: to - from }, (_, i) => ({ master: (from + i) / FPS, points: list })))
  const wanted = ({ master: seconds, points: list }: (typeof sources)[number]) => {
    const angleId = list.findLast((p) => p.time <= seconds * SECOND + 1)?.angleId
    for (const [i, { num, den, seconds: length, code }] of SHOW.cameras.entries()) {
      const place = doc.placements[clipIds[i]]
      const own = (seconds * SECOND - place.start) / place.rate / SECOND
      if (doc.clips[clipIds[i]].angleId === angleId && own > 0.1 && own < length - 0.2) return { code, frame: Math.floor((own * num) / den + 1e-6) }
    }
    return null
  }
  const jobs = await own.api<{ result: { path: string; name: string } | null }[]>('/jobs')
  const filmNamed = (name: string) => jobs.find((j) => j.result?.name === name)?.result?.path as string
  const checkFilm = async (name: string, mine: typeof sources) => {
    let n = 0
    let right = 0
    for await (const read of filmPictures(filmNamed(name), 320, 180)) {
      const want = n < mine.length ? wanted(mine[n]) : null
      if (want && (read?.code !== want.code || read.frame !== want.frame)) expect(read, `${name}, frame ${n}, master ${mine[n].master} s`).toEqual(want)
      if (want) right++
      n++
    }
    expect(n, name).toBe(mine.length)
    expect(right, name).toBeGreaterThan(0.9 * mine.length)
    console.log(`${name}: ${right} of ${n} frames asked and right`)
  }
  await checkFilm('event.mp4', sources)
  for (const { name, from, to } of PARTS)
    await checkFilm(
      `event-${name.toLowerCase()}.mp4`,
      sources.filter(({ master: t }) => t >= from - 1e-6 && t < to - 1e-6),
    )

  // The sound of each piece is the master's, to the sample, right up to the joins.
  const [heard, whole] = [readSound(filmNamed('event.mp4'), RATE), readSound(master, RATE)]
  let begins = 0
  for (const { from, to } of runs) {
    const length = (to - from) / FPS
    for (const [a, b] of [
      [0.05, 2],
      [length / 2, length / 2 + 2],
      [length - 2, length - 0.05],
    ]) {
      const piece = (sound: Float32Array, start: number) => sound.slice(Math.round((start + a) * RATE), Math.round((start + b) * RATE))
      expect(Math.abs(bestLag(piece(whole, from / FPS), piece(heard, begins), 200)), `piece from ${from / FPS} s, at ${a} s`).toBeLessThanOrEqual(1)
    }
    begins += length
  }

  // The exchange file has the same frames of the same files.
  const otio = readOtio(await (await fetch(`${own.url}/api/projects/${id}/exchange/otio`)).text())
  const clips = otio.tracks.find((t) => t.name.startsWith('Cut'))?.clips ?? []
  let checked = 0
  for (const clip of clips) {
    const want = wanted(sources[clip.trackStart - clips[0].trackStart])
    if (!want) continue
    expect([clip.name, clip.sourceStart], `${clip.name} at frame ${clip.trackStart}`).toEqual([SHOW.cameras[want.code - 1].file, want.frame])
    checked++
  }
  expect(checked).toBeGreaterThan(0.95 * clips.length)
  expect(clips.length).toBeGreaterThan(0.8 * points.length * ((KEPT.to - KEPT.from - GONE.to + GONE.from) / LENGTH))
  console.log(`${clips.length} stretches exchanged, ${checked} asked and right`)
})
