import type { Biquad } from '../signal/index.ts'

export type { Biquad }

/** What a section remembers of the sound before, for one channel. */
export interface BiquadState {
  s1: number
  s2: number
}

/** What is smaller is nothing. */
const TINY = 1e-30

export const quiet = (): BiquadState => ({ s1: 0, s2: 0 })

/**
 * Runs a section over samples in place (transposed direct form II).
 * @param samples interleaved
 * @param stride channels that are interleaved
 * @param offset which of them
 */
export function runBiquad({ b0, b1, b2, a1, a2 }: Biquad, state: BiquadState, samples: Float32Array | Float64Array, stride = 1, offset = 0): void {
  let { s1, s2 } = state
  for (let i = offset; i < samples.length; i += stride) {
    const x = samples[i]
    const y = b0 * x + s1
    s1 = b1 * x - a1 * y + s2
    s2 = b2 * x - a2 * y
    samples[i] = y
  }
  // What dies away would be counted on in the smallest of numbers, which processors are slow at.
  state.s1 = Math.abs(s1) < TINY ? 0 : s1
  state.s2 = Math.abs(s2) < TINY ? 0 : s2
}

/** What a section of an equaliser does around its frequency. */
export const BAND_KINDS = ['low-shelf', 'bell', 'high-shelf'] as const
export type BandKind = (typeof BAND_KINDS)[number]

/** One band of an equaliser. */
export interface Band {
  readonly kind: BandKind
  /** Hz, above 0 and below half the rate. */
  readonly hz: number
  readonly gainDb: number
  /** Of a bell, how narrow; of a shelf, how steep: 0.1..20. */
  readonly q: number
}

/** The section of a band (R. Bristow-Johnson, Cookbook formulae for audio EQ biquad filter coefficients, W3C note 2021). */
export function bandSection({ kind, hz, gainDb, q }: Band, rate: number): Biquad {
  const a = 10 ** (gainDb / 40)
  const w = (2 * Math.PI * Math.min(hz, 0.49 * rate)) / rate
  const cos = Math.cos(w)
  const alpha = Math.sin(w) / (2 * q)
  if (kind === 'bell') return section(1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a)
  const root = 2 * Math.sqrt(a) * alpha
  // A high shelf is a low one seen from the other end.
  const s = kind === 'low-shelf' ? 1 : -1
  return section(
    a * (a + 1 - s * (a - 1) * cos + root),
    s * 2 * a * (a - 1 - s * (a + 1) * cos),
    a * (a + 1 - s * (a - 1) * cos - root),
    a + 1 + s * (a - 1) * cos + root,
    -s * 2 * (a - 1 + s * (a + 1) * cos),
    a + 1 + s * (a - 1) * cos - root,
  )
}

/** The two sections of a high-pass of fourth order after Butterworth: −3 dB at `hz`, 24 dB an octave below. */
export function highPassSections(hz: number, rate: number): readonly Biquad[] {
  const w = (2 * Math.PI * Math.min(hz, 0.49 * rate)) / rate
  const cos = Math.cos(w)
  return [Math.PI / 8, (3 * Math.PI) / 8].map((angle) => {
    const alpha = Math.sin(w) * Math.cos(angle)
    return section((1 + cos) / 2, -(1 + cos), (1 + cos) / 2, 1 + alpha, -2 * cos, 1 - alpha)
  })
}

/** A narrow notch that takes one frequency out (cookbook as above). */
export function notchSection(hz: number, q: number, rate: number): Biquad {
  const w = (2 * Math.PI * Math.min(hz, 0.49 * rate)) / rate
  const cos = Math.cos(w)
  const alpha = Math.sin(w) / (2 * q)
  return section(1, -2 * cos, 1, 1 + alpha, -2 * cos, 1 - alpha)
}

const section = (b0: number, b1: number, b2: number, a0: number, a1: number, a2: number): Biquad => ({
  b0: b0 / a0,
  b1: b1 / a0,
  b2: b2 / a0,
  a1: a1 / a0,
  a2: a2 / a0,
})

/** Factor with which sections one behind the other let a frequency through. */
export function responseAt(sections: readonly Biquad[], hz: number, rate: number): number {
  const w = (2 * Math.PI * hz) / rate
  const size = (c0: number, c1: number, c2: number) => Math.hypot(c0 + c1 * Math.cos(w) + c2 * Math.cos(2 * w), c1 * Math.sin(w) + c2 * Math.sin(2 * w))
  return sections.reduce((all, { b0, b1, b2, a1, a2 }) => all * (size(b0, b1, b2) / size(1, a1, a2)), 1)
}
