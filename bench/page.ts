/// <reference lib="dom" />
import { chromium, type Page } from '@playwright/test'
import { type Big, CUTS, cutsFrom, MARKS, marksFrom, median, steadyPulse, withBigProject } from './big.ts'

/** Seconds of going over the score and of standing by for the baseline. */
const GOING = 8

interface Frames {
  /** Milliseconds between drawn frames. */
  readonly gaps: number[]
}

/** Notes when frames are drawn, and when the score is. */
function install(): void {
  const noted = { gaps: [] as number[], draws: [] as number[], keys: [] as number[], running: false }
  Object.assign(window, { noted })
  let last = 0
  const tick = (now: number) => {
    if (noted.running && last > 0) noted.gaps.push(now - last)
    last = noted.running ? now : 0
    requestAnimationFrame(tick)
  }
  requestAnimationFrame(tick)
  const clear = CanvasRenderingContext2D.prototype.clearRect
  CanvasRenderingContext2D.prototype.clearRect = function (...args) {
    clear.apply(this, args)
    if (this.canvas.classList.contains('score-drawing')) noted.draws.push(performance.now())
  }
  window.addEventListener('keydown', () => noted.keys.push(performance.now()), true)
}

async function framesDuring(page: Page, act: () => Promise<void>): Promise<Frames> {
  await page.evaluate(() => {
    const { noted } = window as unknown as { noted: { gaps: number[]; running: boolean } }
    noted.gaps = []
    noted.running = true
  })
  await act()
  return page.evaluate(() => {
    const { noted } = window as unknown as { noted: { gaps: number[]; running: boolean } }
    noted.running = false
    return { gaps: noted.gaps }
  })
}

const rate = ({ gaps }: Frames) => 1000 / Math.max(1, median(gaps))
const within = ({ gaps }: Frames, ms: number) => gaps.filter((g) => g <= ms).length / Math.max(1, gaps.length)

/**
 * The big project in headless Chromium: first picture, frames while scrolling and zooming over all scales, and how soon a
 * key is seen on the score. The baseline is an empty page that is given the same wheel in the same browser.
 */
export const benchPage = (folder: string): Promise<void> => withBigProject(folder, measure)

async function fill(big: Big): Promise<void> {
  for (let n = 0; n < CUTS; n += 500) await big.edit(cutsFrom(big, n, 500))
  for (let n = 0; n < MARKS; n += 1000) await big.edit([marksFrom(n, 1000)])
  await big.edit([steadyPulse()])
}

const launch = () =>
  chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--enable-precise-memory-info', '--autoplay-policy=no-user-gesture-required'],
  })

/** What the page holds once garbage is gone. */
interface Held {
  readonly heapMb: number
  readonly nodes: number
  readonly listeners: number
}

/** Minutes of playing and scrubbing by {@link benchEndurance}. */
const ENDURED = Number(process.env.BENCH_MINUTES ?? 10)

/**
 * The big project played, scrubbed, scrolled and cut for ten minutes: what the page holds after each minute. The baseline
 * is what it holds after the first.
 */
