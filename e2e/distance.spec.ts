import { execFileSync } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { CAMERAS, makeNumbers } from './numbers.ts'
import { homeWithCopies, scratch, TestServer } from './server.ts'

interface State {
  doc: {
    clips: Record<string, { fileId: string; angleId: string }>
    placements: Record<string, { start: number; verdict: string; why: { code: string }[] }>
    angles: { id: string; distance?: number }[]
  }
  files: { id: string; name: string }[]
}

const SECOND = 705_600_000
const [, , C] = CAMERAS
/** How late the sound came to the far camera, s: from 51 m. */
const LATE = 0.15

let server: TestServer
let id: string

test.beforeAll(async () => {
  const numbers = await makeNumbers()
  const folder = scratch('far')
  const make = (from: string, to: string, ...args: string[]) => {
    mkdirSync(path.join(folder, to))
    execFileSync('ffmpeg', ['-v', 'error', '-y', '-i', path.join(numbers, from), '-c:v', 'copy', ...args, path.join(folder, to, `${to}.mov`)])
  }
  // Both carry the timecode of one clock; 78 frames of 24 lie between their beginnings.
  make('cam-a/a.mp4', 'near', '-c:a', 'copy', '-timecode', '10:00:00:00')
  make('cam-c/c.mkv', 'far', '-af', `adelay=${LATE * 1000}`, '-c:a', 'pcm_s16le', '-timecode', '10:00:03:06')
  server = new TestServer(`${folder}:${numbers}`, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Far' }))
  await server.api(`/projects/${id}/gather`, { paths: [path.join(folder, 'near'), path.join(folder, 'far'), path.join(numbers, 'desk')] })
  await server.idle()
})
test.afterAll(() => server?.kill())

test('a camera far from the loudspeakers is told by its timecode, and its picture follows the light with one press', async ({ page }) => {
  const far = async () => {
    const { doc, files } = await server.project<State>(id)
    const clip = Object.keys(doc.clips).find((c) => files.find((f) => f.id === doc.clips[c].fileId)?.name === 'far.mov') as string
    return { ...doc.placements[clip], metres: doc.angles.find((a) => a.id === doc.clips[clip].angleId)?.distance ?? 0 }
  }
  await page.goto(`${server.url}/${id}/line-up`)
  await page.getByRole('button', { name: 'Line up', exact: true }).click()
  await expect(page.getByText('2 clips · 2 sure')).toBeVisible({ timeout: 60_000 })
  // By its sound alone it lies as much too early as the sound came late.
  expect(Math.abs((await far()).start / SECOND - (C.start - LATE))).toBeLessThan(0.001)
  await page.getByRole('button', { name: /far\.mov, sure/ }).click()
  await expect(page.getByRole('status', { name: 'Verdict' })).toContainText(/later than its sound, which came from about \d\d m/)
  await page.getByText('Points and distance').click()
  const proposal = page.getByRole('button', { name: /^about \d+ m$/ })
  const metres = Number(/\d+/.exec((await proposal.textContent()) ?? '')?.[0])
  // Timecode knows frames only: within one of 24 a second, 14 m.
  expect(Math.abs(metres - LATE * 343.2)).toBeLessThan(14.5)
  await proposal.click()
  await expect.poll(async () => (await far()).metres).toBe(metres)
  expect(Math.abs((await far()).start / SECOND - (C.start - LATE + metres / 343.2))).toBeLessThan(0.001)
  await expect(proposal).toBeHidden()
  // Found again it keeps its distance, and nothing else is proposed.
  await page.getByRole('button', { name: 'Line up all' }).click()
  await server.idle()
  expect(Math.abs((await far()).start / SECOND - (C.start - LATE + metres / 343.2))).toBeLessThan(0.001)
  await expect(proposal).toBeHidden()
})
