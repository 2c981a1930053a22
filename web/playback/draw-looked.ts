import { type Look, throughTable } from '@pendolo/core/picture'
import { tableOf } from './looks.ts'

/** Draws a small picture as a look makes it, as large as it fits; black without one. */
export function drawLooked(ctx: CanvasRenderingContext2D, picture: ImageBitmap | null, look: Look | null): void {
  const { width, height } = ctx.canvas
  ctx.fillStyle = '#000'
  ctx.fillRect(0, 0, width, height)
  if (!picture) return
  const share = Math.min(width / picture.width, height / picture.height)
  const [w, h] = [picture.width * share, picture.height * share]
  ctx.drawImage(picture, (width - w) / 2, (height - h) / 2, w, h)
  if (!look) return
  const image = ctx.getImageData(0, 0, width, height)
  throughTable(tableOf(look), new Uint32Array(image.data.buffer))
  ctx.putImageData(image, 0, 0)
}
