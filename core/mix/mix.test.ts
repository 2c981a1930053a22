import { decibelsToGain, heardGains } from './index.ts'

const strip = (over = {}) => ({ on: true, mute: false, solo: false, gainDb: 0, ...over })

describe('what is heard', () => {
  test('decibels as factors', () => {
    expect(decibelsToGain(0)).toBe(1)
    expect(decibelsToGain(-20)).toBeCloseTo(0.1)
    expect(decibelsToGain(-Infinity)).toBe(0)
  })

  test('off and muted strips are silent, levels count', () => {
    expect(heardGains([strip(), strip({ on: false }), strip({ mute: true }), strip({ gainDb: -20 })])).toEqual([1, 0, 0, expect.closeTo(0.1)])
  })

  test('solo leaves only solo strips, but not those that are off or muted', () => {
    expect(heardGains([strip(), strip({ solo: true }), strip({ solo: true, on: false })])).toEqual([0, 1, 0])
    expect(heardGains([strip(), strip({ solo: true, mute: true })])).toEqual([1, 0])
  })
})
