import { expect, type Page, test } from '@playwright/test'
import { numberedProject, openSwitch, toldCuts } from './numbered.ts'
import type { TestServer } from './server.ts'

const SECOND = 705_600_000

let server: TestServer
let id: string

test.beforeAll(async () => {
  ;({ server, id } = await numberedProject('Keys'))
  await server.api(`/projects/${id}/pulse`, {})
})
test.afterAll(() => server?.kill())

const playing = (page: Page) => page.evaluate(() => window.pendolo.health().playing)

/** What a hand can press on the page, by the words it carries; what leads away or asks the system for files is left out. */
const controls = (page: Page) =>
  page.evaluate(() => {
    const all = [
      ...document.querySelectorAll<HTMLElement>('.main button, .main .ant-segmented-item, .main .ant-checkbox-wrapper, .main .ant-switch, .main .ant-select'),
    ]
    return all.flatMap((e, index) => {
      const box = e.getBoundingClientRect()
      const off =
        box.width === 0 ||
        getComputedStyle(e).visibility === 'hidden' ||
        box.bottom > innerHeight ||
        box.right > innerWidth ||
        e.matches(':disabled, .ant-segmented-item-disabled, .ant-select-disabled')
      const words = e.getAttribute('aria-label') ?? e.textContent ?? ''
      return off || /Make the film|Begin/.test(words) ? [] : [{ index, words }]
    })
  })

for (const stage of ['gather', 'line-up', 'pulse', 'switch', 'balance', 'hand-over'])
  test(`in ${stage} the keys work after a click on any control`, async ({ page }) => {
    test.setTimeout(240_000)
    await page.goto(`${server.url}/${id}/${stage}`)
    await expect(page.locator('.main button').first()).toBeVisible()
    await page.waitForTimeout(1000)
    const dead: string[] = []
    const pressed = new Set<string>()
    for (;;) {
      // What a click changes is looked at anew; each thing is pressed once.
      const next = (await controls(page)).find((c) => !pressed.has(c.words))
      if (!next || pressed.size > 60) break
      pressed.add(next.words)
      await page
        .locator('.main button, .main .ant-segmented-item, .main .ant-checkbox-wrapper, .main .ant-switch, .main .ant-select')
        .nth(next.index)
        .click({ timeout: 8000 })
        .catch(async () => {
          // What went away or moved before it could be clicked, because of what was clicked before, is no fault.
          const there = (await controls(page)).find((c) => c.words === next.words)
          if (there?.index === next.index) dead.push(`${next.words}: cannot be clicked`)
        })
      for (
        let n = 0;
        n < 3 && (await page.locator('[role=dialog]:visible, .ant-dropdown:visible, .ant-select-dropdown:visible, .ant-popover:visible').count()) > 0;
        n++
      ) {
        await page.keyboard.press('Escape')
        await page.waitForTimeout(250)
      }
      if (!page.url().endsWith(`/${stage}`)) {
        await page.goto(`${server.url}/${id}/${stage}`)
        continue
      }
      if (await playing(page)) await page.keyboard.press('k')
      const typing = await page.evaluate(() => document.activeElement?.matches('input:not([type=radio], [type=checkbox]), textarea') ?? false)
      if (typing) continue
      const plays = async () => {
        await page.keyboard.press('Space')
        return expect
          .poll(() => playing(page), { timeout: 8000 })
          .toBe(true)
          .then(
            () => true,
            () => false,
          )
      }
      // What the click began may just have played and ended; then Space plays at the second press. A dead key never does.
      if (!(await plays()) && !(await plays())) dead.push(`${next.words}: ${await page.evaluate(() => document.activeElement?.outerHTML.slice(0, 120))}`)
      await page.keyboard.press('k')
    }
    expect(dead).toEqual([])
    expect(pressed.size).toBeGreaterThan(2)
  })

