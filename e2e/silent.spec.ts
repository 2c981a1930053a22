import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { scratch, TestServer } from './server.ts'

const SECOND = 705_600_000
/** Flashes that all who look see, s of the event. */
const FLASHES = [4.1, 9.36, 12.8, 21.44, 24.2, 31.7, 38.04, 44.9, 47.3, 55.12, 58.6, 66.0, 71.9]

interface State {
  doc: { clips: Record<string, { fileId: string }>; placements: Record<string, { start: number; method: string; verdict: string }>; masterClipId: string }
  files: { id: string; name: string }[]
}

let server: TestServer | undefined
test.afterEach(() => server?.kill())

test('cameras of a project without any sound are lined up by light, timecode and clock', async ({ page }) => {
  const folder = scratch('silent')
  const camera = (name: string, start: number, seconds: number, { sees = true, args = [] as string[] } = {}) => {
    const file = path.join(folder, name, `${name}.mp4`)
    mkdirSync(path.dirname(file), { recursive: true })
    const inside = sees ? FLASHES.map((t) => t - start).filter((t) => t > 0.2 && t < seconds - 0.2) : []
    const lit = inside.map((t) => `between(t,${t.toFixed(3)},${(t + 0.06).toFixed(3)})`).join('+') || '0'
    const picture = `color=gray:size=160x90:rate=25:duration=${seconds},noise=alls=8:allf=t,drawbox=color=white@0.7:t=fill:enable='${lit}'`
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', picture, '-c:v', 'libx264', '-preset', 'veryfast', '-pix_fmt', 'yuv420p', ...args, file])
  }
  camera('balcony', 0, 80, { args: ['-timecode', '20:00:00:00', '-metadata', 'creation_time=2026-05-02T20:00:00Z'] })
  camera('stairs', 6.52, 60)
  camera('office', 30, 20, { sees: false, args: ['-timecode', '20:00:30:00'] })
  camera('yard', 12, 15, { sees: false, args: ['-metadata', 'creation_time=2026-05-02T20:00:12Z'] })
  server = new TestServer(folder)
  await server.start()
  const own = server
  const { id } = await own.api<{ id: string }>('/projects', { name: 'Silent' })
  await own.api(`/projects/${id}/gather`, { paths: [folder] })
  await own.idle()
  await page.goto(`${own.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Line up', exact: true }).click()
  await expect(page.getByText(/3 clips · 1 sure · 2 to check/)).toBeVisible({ timeout: 60_000 })
  const { doc, files } = await own.project<State>(id)
  const placed = (name: string) => {
    const clip = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === `${name}.mp4`) as string
    return { clip, ...doc.placements[clip], seconds: doc.placements[clip].start / SECOND }
  }
  expect(doc.masterClipId).toBe(placed('balcony').clip)
  expect(placed('stairs')).toMatchObject({ method: 'light', verdict: 'sure' })
  expect(Math.abs(placed('stairs').seconds - 6.52)).toBeLessThan(0.04)
  expect(placed('office')).toMatchObject({ method: 'timecode', verdict: 'check' })
  expect(placed('office').seconds).toBeCloseTo(30, 2)
  expect(placed('yard')).toMatchObject({ method: 'time', verdict: 'check' })
  expect(placed('yard').seconds).toBeCloseTo(12, 1)
  // The proof of each tells what it stands on.
  await page.getByRole('button', { name: /^stairs\.mp4, sure/ }).click()
  await expect(page.getByText('changes of light that agree')).toBeVisible()
  await expect(page.getByRole('figure', { name: 'How well each place fits' })).toBeVisible()
  await page.getByRole('button', { name: /^office\.mp4, check/ }).click()
  await expect(page.getByText('recordings that agree')).toBeVisible()
})
