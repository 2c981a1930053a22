import type { Page } from '@playwright/test'

export interface Pixels {
  readonly width: number
  readonly height: number
  /** The wanted channels of each pixel, row by row. */
  readonly data: Buffer
  /** Where the sound is just before they are taken, and just after: a machine that is busy takes them some time later than it is asked. */
  readonly seconds: number
  readonly until: number
  /** When that was asked, s of the machine's own clock. */
  readonly wall: number
}

/** What is drawn of a picture on the screen now: its place on the canvas of its stage is cut out. @param channels 0 red, 1 green, 2 blue */
export async function pixelsOf(page: Page, label: string, channels: readonly number[]): Promise<Pixels> {
  // As text: a list of as many numbers takes so long to cross that the cameras end before enough is read.
  const { text, ...rest } = await page.evaluate(
    async ({ name, wanted }) => {
      await new Promise((resolve) => requestAnimationFrame(resolve))
      const picture = document.querySelector<HTMLElement>(`.picture[aria-label="${name}"]`)
      const canvas = document.querySelector<HTMLCanvasElement>(`.surface[data-surface="${picture?.dataset.surface}"] canvas`)
      if (!picture || !canvas) throw new Error(`there is no picture ${name}`)
      const { soundSeconds: seconds } = window.pendolo.health()
      const wall = performance.now() / 1000
      const [box, all] = [picture.getBoundingClientRect(), canvas.getBoundingClientRect()]
      const scale = canvas.width / all.width
      const copy = document.createElement('canvas')
      copy.width = Math.round(box.width * scale)
      copy.height = Math.round(box.height * scale)
      const ctx = copy.getContext('2d') as CanvasRenderingContext2D
      ctx.drawImage(canvas, (all.left - box.left) * scale, (all.top - box.top) * scale)
      const { data } = ctx.getImageData(0, 0, copy.width, copy.height)
      const { soundSeconds: until } = window.pendolo.health()
      const text = Array.from(
        data.filter((_, i) => wanted.includes(i % 4)),
        (v) => String.fromCharCode(v),
      ).join('')
      return { text, width: copy.width, height: copy.height, seconds, until, wall }
    },
    { name: label, wanted: channels },
  )
  return { ...rest, data: Buffer.from(text, 'latin1') }
}