test('after one cut and then another was clicked, Space plays; come to by keys, it chooses the cut', async ({ page }) => {
  const { doc } = await server.project<{ doc: { angles: { id: string; name: string }[] } }>(id)
  // A version of its own: what was clicked before left cuts behind.
  const cutId = crypto.randomUUID()
  const choose = (seconds: number, letter: string) => ({
    type: 'choose',
    cutId,
    time: seconds * SECOND,
    choice: { angleId: doc.angles.find((a) => a.name === `Cam ${letter}`)?.id },
  })
  await server.api(`/projects/${id}/edits?label=check`, {
    edits: [{ type: 'addCut', cutId, name: 'Heads', from: null }, { type: 'activeCut', cutId }, choose(0, 'c'), choose(2, 'a'), choose(5, 'b'), choose(8, 'c')],
  })
  await openSwitch(page, server, id)
  // The first stands at the edge of the view, half over the names.
  for (const where of ['b at 00:00:05:00', 'c at 00:00:00:00', 'c at 00:00:08:00', 'b at 00:00:05:00']) {
    const head = page.getByRole('button', { name: `cut to Cam ${where}` })
    await head.click()
    await expect(head).toHaveAttribute('aria-pressed', 'true')
    await page.keyboard.press('Space')
    await expect.poll(() => playing(page)).toBe(true)
    await expect(head).toHaveAttribute('aria-pressed', 'true')
    await page.keyboard.press('k')
    await expect.poll(() => playing(page)).toBe(false)
  }
  await page.keyboard.press('Tab')
  const next = page.locator('.note-head:focus')
  await expect(next).toHaveAttribute('aria-pressed', 'false')
  await page.keyboard.press('Space')
  await expect(next).toHaveAttribute('aria-pressed', 'true')
  expect(await playing(page)).toBe(false)
})

test('once something was chosen of a list the keys are the stage’s, before the page has come to rest', async ({ page }) => {
  await openSwitch(page, server, id)
  await page.keyboard.press(',')
  await page.getByLabel('Show an angle in this range').click()
  await expect(page.locator('.ant-select-dropdown:visible')).toBeVisible()
  const focused = await page.evaluate(() => {
    const option = document.querySelector('.ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option')
    option?.dispatchEvent(new MouseEvent('click', { bubbles: true, detail: 1 }))
    return document.activeElement?.tagName
  })
  expect(focused).toBe('BODY')
  await expect.poll(() => toldCuts(server, id)).toContain('0a')
})

test('Enter and Space on a button that has the focus press that button alone', async ({ page }) => {
  await page.goto(`${server.url}/${id}/line-up`)
  const state = () =>
    server.project<{
      doc: { clips: Record<string, unknown>; placements: Record<string, { verdict: string; locked: boolean; start: number; method: string }> }
    }>(id)
  const [clipId] = Object.entries((await state()).doc.placements).find(([, p]) => p.method !== 'master') ?? []
  const placement = async () => (await state()).doc.placements[clipId as string]
  const before = await placement()
  await server.api(`/projects/${id}/edits?label=check`, {
    edits: [{ type: 'place', by: 'asked', placements: { [clipId as string]: { ...before, verdict: 'check', locked: false } }, loose: {} }],
  })
  await page.getByRole('button', { name: /, check/ }).click()
  const lock = page.getByRole('button', { name: /^Lock/ }).first()
  await lock.focus()
  await page.keyboard.press('Enter')
  await expect.poll(async () => (await placement()).locked).toBe(true)
  expect((await placement()).verdict).toBe('check')
  expect(await playing(page)).toBe(false)
  await page
    .getByRole('button', { name: /^(Unlock|Lock)/ })
    .first()
    .focus()
  await page.keyboard.press('Space')
  await expect.poll(async () => (await placement()).locked).toBe(false)
  expect(await playing(page)).toBe(false)
})

test('with the magnet’s box open numbers still show angles', async ({ page }) => {
  // What the tests before cut is painted over; what is seen behind it goes on being seen.
  const { doc } = await server.project<{ doc: { activeCutId: string; angles: { id: string }[] } }>(id)
  const paint = { type: 'paint', cutId: doc.activeCutId, from: 0, to: 30 * SECOND, choice: { angleId: doc.angles[0].id } }
  await server.api(`/projects/${id}/edits?label=one`, { edits: [paint] })
  await openSwitch(page, server, id)
  await page
    .getByRole('button', { name: /magnet/i })
    .first()
    .click()
  await expect(page.locator('.ant-popover:visible')).toBeVisible()
  await page.keyboard.press('Home')
  for (const second of [1, 2]) {
    await page.keyboard.press('Shift+ArrowRight')
    await expect.poll(() => page.evaluate(() => window.pendolo.health().soundSeconds)).toBeCloseTo(second, 1)
  }
  const seen = async () => (await toldCuts(server, id)).split(' ').flatMap((cut) => (Number.parseFloat(cut) < 29 ? [cut.at(-1)] : []))
  expect(await seen()).toEqual(['a'])
  await page.keyboard.press('2')
  await expect.poll(seen).toContain('b')
})
