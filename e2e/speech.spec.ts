import { execFileSync, spawnSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { wav } from './numbers.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

interface State {
  doc: {
    marks: { id: string; kind: string; name: string; time: number; end?: number; text?: string; hue: number; clipId?: string; found?: true }[]
    spans?: { from: number; to: number; kind: string }[]
    clips: Record<string, { fileId: string }>
    placements: Record<string, { start: number }>
  }
  files: { id: string; name: string }[]
}

const root = path.dirname(import.meta.dirname)
const SECOND = 705_600_000
const RATE = 48000
/** Phrases of the demo's speech, and how they follow each other in the dialogue: who says which, after how long a pause. */
const SAID = [
  { who: 0, from: 0, to: 4.0, pause: 1.2 },
  { who: 1, from: 9.6, to: 11.66, pause: 0.7 },
  { who: 0, from: 12.05, to: 16.95, pause: 0.9 },
  { who: 1, from: 17.3, to: 21.4, pause: 0.6 },
  { who: 1, from: 25.05, to: 27.4, pause: 1.5 },
  { who: 0, from: 27.95, to: 32.16, pause: 0.7 },
]

let server: TestServer
let folder: string
let id: string
const truth: { start: number; end: number; who: number }[] = []

test.describe.configure({ mode: 'serial' })

function decode(...filter: string[]): Float32Array {
  const speech = path.join(root, 'demo', 'assets', 'speech.ogg')
  const bytes = execFileSync('ffmpeg', ['-v', 'error', '-i', speech, ...filter, '-ac', '1', '-ar', String(RATE), '-f', 'f32le', '-'], { maxBuffer: 1 << 28 })
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + (bytes.length & ~3)))
}

/** Two people, one of them with a higher voice, each with a microphone that hears the other 12 dB lower; then applause. */
function makeDialogue(): void {
  const voices = [decode(), decode('-af', 'asetrate=48000*1.25,aresample=48000,atempo=0.8')]
  const seconds = 34
  const mics = [0, 1].map(() => new Float32Array(seconds * RATE))
  let at = 0
  for (const { who, from, to, pause } of SAID) {
    at += pause
    const part = voices[who].slice(from * RATE, to * RATE)
    const loud = part.reduce((m, x) => Math.max(m, Math.abs(x)), 0)
    const first = part.findIndex((x) => Math.abs(x) > 0.03 * loud)
    const last = part.findLastIndex((x) => Math.abs(x) > 0.03 * loud)
    truth.push({ start: at, end: at + (last - first) / RATE, who })
    for (const [m, mic] of mics.entries())
      for (let i = first; i < last; i++) mic[Math.round(at * RATE) + i - first + (m === who ? 0 : 150)] += part[i] * (m === who ? 1 : 0.25)
    at += (last - first) / RATE
  }
  let a = 5
  const random = () => {
    a = (Math.imul(a, 1664525) + 1013904223) | 0
    return (a >>> 0) / 4294967296
  }
  for (let clap = 0; clap < 1400; clap++) {
    const from = Math.round((at + 1 + random() * (seconds - at - 1.2)) * RATE)
    const decay = (0.002 + 0.004 * random()) * RATE
    for (let i = 0; i < 900; i++) {
      const x = 0.12 * (random() - 0.5) * Math.exp(-i / decay)
      for (const mic of mics) mic[from + i] += x
    }
  }
  for (const mic of mics) for (let i = 0; i < mic.length; i++) mic[i] += 0.0006 * (random() - 0.5)
  const write = (name: string, samples: Float32Array) => {
    mkdirSync(path.join(folder, name), { recursive: true })
    writeFileSync(path.join(folder, name, `${name}.wav`), wav(samples))
  }
  write(
    'desk',
    mics[0].map((x, i) => 0.6 * (x + mics[1][i])),
  )
  // The second recorder was started three seconds later.
  write('anna', mics[0])
  write('bruno', mics[1].slice(3 * RATE))
}

test.beforeAll(async () => {
  folder = scratch('dialogue')
  makeDialogue()
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Dialogue' }))
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc, files } = await server.project<State>(id)
  const desk = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === 'desk.wav') as string
  await server.api(`/projects/${id}/edits?label=master`, { edits: [{ type: 'setMaster', clipId: desk }] })
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
})
test.afterAll(() => server.kill())

const state = async () => (await server.project<State>(id)).doc
const phrases = async () => (await state()).marks.filter((m) => m.kind === 'phrase')
/** The list of phrases alone, once the page is there. */
async function onlyPhrases(page: Page): Promise<void> {
  await expect(page.getByRole('option').first()).toBeVisible()
  await page.keyboard.press('5')
  await expect(page.getByRole('listbox', { name: /phrases/ })).toBeVisible()
}
const at = (page: Page) => page.evaluate(() => window.pendolo.health().soundSeconds)

