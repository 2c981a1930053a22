import { copyFileSync, mkdirSync } from 'node:fs'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { scratch, TestServer } from '../server.ts'
import { chance, wholeFiles } from './files.ts'

/** `PENDOLO_RELOADS=100` for the long form. */
const RELOADS = Number(process.env.PENDOLO_RELOADS ?? 6)

test('a fault in one view says so, and the rest of the page goes on', async ({ page }) => {
  const server = new TestServer(scratch('roots'))
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name: 'Broken' })
  await page.route(`**/api/projects/${id}`, async (route) => {
    const answer = await route.fetch()
    const state = (await answer.json()) as { doc: { clips: unknown } }
    state.doc.clips = { odd: { id: 'odd', fileId: 'gone', angleId: 'gone', state: 'aside' }, odder: null }
    await route.fulfill({ response: answer, json: state })
  })
  await page.goto(`${server.url}/${id}/gather`)
  await expect(page.getByText('This view has broken')).toBeVisible()
  await expect(page.getByText(/every change is kept/)).toBeVisible()
  await page.unrouteAll({ behavior: 'wait' })
  await page.getByRole('link', { name: 'Pendolo' }).click()
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible()
  await page.getByRole('article', { name: 'Broken' }).getByRole('link').click()
  await page.reload()
  await expect(page.getByText('Drop folders here')).toBeVisible()
  await server.kill()
})

test(`reloaded at ${RELOADS} instants while light copies are made, the page always tells in the end that they are ready`, async ({ page }) => {
  test.setTimeout(60_000 + RELOADS * 20_000)
  const r = chance(11)
  const roots = scratch('roots')
  const server = new TestServer(roots)
  await server.start()
  for (let n = 0; n < RELOADS; n++) {
    const { id } = await server.api<{ id: string }>('/projects', { name: `Reload ${n}` })
    const folder = path.join(roots, `cam-${n}`)
    mkdirSync(folder)
    copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(folder, 'a.mp4'))
    // Made anew each time: its content is its own.
    copyFileSync(path.join(wholeFiles(), 'whole.mp3'), path.join(folder, 'b.mp3'))
    const { appendFileSync } = await import('node:fs')
    for (const name of ['a.mp4', 'b.mp3']) appendFileSync(path.join(folder, name), `reload ${n}`)
    await page.goto(`${server.url}/${id}/gather`)
    const gathering = server.api(`/projects/${id}/gather`, { paths: [folder] })
    await new Promise((resolve) => setTimeout(resolve, r(1500)))
    await page.reload({ waitUntil: 'commit' })
    await gathering
    await server.idle()
    await expect(page.getByText('light copies ready'), `instant ${n}`).toBeVisible({ timeout: 10_000 })
    await expect(page.getByRole('row', { name: 'a.mp4' })).toBeVisible()
  }
  await server.kill()
})
