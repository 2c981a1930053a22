import fc from 'fast-check'
import { BLACK_LUMA, plainFrame } from './blend.ts'
import { layOver } from './over.ts'
import { drawTitle, type TitleInk, titleBlock, USUAL_TITLE } from './title.ts'

const [W, H] = [8, 6]
const frame = (luma = BLACK_LUMA) => ({ data: plainFrame(W, H, luma), width: W, height: H })
const all = { x: 0, y: 0, width: W, height: H }
/** A drawing of one colour. */
const plain = (width: number, height: number, colour: readonly number[]) => Uint8Array.from({ length: 4 * width * height }, (_, i) => colour[i % 4])
const luma = (f: ReturnType<typeof frame>, x: number, y: number) => f.data[y * W + x]

describe('a drawing over a frame', () => {
  test('covers it where one cannot see through it, and only there', () => {
    const to = frame()
    layOver(to, plain(2, 2, [255, 255, 255, 255]), 2, 2, 3, 1, 1, all)
    expect([luma(to, 3, 1), luma(to, 4, 2), luma(to, 2, 1), luma(to, 3, 3)]).toEqual([235, 235, 16, 16])
    expect([...to.data.subarray(W * H)].every((c) => c === 128)).toBe(true)
    const out = frame()
    layOver(out, plain(2, 2, [255, 255, 255, 0]), 2, 2, 3, 1, 1, all)
    expect(out.data).toEqual(frame().data)
  })

  test('has the colours of the standard: red, green and blue as ITU-R BT.709 has them', () => {
    for (const [colour, wanted] of [
      [
        [255, 0, 0, 255],
        [63, 102, 240],
      ],
      [
        [0, 255, 0, 255],
        [173, 42, 26],
      ],
      [
        [0, 0, 255, 255],
        [32, 240, 118],
      ],
    ] as const) {
      const to = frame()
      layOver(to, plain(W, H, colour), W, H, 0, 0, 1, all)
      const found = [to.data[0], to.data[W * H], to.data[W * H * 1.25]]
      for (const [i, value] of found.entries()) expect(Math.abs(value - wanted[i])).toBeLessThanOrEqual(1)
    }
  })

  test('reaches out of the frame and its own bounds without harm, with its share of what it covers', () => {
    const number = (min: number, max: number) => fc.integer({ min, max })
    fc.assert(
      fc.property(
        number(-12, 12),
        number(-12, 12),
        fc.double({ min: 0, max: 1, noNaN: true }),
        number(0, 6),
        number(0, 255),
        (left, top, share, from, alpha) => {
          const to = frame(100)
          const clip = { x: from, y: 0, width: W - from, height: H }
          layOver(to, plain(4, 4, [255, 255, 255, alpha]), 4, 4, left, top, share, clip)
          for (let y = 0; y < H; y++)
            for (let x = 0; x < W; x++) {
              const covered = x >= Math.max(left, from) && x < left + 4 && y >= top && y < top + 4
              const wanted = covered ? 100 + (135 * share * alpha) / 255 : 100
              expect(Math.abs(luma(to, x, y) - wanted)).toBeLessThanOrEqual(1)
            }
        },
      ),
    )
  })
})

describe('a title', () => {
  /** Letters half as wide as they are high. */
  const ink = () => {
    const said: (string | number)[][] = []
    const state = { font: '', fillStyle: '', textAlign: '', textBaseline: '' }
    const own: TitleInk = Object.assign(state, {
      clearRect: (...of: number[]) => void said.push(['clear', ...of]),
      fillRect: (...of: number[]) => void said.push(['box', state.fillStyle, ...of]),
      fillText: (text: string, x: number, y: number) => void said.push([text, x, Math.round(y)]),
      measureText: (text: string) => ({ width: text.length * 0.5 * Number(/([\d.]+)px/.exec(state.font)?.[1]) }),
    })
    return { own, said }
  }

  test('is divided where its text says so and where its place is too narrow', () => {
    const { own } = ink()
    const { lines, letters, height } = titleBlock(own, 'The long night\nof trams', { ...USUAL_TITLE, letters: 0.1 }, 260, 400)
    expect([lines, letters]).toEqual([['The long', 'night', 'of trams'], 40])
    expect(height).toBe(Math.ceil((3 * 1.32 + 0.5) * 40))
  })

  test('stands in the middle of its height, on the side that is wished, before its box', () => {
    const { own, said } = ink()
    const style = { ...USUAL_TITLE, letters: 0.1, align: 'left' as const, box: { colour: '#102030', share: 0.5 } }
    drawTitle(own, titleBlock(own, 'One\nTwo', style, 600, 400), style, 600, 200)
    expect(said).toEqual([
      ['clear', 0, 0, 600, 200],
      ['box', '#10203080', 0, 0, 600, 200],
      ['One', 20, 74],
      ['Two', 20, 126],
    ])
  })
})
