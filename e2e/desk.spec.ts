import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

const SECOND = 705_600_000
const RATE = 48000
const LENGTH = 16

let server: TestServer
let folder: string
let id: string
/** Clips by the names of their files. */
let clips: Record<string, string>
let cutId: string

function make(file: string, inputs: string[], codec: string[]): void {
  mkdirSync(path.dirname(file), { recursive: true })
  execFileSync('ffmpeg', ['-v', 'error', '-y', ...inputs.flatMap((i) => ['-f', 'lavfi', '-i', i]), ...codec, file])
}

test.beforeAll(async () => {
  folder = scratch('desk')
  // A mix, a recorder with microphones that speak in turn, a camera: noise in bands, tones that swell, silence between.
  const tone = (hz: number, every: number) => `0.3*sin(2*PI*${hz}*t)*gt(mod(t,${every}),${every / 2})*(0.6+0.4*sin(2*PI*t/3))`
  make(
    path.join(folder, 'mix', 'mix.wav'),
    [`anoisesrc=d=${LENGTH}:seed=3:a=0.2:r=${RATE}`, `aevalsrc='${tone(311, 1.3)}':s=${RATE}:d=${LENGTH}`],
    [...['-filter_complex', '[0][1]join=inputs=2:channel_layout=stereo', '-c:a', 'pcm_s24le']],
  )
  const mics = [220, 700, 1900, 5200].map((hz, i) => tone(hz, 0.9 + 0.4 * i))
  make(path.join(folder, 'mics', 'mics.wav'), [`aevalsrc='${mics.join('|')}':s=${RATE}:d=${LENGTH}`], ['-c:a', 'pcm_s16le'])
  make(
    path.join(folder, 'cam', 'cam.mov'),
    [`testsrc2=s=160x90:r=25:d=${LENGTH}`, `anoisesrc=d=${LENGTH}:seed=9:a=0.3:r=${RATE}`],
    [...['-c:v', 'libx264', '-preset', 'ultrafast', '-c:a', 'pcm_s16le']],
  )
  server = new TestServer(folder)
  await server.start()
  id = (await server.api<{ id: string }>('/projects', { name: 'Desk' })).id
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  const { doc, files } = await server.project<{
    doc: { activeCutId: string; clips: Record<string, { id: string; fileId: string; angleId: string }> }
    files: { id: string; name: string }[]
  }>(id)
  clips = Object.fromEntries(Object.values(doc.clips).map((c) => [files.find((f) => f.id === c.fileId)?.name.split('.')[0], c.id]))
  cutId = doc.activeCutId
  const place = (start: number, rate = 1) => ({
    start: Math.round(start * SECOND),
    rate,
    method: 'hand',
    verdict: 'sure',
    confidence: 1,
    why: [],
    locked: false,
  })
  await edit([
    { type: 'setMaster', clipId: clips.mix },
    { type: 'place', by: 'hand', placements: { [clips.mics]: place(0.5), [clips.cam]: place(-1.23, 1.00004) }, loose: {} },
    { type: 'choose', cutId, time: 0, choice: { angleId: doc.clips[clips.cam].angleId } },
  ])
})
test.afterAll(() => server?.kill())

const edit = (edits: object[]) => server.api(`/projects/${id}/edits?label=balance`, { edits })

