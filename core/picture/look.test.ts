import fc from 'fast-check'
import { greyBalance, isPlain, type Look, looked, lookTable, TABLE_SIZE, tableText, throughTable } from './look.ts'

const number = (min: number, max: number) => fc.double({ min, max, noNaN: true })
const colours = fc.tuple(number(0, 1), number(0, 1), number(0, 1))
const looks: fc.Arbitrary<Look> = fc.record({
  exposure: number(-1.5, 1.5),
  warmth: number(-1, 1),
  tint: number(-1, 1),
  contrast: number(0.6, 1.6),
  saturation: number(0, 1.8),
})
const pixelOf = ([r, g, b]: readonly number[]) => ((255 << 24) | (Math.round(255 * b) << 16) | (Math.round(255 * g) << 8) | Math.round(255 * r)) >>> 0
const partsOf = (pixel: number) => [pixel & 255, (pixel >> 8) & 255, (pixel >> 16) & 255]

describe('a look', () => {
  test('that changes nothing leaves every colour, through its table too', () => {
    expect([isPlain({}), isPlain({ contrast: 1, exposure: 0 }), isPlain({ warmth: 0.1 })]).toEqual([true, true, false])
    const pixels = Uint32Array.from({ length: 4096 }, (_, i) => pixelOf([((i * 7) % 256) / 255, ((i * 31) % 256) / 255, ((i * 101) % 256) / 255]))
    const out = pixels.slice()
    throughTable(lookTable({}), out)
    expect(out).toEqual(pixels)
    fc.assert(fc.property(colours, (colour) => looked({}, colour).forEach((x, i) => void expect(x).toBeCloseTo(colour[i], 9))))
  })

  test('a stop is twice the light; grey stays grey but under a balance, which keeps its brightness', () => {
    const [r] = looked({ exposure: 1 }, [0.4, 0.4, 0.4])
    expect((r / 0.4) ** 2.4).toBeCloseTo(2, 6)
    fc.assert(
      fc.property(number(0, 1), number(-1, 1), number(0.5, 2), number(0, 2), (grey, exposure, contrast, saturation) => {
        const [a, b, c] = looked({ exposure, contrast, saturation }, [grey, grey, grey])
        expect(Math.max(a, b, c) - Math.min(a, b, c)).toBeLessThan(1e-9)
      }),
    )
    const warm = looked({ warmth: 0.6, tint: -0.2 }, [0.5, 0.5, 0.5])
    expect(warm[0]).toBeGreaterThan(warm[2])
    expect(0.2126 * warm[0] ** 2.4 + 0.7152 * warm[1] ** 2.4 + 0.0722 * warm[2] ** 2.4).toBeCloseTo(0.5 ** 2.4, 6)
    expect(looked({ tint: 1 }, [0.5, 0.5, 0.5])[1]).toBeLessThan(0.5)
  })

  test('a colour that is picked as grey becomes grey, whatever else is corrected; what is too dark tells nothing', () => {
    const channel = number(0.25, 0.75)
    fc.assert(
      fc.property(fc.tuple(channel, channel, channel), number(-1, 1), number(0.7, 1.3), (colour, exposure, contrast) => {
        const balance = greyBalance(colour)
        fc.pre(Math.abs(balance.warmth ?? 9) < 2 && Math.abs(balance.tint ?? 9) < 2)
        const seen = looked({ ...balance, exposure: exposure - 1, contrast }, colour)
        expect(Math.max(...seen) - Math.min(...seen)).toBeLessThan(1e-6)
      }),
    )
    expect(greyBalance([0.01, 0.5, 0.5])).toEqual({})
    expect(greyBalance([0.1, 0.5, 1]).warmth).toBe(2)
  })

  test('contrast turns around middle grey, no saturation is grey', () => {
    const grey = 0.18 ** (1 / 2.4)
    expect(looked({ contrast: 2 }, [grey, grey, grey])[0]).toBeCloseTo(grey, 9)
    expect(looked({ contrast: 2 }, [0.3, 0.3, 0.3])[0]).toBeLessThan(0.3)
    const [r, g, b] = looked({ saturation: 0 }, [0.9, 0.2, 0.4])
    expect([g, b]).toEqual([expect.closeTo(r, 9), expect.closeTo(r, 9)])
  })

  test('its table says the same between its steps, within some hundredths of the scale at most', () => {
    fc.assert(
      fc.property(looks, fc.array(colours, { minLength: 50, maxLength: 50 }), (look, list) => {
        const pixels = Uint32Array.from(list, pixelOf)
        throughTable(lookTable(look), pixels)
        let sum = 0
        for (const [i, colour] of list.entries()) {
          const wanted = looked(look, [Math.round(255 * colour[0]) / 255, Math.round(255 * colour[1]) / 255, Math.round(255 * colour[2]) / 255])
          for (const [k, got] of partsOf(pixels[i]).entries()) sum += Math.abs(got - 255 * wanted[k]) / (3 * list.length)
        }
        expect(sum).toBeLessThan(1.5)
      }),
      { numRuns: 20 },
    )
  })

  test('as a text it has a line for each colour, red fastest', () => {
    const lines = tableText(lookTable({ saturation: 1.2 }))
      .trim()
      .split('\n')
    expect(lines[1]).toBe(`LUT_3D_SIZE ${TABLE_SIZE}`)
    expect(lines).toHaveLength(2 + TABLE_SIZE ** 3)
    expect(lines[2]).toBe('0.000000 0.000000 0.000000')
    expect(lines.at(-1)).toBe('1.000000 1.000000 1.000000')
    const [r, g, b] = lines[2 + TABLE_SIZE - 1].split(' ').map(Number)
    expect(r).toBeGreaterThan(Math.max(g, b))
  })
})
