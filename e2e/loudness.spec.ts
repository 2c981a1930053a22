import { spawnSync } from 'node:child_process'
import { expect, test } from '@playwright/test'
import { numberedProject } from './numbered.ts'
import type { TestServer } from './server.ts'

let server: TestServer
let id: string

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Loud'))
  const { doc } = await server.project<{ doc: { activeCutId: string; angles: { id: string }[] } }>(id)
  const edits = [{ type: 'choose', cutId: doc.activeCutId, time: 3 * 705_600_000, choice: { angleId: doc.angles[0].id } }]
  await server.api(`/projects/${id}/edits?label=cut`, { edits })
})
test.afterAll(() => server?.kill())

/** Loudness and true peak of a film's sound, as ffmpeg measures them. */
function heard(file: string): { integrated: number; peak: number } {
  const { stderr } = spawnSync('ffmpeg', ['-hide_banner', '-nostats', '-i', file, '-af', 'ebur128=peak=true', '-f', 'null', '-'], { encoding: 'utf8' })
  const last = (pattern: RegExp) => Number([...stderr.matchAll(pattern)].at(-1)?.[1])
  return { integrated: last(/I:\s+(-?[\d.]+) LUFS/g), peak: last(/Peak:\s+(-?[\d.]+) dBFS/g) }
}

test('a film is made as balanced, at a usual loudness and at a typed one; each says how loud it is, and is', async ({ page }) => {
  test.setTimeout(180_000)
  await page.goto(`${server.url}/${id}/hand-over`)
  const choose = async (name: string) => {
    await page.getByRole('combobox', { name: 'Loudness of the film' }).click()
    await page.locator('.ant-select-dropdown:visible').getByText(name, { exact: true }).click()
  }
  const films = async () => (await server.api<{ kind: string; result: { path: string } | null }[]>('/jobs')).filter((j) => j.kind === 'film')
  const make = async () => {
    const before = (await films()).length
    await page.getByRole('button', { name: 'Make the film' }).click()
    await expect.poll(async () => (await films()).length).toBe(before + 1)
    await server.idle()
    await expect(page.getByText(/^ready/)).toHaveCount(before + 1)
    return heard((await films())[0].result?.path as string)
  }
  const plain = await make()
  await expect(
    page.getByText(new RegExp(`^−${Math.abs(plain.integrated).toFixed(1)}|^−${(Math.abs(plain.integrated) + 0.1).toFixed(1)} LUFS`)).first(),
  ).toBeVisible()

  await choose('−16 LUFS')
  const online = await make()
  expect(Math.abs(online.integrated + 16)).toBeLessThanOrEqual(0.3)
  expect(online.peak).toBeLessThanOrEqual(-1)
  await expect(page.getByText(/^−1[56]\.\d LUFS · range .* dBTP · (raised|lowered) by/)).toBeVisible()

  // What was chosen is the project's, and is there again.
  await page.reload()
  await expect(page.getByText('−16 LUFS', { exact: true })).toBeVisible()
  await choose('another loudness')
  await page.getByRole('spinbutton', { name: 'Loudness, LUFS' }).fill('-27.5')
  await page.getByRole('spinbutton', { name: 'Loudness, LUFS' }).blur()
  const typed = await make()
  expect(Math.abs(typed.integrated + 27.5)).toBeLessThanOrEqual(0.3)
})
