import { execFileSync } from 'node:child_process'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { readSound } from './numbers.ts'
import { scratch, TestServer } from './server.ts'

const CHANNELS = 18
const pitch = (number: number) => 300 + 150 * number
/** Each channel has a tone of its own, the later ones are louder. */
const height = (number: number) => 0.02 * number

interface State {
  doc: { clips: Record<string, { fileId: string; angleId: string | null }>; activeCutId: string }
  files: { id: string; name: string }[]
}

let server: TestServer | undefined
test.afterEach(() => server?.kill())

const level = (samples: Float32Array, hz: number) => {
  let [a, b] = [0, 0]
  for (let n = 0; n < 48000; n++) {
    a += samples[n + 48000] * Math.cos((2 * Math.PI * hz * n) / 48000)
    b += samples[n + 48000] * Math.sin((2 * Math.PI * hz * n) / 48000)
  }
  return Math.hypot(a, b) / 24000
}

test('a recorder of eighteen channels: each is shown, named, heard by itself and switched off, in the wall’s sound and in the film', async ({ page }) => {
  const folder = scratch('channels')
  const tones = Array.from({ length: CHANNELS }, (_, i) => `${height(i + 1)}*sin(2*PI*${pitch(i + 1)}*t)`).join('|')
  const recorder = path.join(folder, 'recorder', 'T01.wav')
  execFileSync('mkdir', ['-p', path.dirname(recorder), path.join(folder, 'ramp')])
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', `aevalsrc='${tones}':s=48000:d=40`, '-c:a', 'pcm_s16le', recorder])
  const picture = 'testsrc2=s=160x90:r=25:d=40'
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', picture, '-c:v', 'libx264', '-preset', 'ultrafast', path.join(folder, 'ramp', 'R01.mp4')])
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Channels' })
  await own.api(`/projects/${id}/gather`, { paths: [folder] })
  await own.idle()
  const { doc, files } = await own.project<State>(id)
  const clipOf = (name: string) => Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === name) as string
  const camera = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: true }
  await own.api(`/projects/${id}/edits`, {
    edits: [
      { type: 'setMaster', clipId: clipOf('T01.wav') },
      { type: 'place', by: 'hand', placements: { [clipOf('R01.mp4')]: camera }, loose: {} },
      { type: 'choose', cutId: doc.activeCutId, time: 0, choice: { angleId: doc.clips[clipOf('R01.mp4')].angleId } },
    ],
  })

  await page.goto(`${own.url}/${id}/balance`)
  const strip = page.getByRole('group', { name: 'Master, T01.wav' })
  await strip.getByRole('button', { name: '18 channels' }).click()
  const channels = page.getByRole('group', { name: 'Channels of T01.wav' })
  await expect(channels.getByRole('switch')).toHaveCount(CHANNELS)
  // Each has a waveform that is not empty.
  const drawn = (number: number) =>
    channels.getByLabel(`Waveform of channel ${number}`, { exact: true }).evaluate((node) => {
      const canvas = node as HTMLCanvasElement
      const { data } = (canvas.getContext('2d') as CanvasRenderingContext2D).getImageData(0, 0, canvas.width, canvas.height)
      return data.some((x) => x > 0)
    })
  for (const number of [1, 9, 18]) await expect.poll(() => drawn(number)).toBe(true)

  const name = channels.getByLabel('Name of channel 17')
  await name.fill('Kick inside')
  await name.press('Enter')
  await expect(channels.getByRole('switch', { name: 'Kick inside is on' })).toBeVisible()

  // Heard alone, each has the height it was recorded with.
  const heard = () => page.evaluate(() => Object.values(window.pendolo.health().sounds).map((s) => s.level))
  for (const [called, number] of [
    ['channel 4', 4],
    ['Kick inside', 17],
  ] as const) {
    await channels.getByRole('button', { name: `Hear only ${called}`, exact: true }).click()
    await expect(async () => {
      const [one, ...more] = await heard()
      expect(more).toEqual([])
      expect(Math.abs(one - height(number) / Math.SQRT2)).toBeLessThan(0.02)
    }).toPass({ timeout: 10_000 })
  }
  await page.getByRole('button', { name: 'hear all again' }).click()

  await channels.getByRole('button', { name: 'All off' }).click()
  await channels.getByRole('switch', { name: 'Kick inside is on' }).click()
  await channels.getByRole('switch', { name: 'channel 5 is on', exact: true }).click()
  const at = (number: number) => height(number) / Math.sqrt(CHANNELS)
  await expect(async () => {
    const [one] = await heard()
    expect(Math.abs(one - Math.hypot(at(17), at(5)) / Math.SQRT2)).toBeLessThan(0.006)
  }).toPass({ timeout: 10_000 })
  await page.keyboard.press('Space')
  // The choice lasts.
  await page.reload()
  await strip.getByRole('button', { name: '18 channels, changed' }).click()
  await expect(channels.getByRole('switch', { name: 'Kick inside is on' })).toBeChecked()
  await expect(channels.getByRole('switch', { name: 'channel 1 is on', exact: true })).not.toBeChecked()

  await page.goto(`${own.url}/${id}/hand-over`)
  await page.getByRole('button', { name: 'Make the film' }).click()
  await expect.poll(async () => (await own.api<{ kind: string }[]>('/jobs')).some((j) => j.kind === 'film')).toBe(true)
  await own.idle()
  const jobs = await own.api<{ kind: string; result: { path: string } | null }[]>('/jobs')
  const made = jobs.find((j) => j.kind === 'film')?.result?.path as string
  // Both sides put together for reading: each gives half its power.
  const sound = readSound(made, 48000).map((x) => x / Math.SQRT2)
  for (let number = 1; number <= CHANNELS; number++)
    expect(Math.abs(level(sound, pitch(number)) - (number === 17 || number === 5 ? at(number) : 0)), `channel ${number}`).toBeLessThan(0.003)
})