async function listen(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Find something else' }).click()
  await page.getByText('Speech: phrases, speakers, applause').click()
  await expect(page.getByRole('checkbox', { checked: true })).toHaveCount(2)
  // The job is there when the server has answered, not when the dialog is gone.
  const begun = page.waitForResponse((r) => r.url().endsWith('/pulse') && r.request().method() === 'POST')
  await page.getByRole('button', { name: 'Listen' }).click()
  await begun
  await expect(page.getByRole('button', { name: 'Listen' })).toBeHidden()
  await server.idle()
}

test('phrases are found with who says them, and applause is told apart', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  await listen(page)
  const found = await phrases()
  // A pause at a comma may divide a sentence, but nobody speaks where nobody does.
  expect(found.length).toBeLessThanOrEqual(truth.length + 4)
  for (const { start, who } of truth) {
    const near = found.find((m) => Math.abs(m.time / SECOND - start) < 0.15)
    expect(near?.name, `at ${start.toFixed(2)} s`).toMatch(who === 0 ? /anna/i : /bruno/i)
  }
  for (const m of found) {
    const said = truth.find((t) => m.time / SECOND > t.start - 0.15 && m.time / SECOND < t.end)
    expect(m.name).toMatch(said?.who === 0 ? /anna/i : said?.who === 1 ? /bruno/i : /nobody speaks here/)
  }
  const { spans = [] } = await state()
  const kindAt = (t: number) => spans.find((s) => t >= s.from / SECOND && t < s.to / SECOND)?.kind
  expect([truth[0].start + 1, truth[3].start + 1].map(kindAt)).toEqual(['speech', 'speech'])
  expect(kindAt(32)).toBe('applause')
  await expect(page.getByText('applause', { exact: true }).first()).toBeVisible()
})

test('the list is gone through by keys and searched; a note is written and found again', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  await onlyPhrases(page)
  await page.keyboard.press('Home')
  const starts = (await phrases()).map((m) => m.time / SECOND)
  for (const start of starts.slice(0, 3)) {
    await page.keyboard.press('ArrowDown')
    await expect.poll(() => at(page)).toBeCloseTo(start, 2)
  }
  await page.keyboard.press('ArrowUp')
  await expect.poll(() => at(page)).toBeCloseTo(starts[1], 2)
  await page.getByRole('option').nth(2).click()
  await page.getByLabel('Note of the chosen mark').fill('about the winter')
  await page.getByLabel('Name of the chosen mark').click()
  await expect.poll(async () => (await phrases())[2].text).toBe('about the winter')
  await page.getByLabel('Find a mark').fill('winter')
  await expect(page.getByRole('option')).toHaveCount(1)
  await page.getByLabel('Find a mark').fill('nothing of the kind')
  await expect(page.getByText('None with this in its name or note.')).toBeVisible()
})

test('listening again keeps what was touched; many marks are changed at once and all comes back by undo', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  const before = await phrases()
  await listen(page)
  const after = await phrases()
  expect(after.filter((m) => m.text === 'about the winter')).toHaveLength(1)
  expect(after).toHaveLength(before.length + 1)
  await page.keyboard.press('Control+z')
  await expect.poll(phrases).toEqual(before)

  await onlyPhrases(page)
  await page.getByRole('option').nth(0).click()
  await page
    .getByRole('option')
    .nth(2)
    .click({ modifiers: ['Shift'] })
  await page
    .getByRole('option')
    .nth(1)
    .click({ modifiers: ['Control'] })
  await expect(page.getByRole('group', { name: '2 marks' })).toBeVisible()
  await page.getByRole('radio', { name: 'Colour 9' }).click()
  await page.getByRole('button', { name: 'Chosen marks a frame later' }).click()
  await expect.poll(async () => (await phrases()).filter((m) => m.hue === 8)).toHaveLength(2)
  await expect.poll(async () => (await phrases())[0].time - before[0].time).toBe(SECOND / 25)
  await page.keyboard.press('Backspace')
  await expect.poll(async () => (await phrases()).length).toBe(before.length - 2)
  for (let i = 0; i < 3; i++) await page.keyboard.press('Control+z')
  await expect.poll(phrases).toEqual(before)
})

