import { execFileSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { music, random } from '../core/lineup/testing.ts'
import { ANALYSIS_RATE } from '../core/signal/index.ts'
import { wav } from './numbers.ts'
import { scratch, TestServer } from './server.ts'

const SECONDS = 50
const RATE = 48_000

interface State {
  doc: { clips: Record<string, { fileId: string; take?: string }>; placements: Record<string, { verdict: string }> }
  files: { id: string; name: string }[]
}

let server: TestServer | undefined
test.afterEach(() => server?.kill())

const song = music(SECONDS, 3)
/** A camera in a take: the song from a loudspeaker, a room, and what only this take has. */
function heardIn(take: number, camera: number): Float32Array {
  const own = music(SECONDS, 900 + take)
  const r = random(31 * take + camera)
  const echo = 240 + 130 * camera
  const at = (i: number) => song[i] + 0.4 * (song[i - echo] ?? 0) + 0.15 * (own[i - 40 * camera] ?? 0)
  // Nobody starts two cameras in the same sample.
  const begun = Math.floor((0.31 * take + 0.173 * camera) * RATE)
  const out = new Float32Array(SECONDS * RATE - begun)
  for (let i = 0; i < out.length; i++) out[i] = 0.6 * at(Math.floor(((begun + i) * ANALYSIS_RATE) / RATE)) + 0.01 * r()
  return out
}

test('a song that was played twice: takes are named in shooting order, a clip without a clock finds its own by sound, and a take is renamed', async ({
  page,
}) => {
  const folder = scratch('song')
  const put = (name: string, sound: Float32Array, recorded?: string) => {
    const full = path.join(folder, name)
    mkdirSync(path.dirname(full), { recursive: true })
    if (name.endsWith('.wav')) return writeFileSync(full, wav(sound))
    writeFileSync(`${full}.wav`, wav(sound))
    const input = ['-f', 'lavfi', '-i', `testsrc=size=128x72:rate=25:duration=${SECONDS}`, '-i', `${full}.wav`]
    const clock = recorded ? ['-metadata', `creation_time=${recorded}`] : []
    execFileSync('ffmpeg', ['-v', 'error', '-y', ...input, '-c:v', 'libx264', '-preset', 'ultrafast', '-c:a', 'aac', ...clock, full])
    execFileSync('rm', [`${full}.wav`])
  }
  const whole = new Float32Array(SECONDS * RATE)
  for (let i = 0; i < whole.length; i++) whole[i] = song[Math.floor((i * ANALYSIS_RATE) / RATE)]
  put('desk/song.wav', whole)
  put('left/L2.mp4', heardIn(2, 1), '2026-05-02T10:20:00Z')
  put('left/L1.mp4', heardIn(1, 1), '2026-05-02T10:00:00Z')
  put('right/R1.mp4', heardIn(1, 2), '2026-05-02T10:00:04Z')
  put('old/X.mp4', heardIn(2, 3))
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Song' })
  await own.api(`/projects/${id}/gather`, { paths: [folder] })
  await own.idle()
  await own.api(`/projects/${id}/lineup`, {})
  await own.idle()
  const takes = async () => {
    const { doc, files } = await own.project<State>(id)
    const nameOf = (fileId: string) => files.find((f) => f.id === fileId)?.name ?? ''
    return Object.fromEntries(
      Object.values(doc.clips)
        .map((c) => [nameOf(c.fileId), c.take])
        .sort(),
    )
  }
  expect(await takes()).toEqual({ 'L1.mp4': 'Take 1', 'L2.mp4': 'Take 2', 'R1.mp4': 'Take 1', 'X.mp4': 'Take 2', 'song.wav': undefined })

  await page.goto(`${own.url}/${id}/line-up`)
  await page.getByRole('button', { name: /^X\.mp4, sure/ }).click()
  await page.getByLabel('Take').fill('By the gate')
  await page.getByLabel('Take').press('Enter')
  await expect.poll(takes).toMatchObject({ 'L1.mp4': 'Take 1', 'L2.mp4': 'By the gate', 'X.mp4': 'By the gate' })
  // A name that was given stays when all is lined up again.
  await own.api(`/projects/${id}/lineup`, {})
  await own.idle()
  expect(await takes()).toMatchObject({ 'L1.mp4': 'Take 1', 'L2.mp4': 'By the gate', 'X.mp4': 'By the gate' })
})
