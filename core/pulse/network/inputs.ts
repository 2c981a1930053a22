import { BANDS, FRAMES_PER_SECOND, type OnsetFeatures } from '../onset.ts'

/** Harmony before against harmony after, over these stretches, seconds. */
const SPANS = [0.25, 0.5, 1, 2]
/** Values a row: the bands and the changes of harmony. */
export const ROW = BANDS + SPANS.length
/** A change of harmony of 1 (nothing in common) is stored as this. */
export const CHANGE_STEPS = 200

/** What the network reads: a row each 20 ms, the bands' loudness followed by the changes of harmony. */
export function networkInputs(features: OnsetFeatures): Uint8Array {
  const rows = features.bands.length / BANDS
  const out = new Uint8Array(rows * ROW)
  for (let i = 0; i < rows; i++) out.set(features.bands.subarray(i * BANDS, (i + 1) * BANDS), i * ROW)
  const { frames, chroma } = features
  const running = new Float64Array((frames + 1) * 12)
  for (let i = 0; i < chroma.length; i++) running[i + 12] = running[i] + chroma[i]
  for (const [k, span] of SPANS.entries()) {
    const width = Math.round(span * FRAMES_PER_SECOND)
    for (let i = 0; i < rows; i++) {
      const here = Math.min(frames, 2 * i) * 12
      const before = Math.max(0, 2 * i - width) * 12
      // Attacks, where pitch is unclear, are left out.
      const from = Math.min(frames, 2 * i + 3) * 12
      const after = Math.min(frames, 2 * i + 3 + width) * 12
      let dot = 0
      let a = 0
      let b = 0
      for (let p = 0; p < 12; p++) {
        const x = running[here + p] - running[before + p]
        const y = running[after + p] - running[from + p]
        dot += x * y
        a += x * x
        b += y * y
      }
      if (a > 0 && b > 0) out[i * ROW + BANDS + k] = Math.round(CHANGE_STEPS * Math.max(0, 1 - dot / Math.sqrt(a * b)))
    }
  }
  return out
}
