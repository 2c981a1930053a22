import { expect, type Page, test } from '@playwright/test'
import { numberedProject } from './numbered.ts'
import type { TestServer } from './server.ts'

interface State {
  revision: number
  doc: { cuts: { id: string; points: { time: number; angleId: string }[] }[]; angles: { id: string; name: string }[]; marks: { name: string }[] }
}

let server: TestServer
let id: string

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Two'))
})
test.afterAll(() => server.kill())

const state = () => server.project<State>(id)
const points = async () => (await state()).doc.cuts[0].points.length
const marks = async () => (await state()).doc.marks.map((m) => m.name).sort()

test('two people cut and mark in one project; each takes back their own, and is told when they meet', async ({ browser }) => {
  const open = async (): Promise<Page> => {
    // A context of its own is another browser, so another person.
    const page = await (await browser.newContext()).newPage()
    await page.goto(`${server.url}/${id}/switch`)
    await expect(page.getByLabel('Score')).toBeVisible()
    return page
  }
  const [ann, ben] = [await open(), await open()]
  await ann.keyboard.press('1')
  await expect.poll(points).toBe(1)
  await ben.keyboard.press('Shift+ArrowRight')
  await ben.keyboard.press('Shift+ArrowRight')
  await ben.keyboard.press('Shift+ArrowRight')
  await ben.keyboard.press('2')
  await expect.poll(points).toBe(2)
  await ann.keyboard.press('b')
  await ben.keyboard.press('b')
  await expect.poll(marks).toHaveLength(2)
  // Hers goes, his stays; on his page as well.
  await ann.keyboard.press('Control+z')
  await expect(ann.getByText('Undone: drop a mark')).toBeVisible()
  await expect.poll(marks).toHaveLength(1)
  await ann.keyboard.press('Control+z')
  await expect.poll(points).toBe(1)
  expect((await state()).doc.cuts[0].points[0].angleId).toBe((await state()).doc.angles[1].id)
  await ann.keyboard.press('Control+Shift+z')
  await expect.poll(points).toBe(2)
  // After a reload it is still she.
  await ann.reload()
  await expect(ann.getByLabel('Score')).toBeVisible()
  await ann.keyboard.press('Control+z')
  await expect.poll(points).toBe(1)

  // Both change the same field: who came later holds, and both are told.
  const {
    revision: base,
    doc: {
      angles: [angle],
    },
  } = await state()
  const rename = (page: Page, name: string) =>
    page.evaluate(
      async ([project, angle, to, seen]) => {
        const author = localStorage.getItem('pendolo.author') ?? ''
        await fetch(`/api/projects/${project}/edits?label=rename&base=${seen}`, {
          method: 'POST',
          headers: { 'content-type': 'application/json', 'x-author': author },
          body: JSON.stringify({ edits: [{ type: 'renameAngle', angleId: angle, name: to }] }),
        })
      },
      [id, angle.id, name, base] as const,
    )
  // Neither page has seen the other's.
  await rename(ann, 'Gantry')
  await rename(ben, 'Balcony')
  await expect(ann.getByText('Somebody else changed the same after you (rename); theirs came later and holds')).toBeVisible()
  expect((await state()).doc.angles[0]).toEqual({ ...angle, name: 'Balcony' })
  // What he has changed since she cannot take back over his head.
  await ann.keyboard.press('Control+z')
  await expect(ann.getByText(/cannot be undone: somebody else changed the same since/)).toBeVisible()
  expect((await state()).doc.angles[0].name).toBe('Balcony')
  await ben.keyboard.press('Control+z')
  await expect.poll(async () => (await state()).doc.angles[0].name).toBe('Gantry')
})
