import fc from 'fast-check'
import { plainFrame } from './blend.ts'
import { edgeDrawing, layPlanesOver, roundMask, SQUARE_EDGE } from './inset.ts'

const at = (mask: Uint8Array, width: number, x: number, y: number) => mask[y * width + x]

describe('corners of an inset', () => {
  test('are whole where they are not round, and a circle where they are as round as can be', () => {
    expect(roundMask(8, 6, 0).every((m) => m === 255)).toBe(true)
    const circle = roundMask(40, 40, 20)
    expect([at(circle, 40, 0, 0), at(circle, 40, 20, 20), at(circle, 40, 4, 4)]).toEqual([0, 255, 0])
    expect(at(circle, 40, 20, 0)).toBeGreaterThan(250)
    const area = circle.reduce((sum, m) => sum + m / 255, 0)
    expect(Math.abs(area - Math.PI * 400)).toBeLessThan(4)
  })

  test('are alike on all sides', () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 30 }), fc.integer({ min: 2, max: 30 }), fc.double({ min: 0, max: 0.5, noNaN: true }), (width, height, round) => {
        const mask = roundMask(width, height, round * Math.min(width, height))
        for (let y = 0; y < height; y++)
          for (let x = 0; x < width; x++) {
            expect(at(mask, width, x, y)).toBe(at(mask, width, width - 1 - x, y))
            expect(at(mask, width, x, y)).toBe(at(mask, width, x, height - 1 - y))
          }
      }),
    )
  })
})

describe('the edge of an inset', () => {
  test('has a border of its width and colour, and a shadow that fades away from it', () => {
    expect(edgeDrawing(100, 60, SQUARE_EDGE, 1000)).toBeNull()
    const border = edgeDrawing(100, 60, { round: 0, border: { width: 0.004, colour: '#ff8000' } }, 1000)
    if (!border) throw new Error('no border')
    const pixel = (x: number, y: number) => [...border.data.subarray(4 * ((y + border.around) * border.width + x + border.around)).subarray(0, 4)]
    expect([border.width, border.height]).toEqual([100 + 2 * border.around, 60 + 2 * border.around])
    expect([pixel(-2, 30), pixel(101, 30), pixel(50, -3)]).toEqual(Array(3).fill([255, 128, 0, 255]))
    expect(pixel(-5, 30)[3]).toBe(0)
    const shadow = edgeDrawing(100, 60, { round: 0, shadow: 0.5 }, 1000)
    if (!shadow) throw new Error('no shadow')
    const dark = (y: number) => shadow.data[4 * ((y + shadow.around) * shadow.width + 50 + shadow.around) + 3]
    // It lies a little below.
    expect(dark(62)).toBeGreaterThan(dark(-3))
    expect(dark(70)).toBeLessThan(dark(62))
    expect(dark(60 + shadow.around - 1)).toBeLessThan(5)
  })
})

describe('one picture over a part of another', () => {
  test('is there with its own colours, nowhere else, and reaches out of the frame without harm', () => {
    const even = fc.integer({ min: -8, max: 12 }).map((n) => 2 * n)
    fc.assert(
      fc.property(even, even, fc.double({ min: 0, max: 1, noNaN: true }), (left, top, part) => {
        const frame = { data: plainFrame(20, 12, 100, 90), width: 20, height: 12 }
        const picture = { data: plainFrame(8, 6, 200, 150), width: 8, height: 6 }
        layPlanesOver(frame, picture, left, top, null, part)
        const covered = (x: number, y: number) => x >= left && x < left + 8 && y >= top && y < top + 6
        for (let y = 0; y < 12; y++)
          for (let x = 0; x < 20; x++) {
            expect(Math.abs(frame.data[20 * y + x] - (covered(x, y) ? 100 + 100 * part : 100))).toBeLessThanOrEqual(1)
            if (x % 2 > 0) continue
            // Colour beside a pixel is half of that pixel's, and a quarter of each of its neighbours.
            const around = [x - 1, x, x, x + 1].filter((column) => column >= 0)
            const share = around.filter((column) => covered(column, y)).length / around.length
            for (const plane of [240, 300]) expect(Math.abs(frame.data[plane + 10 * (y >> 1) + x / 2] - (90 + 60 * part * share))).toBeLessThanOrEqual(1)
          }
      }),
    )
  })

  test('only where its mask lets it', () => {
    const frame = { data: plainFrame(4, 2, 16), width: 4, height: 2 }
    layPlanesOver(frame, { data: plainFrame(4, 2, 116), width: 4, height: 2 }, 0, 0, Uint8Array.from([255, 0, 128, 0, 0, 0, 0, 255]), 1)
    expect([...frame.data.subarray(0, 8)]).toEqual([116, 16, 66, 16, 16, 16, 16, 116])
  })
})
