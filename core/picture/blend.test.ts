import fc from 'fast-check'
import { BLACK_LUMA, blend, plainFrame, WHITE_LUMA } from './blend.ts'

describe('one picture over another', () => {
  test('is the sum of their shares, to the nearest value', () => {
    const bytes = fc.uint8Array({ minLength: 24, maxLength: 24 })
    fc.assert(
      fc.property(bytes, bytes, fc.double({ min: 0, max: 1, noNaN: true }), (under, over, share) => {
        const out = new Uint8Array(24)
        blend(under, over, share, out)
        for (let i = 0; i < 24; i++) expect(Math.abs(out[i] - (under[i] + (over[i] - under[i]) * share))).toBeLessThanOrEqual(0.51)
        blend(under, over, share, under)
        expect(under).toEqual(out)
      }),
    )
    expect(() => blend(new Uint8Array(4), new Uint8Array(5), 0.5, new Uint8Array(4))).toThrow(TypeError)
  })

  test('goes into black and white and stays without colour', () => {
    const [black, white] = [plainFrame(4, 2, BLACK_LUMA), plainFrame(4, 2, WHITE_LUMA)]
    expect([...black]).toEqual([16, 16, 16, 16, 16, 16, 16, 16, 128, 128, 128, 128])
    const out = new Uint8Array(12)
    blend(black, white, 0.5, out)
    expect([...out]).toEqual([126, 126, 126, 126, 126, 126, 126, 126, 128, 128, 128, 128])
  })
})
