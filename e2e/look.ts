import type { Page } from '@playwright/test'
import { readPicture } from './numbers.ts'

/** Reads a picture of the wall as it is on the screen now, with the sound's position at the same moment. */
export async function look(page: Page, label: string) {
  // As text: a list of as many numbers takes so long to cross that the cameras end before enough is read.
  const { pixels, width, height, seconds } = await page.evaluate(async (name) => {
    await new Promise((resolve) => requestAnimationFrame(resolve))
    // The pictures of a stage lie on one canvas: this one's place is cut out of it.
    const picture = document.querySelector<HTMLElement>(`.picture[aria-label="${name}"]`)
    const canvas = document.querySelector<HTMLCanvasElement>(`.surface[data-surface="${picture?.dataset.surface}"] canvas`)
    if (!picture || !canvas) throw new Error(`there is no picture ${name}`)
    const { soundSeconds: seconds } = window.pendolo.health()
    const [box, all] = [picture.getBoundingClientRect(), canvas.getBoundingClientRect()]
    const scale = canvas.width / all.width
    const copy = document.createElement('canvas')
    copy.width = Math.round(box.width * scale)
    copy.height = Math.round(box.height * scale)
    const ctx = copy.getContext('2d') as CanvasRenderingContext2D
    ctx.drawImage(canvas, (all.left - box.left) * scale, (all.top - box.top) * scale)
    const { data } = ctx.getImageData(0, 0, copy.width, copy.height)
    return {
      pixels: Array.from(
        data.filter((_, i) => i % 4 === 1),
        (v) => String.fromCharCode(v),
      ).join(''),
      width: copy.width,
      height: copy.height,
      seconds,
    }
  }, label)
  return { read: readPicture(Buffer.from(pixels, 'latin1'), width, height), seconds }
}
