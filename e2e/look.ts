import type { Page } from '@playwright/test'
import { readPicture } from './numbers.ts'

/** Reads a canvas of the wall as it is on the screen now, with the sound's position at the same moment. */
export async function look(page: Page, label: string) {
  // As text: a list of as many numbers takes so long to cross that the cameras end before enough is read.
  const { pixels, width, height, seconds } = await page.evaluate(async (name) => {
    await new Promise((resolve) => requestAnimationFrame(resolve))
    const canvas = document.querySelector<HTMLCanvasElement>(`canvas[aria-label="${name}"]`)
    if (!canvas) throw new Error(`there is no canvas ${name}`)
    const { soundSeconds: seconds } = window.pendolo.health()
    const copy = document.createElement('canvas')
    copy.width = canvas.width
    copy.height = canvas.height
    const ctx = copy.getContext('2d') as CanvasRenderingContext2D
    ctx.drawImage(canvas, 0, 0)
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
