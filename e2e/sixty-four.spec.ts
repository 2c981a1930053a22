import { execFileSync, spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, type Page, test } from '@playwright/test'
import { makeNumbers, type Show } from './numbers.ts'
import { TestServer } from './server.ts'

/** Measured by hand: PENDOLO_CHANNELS_SECONDS=120 says how long is played, PENDOLO_CHANNELS_LENGTH=7200 how long the recording is, s. */
const SECONDS = Number(process.env.PENDOLO_CHANNELS_SECONDS ?? 0)
const LENGTH = Math.max(SECONDS + 30, Number(process.env.PENDOLO_CHANNELS_LENGTH ?? 0))
/** Cameras run around the middle of the recording. */
const BEGINS = Math.floor((LENGTH - SECONDS - 30) / 2)
const CHANNELS = 64
/** Channels of each of its streams: what is coded without losses has no more. */
const TOGETHER = 8
const RATE = 48000
const CAMERAS = 9
const SECOND = 705_600_000
const keyOf = (c: number) => `${Math.floor(c / TOGETHER)}.${c % TOGETHER}`

/** A recorder of sixty-four channels, each with its own tone where anybody plays: at the beginning and around the cameras. */
async function recorder(file: string): Promise<void> {
  const folder = path.dirname(file)
  mkdirSync(folder, { recursive: true })
  const [sound, silence] = ['sound', 'silence'].map((name) => path.join(folder, `.${name}.mka`))
  // A second of whole hertz comes again without a seam; phases are such that all of them together are about as loud at any time (Schroeder).
  const second = new Int16Array(RATE * CHANNELS)
  for (let c = 0; c < CHANNELS; c++)
    for (let n = 0; n < RATE; n++)
      second[n * CHANNELS + c] = Math.round(900 * Math.sin((2 * Math.PI * (200 + 40 * c) * n) / RATE + (Math.PI * c * c) / CHANNELS))
  await coded(sound, second)
  await coded(silence, new Int16Array(RATE * CHANNELS))
  const list = path.join(folder, '.list.txt')
  const sounds = (s: number) => s < 60 || (s > BEGINS - PART && s < BEGINS + SECONDS + 30)
  writeFileSync(list, Array.from({ length: Math.ceil(LENGTH / PART) }, (_, n) => `file '${sounds(n * PART) ? sound : silence}'\n`).join(''))
  execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'concat', '-safe', '0', '-i', list, '-map', '0', '-c', 'copy', file])
  for (const part of [sound, silence, list]) rmSync(part)
}

/** Seconds of sound that the recorder's file is put together from. */
const PART = 10

/** So many times the same second, all channels beside each other, in streams of FLAC. */
async function coded(file: string, second: Int16Array): Promise<void> {
  const raw = ['-f', 's16le', '-ar', String(RATE), '-ac', String(CHANNELS), '-i', 'pipe:0']
  const parts = Array.from({ length: CHANNELS / TOGETHER }, (_, s) => s)
  const split = `[0:a]asplit=${parts.length}${parts.map((s) => `[i${s}]`).join('')}`
  const own = (s: number) => Array.from({ length: TOGETHER }, (_, c) => `c${c}=c${s * TOGETHER + c}`).join('|')
  const graph = [split, ...parts.map((s) => `[i${s}]pan=7.1|${own(s)}[s${s}]`)].join(';')
  const maps = parts.flatMap((s) => ['-map', `[s${s}]`])
  const flac = ['-c:a', 'flac', '-compression_level', '0']
  const child = spawn('ffmpeg', ['-v', 'error', '-y', ...raw, '-filter_complex', graph, ...maps, ...flac, file], { stdio: ['pipe', 'inherit', 'inherit'] })
  for (let s = 0; s < PART; s++) if (!child.stdin.write(Buffer.from(second.buffer))) await once(child.stdin, 'drain')
  child.stdin.end()
  await once(child, 'exit')
}

/** Keeps the last half second of what leaves for the loudspeakers: looked at afterwards, since the page is busy drawing meanwhile. */
const tap = () => {
  const connect = AudioNode.prototype.connect as (this: AudioNode, ...args: unknown[]) => unknown
  AudioNode.prototype.connect = function (this: AudioNode, ...args: unknown[]) {
    if (args[0] instanceof AudioDestinationNode) {
      const tapped = this.context.createAnalyser()
      tapped.fftSize = 32_768
      connect.call(this, tapped)
      Object.assign(window, { tapped })
    }
    return connect.apply(this, args)
  } as typeof AudioNode.prototype.connect
}

/** Presses a key and looks when what leaves is less than half as loud as it was, or more again; ms from the press to the first sample of it. */
const heardAfter = (page: Page, key: string, silent: boolean, usual: number) =>
  page.evaluate(
    async ([code, toSilence, reference]) => {
      const { tapped } = window as unknown as { tapped: AnalyserNode }
      const began = tapped.context.currentTime
      document.body.dispatchEvent(new KeyboardEvent('keydown', { code: `Key${code.toUpperCase()}`, key: code, bubbles: true }))
      await new Promise((resolve) => setTimeout(resolve, 400))
      const samples = new Float32Array(tapped.fftSize)
      tapped.getFloatTimeDomainData(samples)
      const { currentTime: now, sampleRate } = tapped.context
      const step = 240
      for (let n = Math.max(0, Math.ceil(samples.length - (now - began) * sampleRate)); n + step <= samples.length; n += 48) {
        const level = samples.subarray(n, n + step).reduce((most, x) => Math.max(most, Math.abs(x)), 0)
        if (level < reference / 2 === toSilence) return (now - (samples.length - n) / sampleRate - began) * 1000
      }
      return Number.POSITIVE_INFINITY
    },
    [key, silent, usual] as const,
  )

