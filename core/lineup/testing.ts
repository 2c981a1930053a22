import { ANALYSIS_RATE } from '../signal/index.ts'

/** Seeded noise (mulberry32), so that every run hears the same. */
export function random(seed: number): () => number {
  let a = seed
  return () => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296 - 0.5
  }
}

/** Plucked notes at irregular times over a little noise: music enough to be placed, with a known clock. */
export function music(seconds: number, seed: number): Float32Array {
  const r = random(seed)
  const out = new Float32Array(seconds * ANALYSIS_RATE)
  for (let t = 0; t < seconds; t += 0.15 + (r() + 0.5) * 0.3) {
    const hz = 180 * 2 ** (Math.floor((r() + 0.5) * 30) / 12)
    const from = Math.floor(t * ANALYSIS_RATE)
    for (let i = 0; i < 4000 && from + i < out.length; i++) {
      const decay = Math.exp(-i / 1200)
      out[from + i] +=
        0.3 *
        decay *
        (Math.sin((2 * Math.PI * hz * i) / ANALYSIS_RATE) + 0.5 * Math.sin((4 * Math.PI * hz * i) / ANALYSIS_RATE) + 0.4 * r() * Math.exp(-i / 200))
    }
  }
  return out
}