/** The film's sound, left and right. */
async function filmed(): Promise<Float32Array[]> {
  await server.api(`/projects/${id}/film`, { width: 160, height: 90, rate: '25/1', lossless: true })
  await server.idle()
  const [job] = (await server.api<{ kind: string; result: { path: string; name: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  expect(job.result?.name).toBe('desk.mov')
  const bytes = execFileSync('ffmpeg', ['-v', 'error', '-i', job.result?.path as string, '-map', '0:a', '-f', 'f32le', 'pipe:1'], { maxBuffer: 2 ** 28 })
  const samples = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
  return [0, 1].map((side) => samples.filter((_, i) => i % 2 === side))
}

/** What the page would let hear of the film. */
async function heard(page: Page, seconds: number): Promise<Float32Array[]> {
  await page.goto(`${server.url}/${id}/switch`)
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
  await page.getByText('film', { exact: true }).first().click()
  await page.keyboard.press('Home')
  const told = await page.evaluate(async (length) => (await window.pendolo.rendered(length)).map((side) => [...side]), seconds)
  return told.map((side) => Float32Array.from(side))
}

/** The largest difference, dBFS, and where it is, s; the last frames, which no frame of pictures covers, are not looked at. */
function difference(a: Float32Array[], b: Float32Array[]): { decibels: number; at: number } {
  let [most, at] = [0, 0]
  for (const side of [0, 1]) {
    expect(b[side].length).toBeGreaterThanOrEqual(a[side].length)
    for (let n = 0; n < a[side].length; n++) {
      const d = Math.abs(a[side][n] - b[side][n])
      if (d > most) [most, at] = [d, n]
    }
  }
  return { decibels: 20 * Math.log10(Math.max(most, 1e-9)), at: at / RATE }
}

test('an untouched master leaves bit for bit, and the page lets hear the same', async ({ page }) => {
  const film = await filmed()
  const bytes = execFileSync('ffmpeg', ['-v', 'error', '-i', path.join(folder, 'mix', 'mix.wav'), '-f', 'f32le', 'pipe:1'], { maxBuffer: 2 ** 28 })
  const master = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
  for (const side of [0, 1]) expect(film[side]).toEqual(master.filter((_, i) => i % 2 === side).subarray(0, film[side].length))
  expect(difference(film, await heard(page, LENGTH)).decibels).toBeLessThanOrEqual(-80)
})

test('with everything a desk has, and a middle left out, page and film differ by less than −80 dBFS', async ({ page }) => {
  const at = (seconds: number) => Math.round(seconds * SECOND)
  const channel = (n: number, change: object) => ({ type: 'strip', clipId: clips.mics, channel: `0.${n}`, change })
  await edit([
    { type: 'strip', clipId: clips.mics, change: { on: true, gainDb: -4 } },
    {
      type: 'strip',
      clipId: clips.cam,
      change: {
        on: true,
        gainDb: -9,
        pan: 0.4,
        highPassHz: 140,
        repair: { wind: { on: true, hz: 150 }, noise: { on: true, reductionDb: 9, bandsDb: Array(48).fill(-10) } },
      },
    },
    {
      type: 'group',
      groupId: 'voices',
      name: 'Voices',
      change: { gainDb: -2, compressor: { thresholdDb: -28, ratio: 4, kneeDb: 6, attackMs: 8, releaseMs: 120, makeupDb: 4 } },
    },
    channel(0, {
      pan: -0.7,
      group: 'voices',
      bands: [
        { kind: 'bell', hz: 240, gainDb: -7, q: 1.2 },
        { kind: 'high-shelf', hz: 6000, gainDb: 4, q: 0.7 },
      ],
    }),
    channel(1, { group: 'voices', gate: { thresholdDb: -30, rangeDb: 40, attackMs: 2, holdMs: 40, releaseMs: 150 } }),
    channel(2, { gainDb: 3, repair: { hum: { on: true, hz: 50, harmonics: 6 }, clicks: { on: true, sensitivity: 60 } } }),
    { type: 'channel', clipId: clips.mics, channel: '0.1', change: { delay: at(0.012), turned: true } },
    { type: 'channel', clipId: clips.mics, channel: '0.3', change: { on: false } },
    {
      type: 'mixRanges',
      ranges: [
        { id: 'touch', clipId: clips.mics, channel: '0.0', from: at(3), to: at(3.5), on: false },
        { id: 'more', clipId: clips.mics, channel: '0.3', from: at(9), to: at(12), on: true, fadeIn: at(0.5) },
        { id: 'room', clipId: clips.cam, from: at(2), to: at(2.7), on: false, fadeOut: at(0.2) },
      ],
    },
    { type: 'envelope', clipId: clips.mix, points: [4, 5, 10, 11].map((t, i) => ({ time: at(t), gainDb: [0, -12, -12, 2][i] })) },
    { type: 'groupEnvelope', groupId: 'voices', points: [6, 7].map((t, i) => ({ time: at(t), gainDb: [0, 4][i] })) },
    { type: 'leaveOut', cutId, from: at(4.8), to: at(7.2) },
  ])
  const film = await filmed()
  const found = difference(film, await heard(page, LENGTH))
  console.log(`page against film: ${found.decibels.toFixed(1)} dBFS at most, at ${found.at.toFixed(3)} s`)
  expect(film[0].reduce((most, x) => Math.max(most, Math.abs(x)), 0)).toBeGreaterThan(0.2)
  expect(found.decibels).toBeLessThanOrEqual(-80)
})