test(`${CHANNELS} channels play beside a wall of ${CAMERAS}, and what is changed is heard at once`, async ({ page }) => {
  test.skip(SECONDS === 0, 'PENDOLO_CHANNELS_SECONDS says how long')
  test.setTimeout(3_600_000)
  const cameras = Array.from({ length: CAMERAS }, (_, i) => ({
    folder: `cam-${i + 1}`,
    file: `n${i + 1}.mp4`,
    code: i + 1,
    num: 25,
    den: 1,
    seconds: SECONDS + 28,
    start: 1,
    drift: 0,
  }))
  const show: Show = { name: `sixty-four-${SECONDS}`, seconds: SECONDS + 30, cameras }
  const folder = await makeNumbers(show)
  const file = path.join(folder, 'recorder', 'recorder.mka')
  await recorder(file)
  const server = new TestServer(folder)
  try {
    await server.start()
    const { id } = await server.api<{ id: string }>('/projects', { name: 'Sixty-four' })
    await server.api(`/projects/${id}/gather`, { paths: [folder] })
    await server.idle()
    type State = { doc: { activeCutId: string; clips: Record<string, { id: string; fileId: string; angleId: string }> }; files: { id: string; name: string }[] }
    const { doc, files } = await server.project<State>(id)
    const clip = (name: string) => Object.values(doc.clips).find((c) => files.find((f) => f.id === c.fileId)?.name === name)?.id as string
    const place = (start: number) => ({ start: start * SECOND, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: [], locked: false })
    const mics = clip('recorder.mka')
    await server.api(`/projects/${id}/edits?label=placed`, {
      edits: [
        { type: 'setMaster', clipId: mics },
        {
          type: 'place',
          by: 'hand',
          placements: Object.fromEntries([...cameras.map((c) => [clip(c.file), place(BEGINS + 1)]), [clip('master-mix.wav'), place(BEGINS)]]),
          loose: {},
        },
        { type: 'strip', clipId: mics, change: { on: true } },
        ...Array.from({ length: CHANNELS }, (_, c) => [
          { type: 'strip', clipId: mics, channel: keyOf(c), change: { gainDb: -(c % 6), pan: ((c % 9) - 4) / 5 } },
          { type: 'channel', clipId: mics, channel: keyOf(c), change: { on: true, layout: 'middle' } },
        ]).flat(),
        { type: 'choose', cutId: doc.activeCutId, time: BEGINS * SECOND, choice: { angleId: doc.clips[clip('n1.mp4')].angleId } },
        { type: 'keep', start: (BEGINS + 4) * SECOND, end: (BEGINS + SECONDS + 20) * SECOND },
      ],
    })
    await page.addInitScript(tap)
    await page.goto(`${server.url}/${id}/switch`)
    await expect(page.getByRole('button', { name: /^Angle 9/ })).toBeVisible()
    await page.getByText('film', { exact: true }).first().click()
    await page.keyboard.press('Home')
    await page.waitForTimeout(2000)
    await page.keyboard.press('Space')
    await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds), { timeout: 20_000 }).toBeGreaterThan(BEGINS + 6)
    await page.evaluate(() => window.pendolo.resetHealth())
    await page.waitForTimeout(SECONDS * 1000)
    const { due, late, sounds } = await page.evaluate(() => window.pendolo.health())
    expect(Object.keys(sounds).length).toBeGreaterThan(0)
    await page.keyboard.press('Space')

    await page.keyboard.press('Home')
    await page.getByRole('link', { name: 'Balance' }).click()
    const row = page.getByRole('group', { name: 'Master, recorder.mka', exact: true })
    await row.locator('.gain').click()
    await page.keyboard.press('Space')
    await page.waitForTimeout(3000)
    const usual = await page.evaluate(() => {
      const { tapped } = window as unknown as { tapped: AnalyserNode }
      const samples = new Float32Array(tapped.fftSize)
      tapped.getFloatTimeDomainData(samples)
      return samples.reduce((most, x) => Math.max(most, Math.abs(x)), 0)
    })
    expect(usual).toBeGreaterThan(0.01)
    const waits: number[] = []
    for (let n = 0; n < 10; n++) {
      waits.push(await heardAfter(page, 'm', n % 2 === 0, usual))
      await page.waitForTimeout(500)
    }
    waits.sort((a, b) => a - b)
    console.log(
      `${CHANNELS} channels beside ${CAMERAS} angles: ${((100 * late) / due).toFixed(2)} % of ${due} late; a change is heard after ${waits.map((w) => w.toFixed(0)).join(' ')} ms`,
    )
    expect(late / due).toBeLessThanOrEqual(0.02)
    await page.close()
    // The sound of all of it, as for a film.
    await server.api(`/projects/${id}/edits?label=all`, { edits: [{ type: 'keep', start: null, end: null }] })
    const began = Date.now()
    await server.api(`/projects/${id}/loudness`, {})
    await server.idle()
    console.log(
      `the sound of ${LENGTH} s is mixed and measured at ${(LENGTH / ((Date.now() - began) / 1000)).toFixed(1)} × real time; the server had at most ${server.mostMiB()} MiB`,
    )
    expect(waits[5]).toBeLessThanOrEqual(50)
  } finally {
    await server.kill()
    rmSync(path.join(folder, 'recorder'), { recursive: true, force: true })
  }
})