test('a mark that stands on a clip moves with it', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  const [first] = await phrases()
  await onlyPhrases(page)
  await page.getByRole('option').nth(0).click()
  await page.getByRole('combobox', { name: 'What the chosen marks stand on' }).click()
  await page.getByTitle('moves with bruno.wav').click()
  await expect.poll(async () => (await state()).marks.find((m) => m.id === first.id)?.clipId).toBeTruthy()
  const { marks, placements, clips } = await state()
  const clip = marks.find((m) => m.id === first.id)?.clipId as string
  const stands = marks.find((m) => m.id === first.id) as { time: number }
  expect(Math.abs(placements[clip].start + stands.time - first.time)).toBeLessThan(SECOND / 1000)
  await page.getByRole('option').nth(0).click()
  await expect.poll(() => at(page)).toBeCloseTo(first.time / SECOND, 2)
  // The clip is nudged by two seconds; the mark stands two seconds later.
  await server.api(`/projects/${id}/edits?label=nudge`, { edits: [{ type: 'nudge', clipIds: [clip], by: 2 * SECOND }] })
  expect(Object.keys(clips)).toContain(clip)
  await page.keyboard.press('End')
  // The page hears of it a moment later; until then the mark leads to where it stood.
  await expect(async () => {
    await page.getByRole('option', { name: /anna/i }).first().click()
    expect(await at(page)).toBeCloseTo(first.time / SECOND + 2, 1)
  }).toPass({ timeout: 20_000 })
})

test('the command line tells the same, and says what it cannot do', () => {
  const pendolo = (...args: string[]) =>
    spawnSync(process.execPath, [path.join(root, 'server', 'dist', 'cli.mjs'), ...args], {
      encoding: 'utf8',
      env: { ...process.env, PENDOLO_HOME: path.join(folder, 'home') },
    })
  const file = (name: string) => path.join(folder, name, `${name}.wav`)
  const { status, stdout } = pendolo('pulse', '--json', '--speech', file('desk'), '--mic', file('anna'), '--mic', file('bruno'))
  expect(status).toBe(0)
  const told = JSON.parse(stdout) as {
    phrases: { start: number; end: number; speaker: number | null }[]
    spans: { start: number; end: number; kind: string }[]
  }
  const turns = (list: (number | null)[]) => list.filter((who, i) => i === 0 || who !== list[i - 1])
  expect(turns(told.phrases.map((p) => p.speaker))).toEqual(turns(truth.map((t) => t.who)))
  expect(told.spans[0].start).toBe(0)
  expect(told.spans.some((s) => s.kind === 'applause')).toBe(true)
  expect(pendolo('pulse', '--mic', file('anna'), file('desk')).stderr).toContain('--mic goes with --speech')
  expect(pendolo('pulse', '--speech', '--mic', '/no/such.wav', file('desk')).stderr).toContain('/no/such.wav does not exist')
})

test('voices may be channels of one recorder', async ({ page }) => {
  const [anna, bruno, desk] = ['anna', 'bruno', 'desk'].map((name) => path.join(folder, name, `${name}.wav`))
  const bag = path.join(folder, 'bag', 'bag.wav')
  mkdirSync(path.dirname(bag))
  const mono = 'aformat=channel_layouts=mono'
  const graph = `[2:a]${mono},volume=0.03[room];[0:a]${mono}[a];[1:a]${mono},adelay=3000[b];[room][a][b]join=inputs=3:channel_layout=3.0:map=0.0-FL|1.0-FR|2.0-FC`
  execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', anna, '-i', bruno, '-i', desk, '-filter_complex', graph, '-c:a', 'pcm_s16le', bag])
  await server.api(`/projects/${id}/gather`, { paths: [path.dirname(bag)] })
  await server.idle()
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
  await page.goto(`${server.url}/${id}/pulse`)
  await page.getByRole('button', { name: 'Find something else' }).click()
  await page.getByText('Speech: phrases, speakers, applause').click()
  const checked = page.getByRole('checkbox', { checked: true })
  await expect(checked.first()).toBeVisible()
  while ((await checked.count()) > 0) await checked.first().click()
  await page.getByRole('checkbox', { name: /bag\.wav, channel 2/ }).check()
  await page.getByRole('checkbox', { name: /bag\.wav, channel 3/ }).check()
  await page.getByRole('button', { name: 'Listen' }).click()
  await expect(page.getByRole('button', { name: 'Listen' })).toBeHidden()
  await server.idle()
  const found = (await phrases()).filter((m) => /^Bag/.test(m.name))
  expect(found.length).toBeGreaterThan(2)
  for (const { start, who } of truth) {
    const near = found.find((m) => Math.abs(m.time / SECOND - start) < 0.15)
    if (near) expect(near.name, `at ${start.toFixed(2)} s`).toBe(who === 0 ? 'Bag 2' : 'Bag 3')
  }
  expect(new Set(found.map((m) => m.name)).size).toBe(2)
})
