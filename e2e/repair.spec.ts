import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

const RATE = 48000
const LENGTH = 20
/** A voice from here on, Hz; before it only what is wrong with the recording is heard. */
const [VOICE, SPEAKS] = [1000, 8]

let server: TestServer
let id: string
let lapel: string

test.beforeAll(async () => {
  const folder = scratch('repair')
  for (const name of ['mix', 'lapel']) mkdirSync(path.join(folder, name), { recursive: true })
  // Mains at 50.1 Hz with six tones, noise, a click each second from 8.5 s on.
  const hum = Array.from({ length: 6 }, (_, k) => `${(0.03 / (k + 1)).toFixed(4)}*sin(2*PI*${50.1 * (k + 1)}*t)`).join('+')
  const clicks = `if(gt(n,${8.4 * RATE})*eq(mod(n,${RATE}),${RATE / 2}),0.7,0)`
  const voice = `0.2*gt(t,${SPEAKS})*(0.6+0.4*sin(2*PI*t))*sin(2*PI*${VOICE}*t)`
  const inputs = [
    '-f',
    'lavfi',
    '-i',
    `aevalsrc='${hum}+${clicks}+${voice}':s=${RATE}:d=${LENGTH}`,
    '-f',
    'lavfi',
    '-i',
    `anoisesrc=d=${LENGTH}:a=0.006:seed=4:r=${RATE}`,
  ]
  execFileSync('ffmpeg', [
    ...['-v', 'error', ...inputs, '-filter_complex', '[0][1]amix=inputs=2:normalize=0[a]', '-map', '[a]', '-c:a', 'pcm_s24le'],
    path.join(folder, 'lapel', 'lapel.wav'),
  ])
  execFileSync('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', `aevalsrc='0':s=${RATE}:d=${LENGTH}`, '-c:a', 'pcm_s24le'],
    path.join(folder, 'mix', 'mix.wav'),
  ])
  server = new TestServer(folder)
  await server.start()
  id = (await server.api<{ id: string }>('/projects', { name: 'Lapel' })).id
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc, files } = await server.project<{ doc: Doc; files: { id: string; name: string }[] }>(id)
  const clip = (name: string) => Object.values(doc.clips).find((c) => files.find((f) => f.id === c.fileId)?.name === name)?.id as string
  lapel = clip('lapel.wav')
  const place = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false }
  await server.api(`/projects/${id}/edits?label=placed`, {
    edits: [
      { type: 'setMaster', clipId: clip('mix.wav') },
      { type: 'place', by: 'hand', placements: { [lapel]: place }, loose: {} },
      { type: 'strip', clipId: lapel, change: { on: true } },
    ],
  })
})
test.afterAll(() => server?.kill())

interface Doc {
  clips: Record<string, { id: string; fileId: string }>
  strips: Record<string, { repair?: Record<'hum' | 'clicks' | 'wind' | 'noise', { on: boolean; hz: number; harmonics: number; bandsDb: number[] }> }>
}
const repair = async () =>
  Object.values((await server.project<{ doc: Doc }>(id)).doc.strips)
    .map((s) => s.repair)
    .find(Boolean)

