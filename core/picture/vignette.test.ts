import { darkenPlanes, USUAL_VIGNETTE, vignetteMask } from './vignette.ts'

describe('a vignette', () => {
  test('leaves its middle as it is and darkens all corners alike, gently', () => {
    const [w, h] = [160, 90]
    const mask = vignetteMask(w, h, { ...USUAL_VIGNETTE, amount: 0.6 })
    expect(mask[45 * w + 80]).toBe(255)
    const corners = [0, w - 1, (h - 1) * w, h * w - 1].map((i) => mask[i])
    expect(new Set(corners).size).toBe(1)
    expect(corners[0]).toBeGreaterThan(255 * 0.4)
    expect(corners[0]).toBeLessThan(200)
    for (let x = 80; x < w - 1; x++) expect(mask[45 * w + x] - mask[45 * w + x + 1]).toBeGreaterThanOrEqual(0)
    // Fully set in, all that it takes is taken.
    expect(vignetteMask(w, h, { amount: 0.6, x: 0.5, y: 0.5, size: 0.2, soft: 0.3 })[0]).toBe(102)
  })

  test('lies where its middle is put, and is round in a frame of any shape', () => {
    const [w, h] = [160, 90]
    const mask = vignetteMask(w, h, { amount: 1, x: 0.25, y: 0.5, size: 0.1, soft: 0.5 })
    expect(mask[45 * w + 40]).toBe(255)
    expect(mask[45 * w + 120]).toBe(0)
    expect(Math.abs(mask[45 * w + 40 + 30] - mask[(45 + 30) * w + 40])).toBeLessThanOrEqual(4)
  })

  test('takes brightness above black and colour alike from planes, and leaves black black', () => {
    const [w, h] = [4, 2]
    const data = Uint8Array.from([16, 116, 235, 16, 16, 116, 235, 16, 128, 228, 128, 28])
    const to = new Uint8Array(data.length)
    darkenPlanes({ data, width: w, height: h }, new Uint8Array(w * h).fill(51), to)
    expect([...to]).toEqual([16, 36, 60, 16, 16, 36, 60, 16, 128, 148, 128, 108])
  })
})
