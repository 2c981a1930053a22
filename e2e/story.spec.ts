import { writeFileSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { bestLag, CAMERAS, makeNumbers, readFilm, readSound } from './numbers.ts'
import { readOtio } from './otio-reader.ts'
import { homeWithCopies, TestServer } from './server.ts'

const FLICK = 705_600_000n

interface State {
  doc: {
    angles: { id: string; name: string }[]
    clips: Record<string, { fileId: string; angleId: string | null }>
    placements: Record<string, { start: number; rate: number; verdict: string }>
    cuts: { points: { time: number; angleId: string }[] }[]
    marks: { name: string; time: number }[]
    pulse: { beats: number[] } | null
    masterClipId: string
  }
  files: { id: string; name: string }[]
  canUndo: string | null
}

let server: TestServer
let folder: string

test.beforeAll(async () => {
  folder = await makeNumbers()
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
})
test.afterAll(() => server.kill())

/** Which camera and frame each film frame must show, by the rule of the documents, computed here anew. */
function expected(state: State, frames: number): { code: number; frame: number }[] {
  const { doc } = state
  const name = (clipId: string) => state.files.find((f) => f.id === doc.clips[clipId].fileId)?.name
  const clipOf = (angleId: string) => Object.keys(doc.clips).find((id) => doc.clips[id].angleId === angleId) as string
  const frameOf = (camera: (typeof CAMERAS)[number], clipId: string, n: number): number | null => {
    const { start, rate } = doc.placements[clipId]
    const clipFlicks = BigInt(Math.round((Number((BigInt(n) * FLICK) / 25n) - start) / rate))
    const scaled = clipFlicks * BigInt(camera.num)
    const unit = FLICK * BigInt(camera.den)
    const index = Number(scaled >= 0n ? scaled / unit : -((-scaled + unit - 1n) / unit))
    const count = Math.floor((camera.seconds * camera.num) / camera.den)
    return index >= 0 && index < count ? index : null
  }
  const out: { code: number; frame: number }[] = []
  for (let n = 0; n < frames; n++) {
    const t = (n / 25) * Number(FLICK)
    const point = doc.cuts[0].points.findLast((p) => p.time <= t)
    // The chosen angle first, then all in their order: the first with a picture stands in.
    for (const angleId of [point?.angleId, ...doc.angles.map((a) => a.id)]) {
      const clipId = angleId && clipOf(angleId)
      const camera = clipId && CAMERAS.find((c) => c.file === name(clipId))
      const frame = clipId && camera ? frameOf(camera, clipId, n) : null
      if (camera && frame !== null) {
        out.push({ code: camera.code, frame })
        break
      }
    }
  }
  return out
}

test('from an empty project to a film and an exchange file', async ({ page }) => {
  await page.goto(server.url)
  await page.getByRole('button', { name: 'New project' }).click()
  await page.getByRole('button', { name: 'Begin', exact: true }).click()
  await expect(page.getByText('give the project a name')).toBeVisible()
  await page.getByLabel('Name').fill('Numbers')
  await page.getByRole('button', { name: 'Begin', exact: true }).click()

  await test.step('gather three cameras and the desk', async () => {
    await page.getByRole('button', { name: new RegExp(path.basename(folder)) }).click()
    for (const one of ['cam-a', 'cam-b', 'cam-c', 'desk']) {
      const taken = page.waitForResponse((r) => r.url().endsWith('/gather') && r.ok())
      await page.getByRole('button', { name: `Add ${one}` }).click()
      await expect(page.getByRole('listitem').filter({ hasText: one })).toBeVisible()
      await taken
    }
    for (const name of ['Cam a', 'Cam b', 'Cam c']) await expect(page.getByRole('button', { name, exact: true })).toBeVisible()
    await expect(page.getByRole('row', { name: 'b.mov' })).toBeVisible()
    await expect(page.getByText('master-mix.wav').first()).toBeVisible()
  })
  const id = /\/([^/]+)\/gather/.exec(page.url())?.[1] as string
  const state = () => server.project<State>(id)

  await test.step('line up and see the proof', async () => {
    await page.getByRole('link', { name: 'Line up' }).click()
    await page.getByRole('button', { name: 'Line up', exact: true }).click()
    await expect(page.getByText('3 clips · 3 sure')).toBeVisible({ timeout: 120_000 })
    await page.getByRole('button', { name: /b\.mov, sure/ }).click()
    await expect(page.getByRole('status', { name: 'Verdict' })).toContainText('windows agree')
    const { doc, files } = await state()
    for (const camera of CAMERAS) {
      const clipId = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === camera.file) as string
      const { start, rate } = doc.placements[clipId]
      for (const t of [0, camera.seconds]) expect(Math.abs(start / Number(FLICK) + rate * t - camera.start - (1 + camera.drift) * t)).toBeLessThan(0.001)
    }
  })

  await test.step('tap two cues and find the beats', async () => {
    await page.getByRole('link', { name: 'Pulse' }).click()
    await page.getByRole('button', { name: 'Find the pulse' }).click()
    await expect(page.getByText(/Beats: \d+ in/)).toBeVisible({ timeout: 60_000 })
    await page.keyboard.press('Space')
    await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeGreaterThan(1)
    await page.keyboard.press('b')
    await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeGreaterThan(2)
    await page.keyboard.press('Shift+B')
    await page.getByLabel('Name of the mark').fill('First ring')
    await page.keyboard.press('Enter')
    await expect(page.getByRole('option', { name: 'Go to First ring' })).toBeVisible()
    await expect(page.getByRole('option', { name: 'Go to Cue 1' })).toBeVisible()
    await expect(page.getByRole('dialog')).toBeHidden()
    await page.keyboard.press('Space')
    await expect.poll(() => page.evaluate(() => window.pendolo.health().playing)).toBe(false)
  })

  await server.idle()
  await test.step('press keys while it plays and see cuts appear', async () => {
    await page.getByRole('link', { name: 'Switch' }).click()
    await expect(page.getByRole('button', { name: 'Angle 1, Cam a' })).toBeVisible()
    await page.keyboard.press('Home')
    // All of it is seen, so that no cut leaves the score while it is looked for, however slow the machine is.
    for (let i = 0; i < 3; i++) await page.keyboard.press('-')
    await page.keyboard.press('2')
    await page.keyboard.press('Space')
    // The last of them chooses what stood there before, so that the stop adds no cut of its own.
    let presses = 0
    while (presses < 9) {
      const key = ['1', '3', '2', '3', '1', '2'][presses % 6]
      const before = (await state()).doc.cuts[0].points.map((p) => p.time)
      await page.waitForTimeout(700 + (presses % 3) * 160)
      await page.keyboard.press(key)
      presses++
      // Each press is one cut more, and it stands on the score while it plays, not after stopping.
      await expect.poll(async () => (await state()).doc.cuts[0].points.length).toBe(before.length + 1)
      const made = (await state()).doc.cuts[0].points.find((p) => !before.includes(p.time))
      const frame = Math.round(((made?.time ?? 0) / Number(FLICK)) * 25)
      const label = `00:00:${String(Math.floor(frame / 25)).padStart(2, '0')}:${String(frame % 25).padStart(2, '0')}`
      await expect(page.getByRole('button', { name: `cut to ${['Cam a', 'Cam b', 'Cam c'][Number(key) - 1]} at ${label}` })).toHaveCount(1)
      expect((await page.evaluate(() => window.pendolo.health())).playing).toBe(true)
    }
    await page.keyboard.press('Space')
    await expect.poll(async () => (await state()).doc.cuts[0].points.length).toBe(presses + 1)
  })

  await test.step('roll one cut to a beat', async () => {
    const before = (await state()).doc
    const beats = before.pulse?.beats ?? []
    // One that has room on both sides for a move of a beat.
    const points = before.cuts[0].points
    const boxes = await Promise.all(
      [2, points.length - 1].map((n) =>
        page
          .getByRole('button', { name: /^cut to/ })
          .nth(n)
          .boundingBox(),
      ),
    )
    const [box, last] = boxes
    if (!box || !last) throw new Error('the note-heads are not on the screen')
    // By the length of a beat, as the score is zoomed now.
    const times = points.map((p) => p.time).sort((a, b) => a - b)
    const beat = ((last.x - box.x) / (times[times.length - 1] - times[2])) * (beats[1] - beats[0])
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2]
    await page.mouse.move(x, y)
    await page.mouse.down()
    await page.mouse.move(x + beat / 2, y, { steps: 4 })
    await page.mouse.move(x + beat, y, { steps: 4 })
    await page.mouse.up()
    await expect.poll(async () => JSON.stringify((await state()).doc.cuts[0].points)).not.toBe(JSON.stringify(points))
    const after = (await state()).doc.cuts[0].points
    const moved = after.find((p) => !points.some((q) => q.time === p.time))
    if (!moved) throw new Error('no cut moved')
    const nearest = Math.min(...beats.map((b) => Math.abs(b - moved.time)))
    expect(nearest / Number(FLICK)).toBeLessThan(0.021)
  })

  await test.step('undo, a killed server, redo', async () => {
    const rolled = JSON.stringify((await state()).doc)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => JSON.stringify((await state()).doc)).not.toBe(rolled)
    await server.kill()
    await server.start()
    await page.reload()
    await expect(page.getByRole('button', { name: 'Redo' })).toBeEnabled()
    await page.keyboard.press('Control+Shift+z')
    await expect.poll(async () => JSON.stringify((await state()).doc)).toBe(rolled)
  })

  await test.step('the film is the cut, frame by frame, with the master’s sound', async () => {
    await page.getByRole('link', { name: 'Hand over' }).click()
    await page.getByLabel('Size of the film').click()
    await page.getByTitle('640 × 360').click()
    await page.getByRole('button', { name: 'Make the film' }).click()
    const link = page.getByRole('link', { name: 'numbers.mp4' })
    await expect(link).toBeVisible({ timeout: 120_000 })
    const [download] = await Promise.all([page.waitForEvent('download'), link.click()])
    const film = path.join(server.home, 'film.mp4')
    await download.saveAs(film)
    const shown = readFilm(film, 640, 360)
    const wanted = expected(await state(), shown.length)
    expect(shown.length).toBe(38 * 25)
    const wrong = shown
      .map((s, n) =>
        s && s.code === wanted[n].code && s.frame === wanted[n].frame ? null : `${n}: ${JSON.stringify(s)} instead of ${JSON.stringify(wanted[n])}`,
      )
      .filter((x) => x !== null)
    expect(wrong).toEqual([])
    expect(new Set(shown.map((s) => s?.code)).size).toBe(3)
    const rate = 48000
    const lag = bestLag(readSound(path.join(folder, 'desk', 'master-mix.wav'), rate).subarray(0, rate * 20), readSound(film, rate).subarray(0, rate * 20), 96)
    expect(Math.abs(lag) / rate).toBeLessThanOrEqual(0.001)
  })

  await test.step('the exchange file says the same', async () => {
    const response = await page.request.get(`${server.url}/api/projects/${id}/exchange/otio`)
    const text = await response.text()
    writeFileSync(path.join(server.home, 'numbers.otio'), text)
    const { tracks, markers, rate } = readOtio(text)
    expect(rate).toBe(25)
    const now = await state()
    const wanted = expected(now, 38 * 25)
    const cut = tracks.find((t) => t.name.startsWith('Cut'))
    if (!cut) throw new Error('there is no cut track')
    let covered = 0
    for (const clip of cut.clips) {
      const camera = CAMERAS.find((c) => clip.url.endsWith(`/${c.file}`))
      expect(camera?.code).toBe(wanted[clip.trackStart].code)
      expect(clip.sourceStart).toBe(wanted[clip.trackStart].frame)
      if (clip.trackStart > 0)
        expect(
          wanted[clip.trackStart - 1].code === wanted[clip.trackStart].code &&
            now.doc.cuts[0].points.every((p) => Math.round((p.time / Number(FLICK)) * 25) !== clip.trackStart),
        ).toBe(false)
      covered += clip.frames
    }
    expect(covered).toBe(38 * 25)
    for (const camera of CAMERAS) {
      const track = tracks.find((t) => t.clips.some((c) => c.url.endsWith(`/${camera.file}`)) && !t.name.startsWith('Cut'))
      const clip = track?.clips[0]
      if (!clip) throw new Error(`${camera.file} has no track of its own`)
      // First project frame at or after the camera's start, and the source frame shown there.
      const first = Math.max(0, Math.ceil(camera.start * 25 - 0.02))
      expect(clip.trackStart).toBe(first)
      expect(clip.sourceStart).toBe(Math.floor((((first / 25 - camera.start) / (1 + camera.drift)) * camera.num) / camera.den + 1e-6))
    }
    expect(tracks.some((t) => t.kind === 'Audio' && t.clips[0]?.url.endsWith('/master-mix.wav'))).toBe(true)
    expect(markers.map((m) => m.name)).toEqual(['Cue 1', 'First ring'])
  })
})
