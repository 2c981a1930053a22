import path from 'node:path'
import { expect, test } from '@playwright/test'
import { makeNumbers } from './numbers.ts'
import { homeWithCopies, TestServer } from './server.ts'

let server: TestServer
let id: string

test.beforeAll(async () => {
  const folder = await makeNumbers()
  server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Lag' }))
  await server.api(`/projects/${id}/gather`, { paths: [path.join(folder, 'desk')] })
  await server.idle()
})
test.afterAll(() => server?.kill())

test('the touch lag test measures how late keys come, and cutting in Switch knows it after a reload', async ({ page }) => {
  await page.goto(`${server.url}/${id}/pulse`)
  await page.getByText(/touch lag/).click()
  await page.getByRole('button', { name: 'Start the clicks' }).click()
  // One press at each click of 100 a minute, a little after it.
  await page.evaluate(
    () =>
      new Promise<void>((done) => {
        const begun = performance.now()
        let presses = 0
        const timer = setInterval(() => {
          if (performance.now() < begun + 600 + 90 + presses * 600) return
          window.dispatchEvent(new KeyboardEvent('keydown', { key: 'x', code: 'KeyX', bubbles: true }))
          if (++presses < 14) return
          clearInterval(timer)
          done()
        }, 2)
      }),
  )
  await page.getByRole('button', { name: 'That is enough' }).click()
  const said = (await page.getByText(/You press/).textContent()) ?? ''
  const [, ms, , spread] = /You press (\d+) ms (late|early), give or take (\d+) ms/.exec(said) ?? []
  // By chance they would be 120 ms apart; a machine that is called away spoils some of these.
  expect(Number(spread)).toBeLessThan(80)
  expect(Number(ms)).toBeLessThan(240)
  const lag = Number(ms) * (said.includes('early') ? -1 : 1)
  await page.reload()
  await expect(page.getByText(`touch lag ${lag} ms`)).toBeVisible()
  expect(await page.evaluate(() => Object.values(localStorage).join(' '))).toContain(String(lag))
})