export const benchEndurance = (folder: string): Promise<void> =>
  withBigProject(folder, async (big) => {
    await fill(big)
    const browser = await launch()
    try {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
      const tools = await page.context().newCDPSession(page)
      const held = async (): Promise<Held> => {
        await tools.send('HeapProfiler.collectGarbage')
        const { usedSize } = await tools.send('Runtime.getHeapUsage')
        const { nodes, jsEventListeners } = await tools.send('Memory.getDOMCounters')
        return { heapMb: usedSize / 1e6, nodes, listeners: jsEventListeners }
      }
      await page.goto(`${big.url}/${big.id}/switch`)
      await page.getByLabel('Score').waitFor()
      await page.waitForTimeout(3000)
      await page.mouse.move(700, 620)
      let first: Held | null = null
      let last: Held | null = null
      for (let minute = 1; minute <= ENDURED; minute++) {
        const until = Date.now() + 60_000
        for (let n = 0; Date.now() < until; n++) {
          await page.keyboard.press('Space')
          await page.waitForTimeout(2500)
          for (const key of [String(1 + (n % 9)), 'Shift+ArrowRight', 'ArrowDown', 'ArrowDown', String(1 + ((n + 4) % 9))]) {
            await page.keyboard.press(key)
            await page.waitForTimeout(120)
          }
          for (let k = 0; k < 12; k++) {
            await page.mouse.wheel(k % 3 === 2 ? 200 : 0, k % 2 ? 60 : -60)
            await page.waitForTimeout(20)
          }
          await page.keyboard.press('Space')
          await page.mouse.click(300 + ((n * 137) % 900), 480)
          await page.waitForTimeout(300)
        }
        last = await held()
        first ??= last
        console.log(`minute ${minute}: heap ${last.heapMb.toFixed(1)} MB, ${last.nodes} nodes, ${last.listeners} listeners`)
      }
      if (first && last)
        console.log(
          `after ${ENDURED} minutes ${last.heapMb.toFixed(0)} MB (aim 300), ${(last.heapMb / first.heapMb).toFixed(2)} × the first minute; nodes ${(last.nodes / first.nodes).toFixed(2)} ×, listeners ${(last.listeners / first.listeners).toFixed(2)} ×`,
        )
    } finally {
      await browser.close()
    }
  })

async function measure(big: Big): Promise<void> {
  await fill(big)
  const browser = await launch()
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await page.addInitScript(install)
    const wheel = async (dx: number, dy: number) => {
      await page.mouse.wheel(dx, dy)
      await page.waitForTimeout(12)
    }
    const going = async (seconds: number) => {
      const until = Date.now() + seconds * 1000
      for (let n = 0; Date.now() < until; n++) await (n % 3 === 2 ? wheel(160, 0) : wheel(0, Math.floor(n / 60) % 2 === 0 ? 90 : -90))
    }
    await page.goto('about:blank')
    await page.mouse.move(700, 600)
    const idle = await framesDuring(page, () => going(GOING / 2))

    const began = Date.now()
    await page.goto(`${big.url}/${big.id}/switch`)
    await page.waitForFunction(() => (window as unknown as { noted: { draws: number[] } }).noted.draws.length > 0)
    const first = Date.now() - began
    await page.waitForTimeout(2500)
    await page.mouse.move(700, 620)
    const moving = await framesDuring(page, () => going(GOING))

    const waits: number[] = []
    for (let n = 0; n < 30; n++) {
      await page.keyboard.press('ArrowRight')
      await page.waitForTimeout(60)
      await page.evaluate(() => {
        const { noted } = window as unknown as { noted: { draws: number[]; keys: number[] } }
        noted.draws = []
        noted.keys = []
      })
      await page.keyboard.press(String(1 + (n % 9)))
      await page.waitForTimeout(150)
      waits.push(
        await page.evaluate(() => {
          const { noted } = window as unknown as { noted: { draws: number[]; keys: number[] } }
          return (noted.draws.find((d) => d >= noted.keys[0]) ?? Number.POSITIVE_INFINITY) - noted.keys[0]
        }),
      )
    }
    const heap = await page.evaluate(() => (performance as unknown as { memory: { usedJSHeapSize: number } }).memory.usedJSHeapSize)
    console.log(`page: ${CUTS} cuts, ${MARKS} marks, 1280 × 800, no graphics card`)
    console.log(`baseline: an empty page draws ${rate(idle).toFixed(0)} frames a second, ${(100 * within(idle, 40)).toFixed(0)} % within 40 ms`)
    console.log(`score drawn first after ${first} ms (aim 3000)`)
    console.log(
      `scrolling and zooming: ${rate(moving).toFixed(0)} frames a second, ${(rate(moving) / rate(idle)).toFixed(2)} × the empty page (aim 50), ${(100 * within(moving, 40)).toFixed(0)} % within 40 ms (aim 95)`,
    )
    console.log(`key to score: ${median(waits).toFixed(0)} ms median (aim 50); heap ${(heap / 1e6).toFixed(0)} MB (aim 300)`)
  } finally {
    await browser.close()
  }
}
