import type { Rect } from './framing.ts'
import type { Planes } from './planes.ts'

/** Shares of red, green and blue in brightness (ITU-R BT.709-6), and what differences are divided by. */
const [KR, KG, KB] = [0.2126, 0.7152, 0.0722]
const [DB, DR] = [1.8556, 1.5748]

/**
 * Lays a drawing that one sees through over a frame (I420, ITU-R BT.709-6, 8 bits, limited range). Colour is the mean of the four
 * pixels that it stands for, weighed by how little one sees through them.
 * @param drawing red, green, blue and how little one sees through, a byte each, row by row; not multiplied
 * @param left,top of the drawing in the frame, whole pixels; it may reach out of it
 * @param share of all of it, 0..1
 * @param clip pixels of the frame outside of which nothing is drawn
 */
export function layOver(
  frame: Planes,
  drawing: Uint8Array | Uint8ClampedArray,
  width: number,
  height: number,
  left: number,
  top: number,
  share: number,
  clip: Rect,
): void {
  const { data, width: w, height: h } = frame
  const half = (w + 1) >> 1
  const [uPlane, vPlane] = [w * h, w * h + half * ((h + 1) >> 1)]
  const x0 = Math.max(0, left, Math.ceil(clip.x))
  const y0 = Math.max(0, top, Math.ceil(clip.y))
  const x1 = Math.min(w, left + width, Math.floor(clip.x + clip.width))
  const y1 = Math.min(h, top + height, Math.floor(clip.y + clip.height))
  const part = share / 255
  for (let y = y0 & ~1; y < y1; y += 2)
    for (let x = x0 & ~1; x < x1; x += 2) {
      let [alpha, red, green, blue] = [0, 0, 0, 0]
      for (let n = 0; n < 4; n++) {
        const [px, py] = [x + (n & 1), y + (n >> 1)]
        if (px < x0 || px >= x1 || py < y0 || py >= y1) continue
        const at = 4 * ((py - top) * width + px - left)
        const a = drawing[at + 3] * part
        if (a === 0) continue
        const [r, g, b] = [drawing[at], drawing[at + 1], drawing[at + 2]]
        const i = py * w + px
        data[i] = data[i] + (16 + ((KR * r + KG * g + KB * b) * 219) / 255 - data[i]) * a + 0.5
        alpha += a
        red += r * a
        green += g * a
        blue += b * a
      }
      if (alpha === 0) continue
      const luma = (KR * red + KG * green + KB * blue) / alpha
      const c = (y >> 1) * half + (x >> 1)
      const a = alpha / 4
      data[uPlane + c] = data[uPlane + c] + (128 + (((blue / alpha - luma) / DB) * 224) / 255 - data[uPlane + c]) * a + 0.5
      data[vPlane + c] = data[vPlane + c] + (128 + (((red / alpha - luma) / DR) * 224) / 255 - data[vPlane + c]) * a + 0.5
    }
}