async function filmed(): Promise<Float32Array> {
  await server.api(`/projects/${id}/film`, { width: 160, height: 90, rate: '25/1', lossless: true })
  await server.idle()
  const [job] = (await server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  const bytes = execFileSync('ffmpeg', ['-v', 'error', '-i', job.result?.path as string, '-map', '0:a', '-af', 'pan=mono|c0=c0', '-f', 'f32le', 'pipe:1'], {
    maxBuffer: 2 ** 28,
  })
  return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
}
const rms = (samples: Float32Array, from: number, to: number) => {
  let sum = 0
  for (let n = Math.round(from * RATE); n < Math.round(to * RATE); n++) sum += samples[n] ** 2
  return Math.sqrt(sum / ((to - from) * RATE))
}
function toneIn(samples: Float32Array, hz: number, from: number, to: number): number {
  let [a, b] = [0, 0]
  for (let n = Math.round(from * RATE); n < Math.round(to * RATE); n++) {
    a += samples[n] * Math.cos((2 * Math.PI * hz * n) / RATE)
    b += samples[n] * Math.sin((2 * Math.PI * hz * n) / RATE)
  }
  return Math.hypot(a, b) / (((to - from) * RATE) / 2)
}
/** Highest sample around the clicks, above all that the voice has. */
const clickHeight = (samples: Float32Array) => {
  let most = 0
  for (let s = 9.5; s < LENGTH; s++) {
    const n = Math.round(s * RATE)
    most = Math.max(most, Math.abs(samples[n] - (samples[n - 1] + samples[n + 1]) / 2))
  }
  return most
}
const decibels = (x: number) => 20 * Math.log10(Math.max(x, 1e-9))
const open = (page: Page) => page.getByRole('button', { name: 'Repair Lapel' }).click()
const row = (page: Page) => page.getByRole('group', { name: 'Lapel, lapel.wav', exact: true })

test('a lapel with hum, clicks and noise is repaired, each can be heard without, and the film sounds so', async ({ page }) => {
  const before = await filmed()
  await page.goto(`${server.url}/${id}/balance`)
  await row(page).locator('.gain').click()
  await open(page)
  const panel = page.locator('.repairs')
  await expect(panel.getByRole('switch', { name: 'noise is on' })).toBeDisabled()
  await expect(panel.getByRole('button', { name: 'Learn it from the range' })).toBeDisabled()
  await panel.getByRole('button', { name: 'Find it' }).click()
  await expect.poll(async () => (await repair())?.hum).toMatchObject({ on: true, harmonics: 6 })
  expect(Math.abs(((await repair())?.hum.hz ?? 0) - 50.1)).toBeLessThan(0.06)
  await panel.getByRole('switch', { name: 'clicks is on' }).click()
  await expect.poll(async () => (await repair())?.clicks?.on).toBe(true)

  // The noise alone: a range is drawn over it, and it is learnt.
  await page.keyboard.press('Escape')
  const box = (await row(page).locator('.level-plot').boundingBox()) as { x: number; y: number; width: number; height: number }
  await page.mouse.move(box.x + (box.width * 1) / LENGTH, box.y + box.height * 0.8)
  await page.mouse.down()
  await page.mouse.move(box.x + (box.width * 6) / LENGTH, box.y + box.height * 0.8, { steps: 5 })
  await page.mouse.up()
  await open(page)
  await panel.getByRole('button', { name: 'Learn it from the range' }).click()
  await expect.poll(async () => (await repair())?.noise?.bandsDb.length).toBe(48)
  await panel.getByLabel('Noise of Lapel down by, dB').fill('18')
  await panel.getByLabel('Noise of Lapel down by, dB').press('Enter')
  await expect(page.getByRole('button', { name: 'Repair Lapel' })).toHaveText('Repair 3')

  const after = await filmed()
  expect(after.length).toBe(before.length)
  // The voice is there as it was, and where it was.
  const swell = (s: Float32Array) => [9.25, 9.75].map((t) => toneIn(s, VOICE, t - 0.05, t + 0.05))
  for (const [i, level] of swell(after).entries()) expect(Math.abs(decibels(level / swell(before)[i]))).toBeLessThan(0.5)
  for (const k of [1, 2, 3]) expect(decibels(toneIn(after, 50.1 * k, 2, 7) / toneIn(before, 50.1 * k, 2, 7))).toBeLessThan(-20)
  expect(decibels(rms(after, 2, 7) / rms(before, 2, 7))).toBeLessThan(-20)
  expect(clickHeight(before)).toBeGreaterThan(0.5)
  expect(clickHeight(after)).toBeLessThan(0.01)

  // One by one they are off and stay known; all of it is taken back in steps, over a reload too.
  await page.reload()
  await row(page).locator('.gain').click()
  await open(page)
  await panel.getByRole('switch', { name: 'clicks is on' }).click()
  await expect.poll(async () => (await repair())?.clicks).toMatchObject({ on: false })
  await expect.poll(async () => (await repair())?.hum).toMatchObject({ on: true })
  await page.keyboard.press('Escape')
  await page.keyboard.press('Control+z')
  await expect.poll(async () => (await repair())?.clicks).toMatchObject({ on: true })
})

test('it is heard repaired while it plays, and nothing of it comes at another time', async ({ page }) => {
  const noise = { on: true, reductionDb: 15, bandsDb: Array(48).fill(-25) }
  const change = { repair: { hum: { on: true, hz: 50.1, harmonics: 6 }, clicks: { on: true, sensitivity: 50 }, wind: { on: true, hz: 120 }, noise } }
  await server.api(`/projects/${id}/edits?label=repair`, { edits: [{ type: 'strip', clipId: lapel, change }] })
  await page.goto(`${server.url}/${id}/balance`)
  await expect(row(page)).toBeVisible()
  const heard = Float32Array.from(await page.evaluate(async () => [...(await window.pendolo.rendered(12))[0]]))
  const film = await filmed()
  let most = 0
  for (let n = 0; n < 11 * RATE; n++) most = Math.max(most, Math.abs(heard[n] - film[n]))
  expect(decibels(most)).toBeLessThan(-79)
})
