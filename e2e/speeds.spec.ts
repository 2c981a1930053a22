import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

let server: TestServer
let id: string

test.beforeAll(async () => {
  const folder = scratch('speeds')
  mkdirSync(path.join(folder, 'mix'), { recursive: true })
  mkdirSync(path.join(folder, 'cam'), { recursive: true })
  const tone = ['-f', 'lavfi', '-i', 'sine=f=440:d=60']
  execFileSync('ffmpeg', ['-v', 'error', ...tone, '-c:a', 'pcm_s16le', path.join(folder, 'mix', 'mix.wav')])
  execFileSync('ffmpeg', [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    'testsrc2=s=160x90:r=25:d=60',
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    path.join(folder, 'cam', 'a.mp4'),
  ])
  server = new TestServer(folder)
  await server.start()
  id = (await server.api<{ id: string }>('/projects', { name: 'Speeds' })).id
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
})
test.afterAll(() => server?.kill())

/** The pitch that leaves the page, Hz: all that goes to the loudspeaker is listened to for half a second. */
async function listenIn(page: Page): Promise<void> {
  await page.addInitScript(() => {
    const connect = AudioNode.prototype.connect
    const taps = new WeakMap<BaseAudioContext, AnalyserNode>()
    // biome-ignore lint/suspicious/noExplicitAny: the method has two shapes
    AudioNode.prototype.connect = function (this: AudioNode, to: any, ...more: any[]) {
      if (to instanceof AudioDestinationNode) {
        let tap = taps.get(this.context)
        if (!tap) {
          tap = new AnalyserNode(this.context, { fftSize: 32768, smoothingTimeConstant: 0 })
          taps.set(this.context, tap)
          Object.assign(window, { tap })
        }
        ;(connect as (this: AudioNode, to: AudioNode) => AudioNode).call(this, tap)
      }
      return connect.call(this, to, ...more)
    } as typeof connect
  })
}
const pitch = (page: Page) =>
  page.evaluate(() => {
    const { tap } = window as unknown as { tap: AnalyserNode }
    const bins = new Float32Array(tap.frequencyBinCount)
    tap.getFloatFrequencyData(bins)
    const best = bins.reduce((top, x, i) => (x > bins[top] ? i : top), 0)
    return bins[best] < -70 ? 0 : (best * tap.context.sampleRate) / tap.fftSize
  })
/** Seconds of the master that pass in one, over a second; both clocks are read in the page, at the same moments. */
const speedNow = (page: Page) =>
  page.evaluate(async () => {
    const now = () => [window.pendolo.health().soundSeconds, performance.now() / 1000]
    const before = now()
    await new Promise((resolve) => setTimeout(resolve, 1000))
    const after = now()
    return (after[0] - before[0]) / (after[1] - before[1])
  })

test('from half to double speed the sound keeps its pitch and the time runs with it; slower and faster it is silent', async ({ page }) => {
  await listenIn(page)
  await page.goto(`${server.url}/${id}/balance`)
  await expect(page.getByText('1 of 1 sounds heard')).toBeVisible()
  for (const [keys, speed] of [
    [['l'], 1],
    [['l', 'l'], 2],
    [['Shift+L'], 0.5],
  ] as const) {
    await page.keyboard.press('k')
    await page.keyboard.press('Home')
    for (const key of keys) await page.keyboard.press(key)
    await page.waitForTimeout(1800)
    // Where the machine is busy with others a second may be lost; then the next one is looked at.
    await expect.poll(async () => Math.abs((await speedNow(page)) - speed), { message: `speed ${speed}` }).toBeLessThan(0.12 * speed)
    expect(Math.abs((await pitch(page)) - 440), `pitch at ${speed}`).toBeLessThan(8)
  }
  await page.keyboard.press('Shift+L')
  await page.waitForTimeout(1500)
  expect(await pitch(page)).toBe(0)
  await page.keyboard.press('k')
})

test('stepping frame by frame each picture’s moment is heard, and then it is silent', async ({ page }) => {
  await listenIn(page)
  await page.goto(`${server.url}/${id}/balance`)
  await expect(page.getByText('1 of 1 sounds heard')).toBeVisible()
  for (let s = 0; s < 5; s++) await page.keyboard.press('Shift+ArrowRight')
  // The first moment waits for its sound: it is stepped on until one is heard.
  await expect
    .poll(
      async () => {
        await page.keyboard.press('ArrowRight')
        return Math.abs((await pitch(page)) - 440)
      },
      { intervals: [70] },
    )
    .toBeLessThan(15)
  await page.waitForTimeout(1500)
  expect(await pitch(page)).toBe(0)
})
