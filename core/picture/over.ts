import type { Rect } from './framing.ts'
import type { Planes } from './planes.ts'

/** Shares of red, green and blue in brightness (ITU-R BT.709-6), and what differences are divided by. */
const [KR, KG, KB] = [0.2126, 0.7152, 0.0722]
const [DB, DR] = [1.8556, 1.5748]

/**
 * Lays a drawing that one sees through over a frame (I420, ITU-R BT.709-6, 8 bits, limited range). Colour is the mean of the
 * pixels around it ({@link aroundColour}), weighed by how little one sees through them.
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
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) {
      const at = 4 * ((y - top) * width + x - left)
      const a = drawing[at + 3] * part
      if (a === 0) continue
      const i = y * w + x
      data[i] = data[i] + (16 + ((KR * drawing[at] + KG * drawing[at + 1] + KB * drawing[at + 2]) * 219) / 255 - data[i]) * a + 0.5
    }
  for (let cy = y0 >> 1; 2 * cy < y1; cy++)
    for (let cx = x0 >> 1; 2 * cx <= x1 && cx < half; cx++) {
      let [alpha, red, green, blue] = [0, 0, 0, 0]
      for (let py = Math.max(y0, 2 * cy); py < Math.min(y1, 2 * cy + 2); py++)
        for (let px = Math.max(x0, 2 * cx - 1); px < Math.min(x1, 2 * cx + 2); px++) {
          const at = 4 * ((py - top) * width + px - left)
          const a = drawing[at + 3] * part * (px === 2 * cx ? 2 : 1)
          alpha += a
          red += drawing[at] * a
          green += drawing[at + 1] * a
          blue += drawing[at + 2] * a
        }
      if (alpha === 0) continue
      const luma = (KR * red + KG * green + KB * blue) / alpha
      const c = cy * half + cx
      const a = alpha / aroundColour(cx, cy, w, h)
      data[uPlane + c] = data[uPlane + c] + (128 + (((blue / alpha - luma) / DB) * 224) / 255 - data[uPlane + c]) * a + 0.5
      data[vPlane + c] = data[vPlane + c] + (128 + (((red / alpha - luma) / DR) * 224) / 255 - data[vPlane + c]) * a + 0.5
    }
}

/**
 * What the pixels weigh together that a sample of colour stands for: in each of its two rows the one that it is beside twice, those left and right
 * of it once (MPEG-2 siting), as far as they lie in the frame.
 */
export const aroundColour = (cx: number, cy: number, width: number, height: number): number =>
  (2 + (cx > 0 ? 1 : 0) + (2 * cx + 1 < width ? 1 : 0)) * (2 * cy + 1 < height ? 2 : 1)
