import fc from 'fast-check'
import { fitLine } from './fit.ts'
import type { WindowMeasure } from './windows.ts'

const window = (clipSeconds: number, lagMs: number, strength = 20): WindowMeasure => ({ clipSeconds, lagSeconds: lagMs / 1000, strength, coherence: 0.3 })

describe('the line through the windows', () => {
  test('no window gives no line', () => expect(fitLine([])).toBeNull())

  test('finds offset and drift through windows that stray', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -30, max: 30, noNaN: true }),
        fc.double({ min: -80, max: 80, noNaN: true }),
        fc.array(fc.integer({ min: 0, max: 19 }), { maxLength: 7 }),
        (offsetMs, ppm, wild) => {
          const windows = Array.from({ length: 20 }, (_, i) => window(i * 20, wild.includes(i) ? offsetMs + 40 + 3 * i : offsetMs + (ppm * i * 20) / 1000))
          const fit = fitLine(windows)
          expect(Math.abs((fit?.offsetSeconds ?? 1) * 1000 - offsetMs)).toBeLessThan(0.05)
          expect(Math.abs((fit?.drift ?? 1) * 1e6 - ppm)).toBeLessThan(1)
          for (const i of wild) expect(fit?.agrees[i]).toBe(false)
        },
      ),
    )
  })

  test('strong windows outweigh more weak ones', () => {
    const fit = fitLine([window(0, 5, 60), window(10, 5, 60), window(2, -20, 9), window(6, -20, 9), window(9, -20, 9)])
    expect(fit?.agrees).toEqual([true, true, false, false, false])
  })

  test('a short clip does not turn noise into drift', () => {
    const fit = fitLine([window(1, 0.05), window(2, -0.04), window(3, 0.06), window(4, -0.05)])
    expect(Math.abs((fit?.drift ?? 1) * 1e6)).toBeLessThan(30)
  })

  test('clocks that agree within what sound can tell have the very same rate, a small drift over a long time is one', () => {
    const noise = (i: number) => 0.006 * ([3, -7, 1, 8, -2, -9, 5, 0, -4, 6, -1, 2][i % 12] / 9)
    const same = Array.from({ length: 12 }, (_, i) => window(i * 5, 20 + noise(i)))
    expect(fitLine(same)?.drift).toBe(0)
    expect(fitLine(same)?.offsetSeconds).toBeCloseTo(0.02, 5)
    const long = Array.from({ length: 40 }, (_, i) => window(i * 45, 20 + noise(i) + 0.0015 * i * 45))
    expect((fitLine(long)?.drift ?? 0) * 1e6).toBeCloseTo(1.5, 1)
  })

  test('drift beyond what clocks do is not believed', () => {
    const fit = fitLine([window(0, 0), window(10, 10), window(20, 20), window(30, 30)])
    expect(fit?.agrees.filter(Boolean).length).toBe(1)
  })
})
