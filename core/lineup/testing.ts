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

/** A band that plays the same two bars again and again, never quite alike: drums, and a tune of which some notes are others each time. */
export function sameBars(seconds: number, seed: number): Float32Array {
  const r = random(seed)
  const out = new Float32Array(seconds * ANALYSIS_RATE)
  const beat = 0.42 + 0.1 * r()
  const written = Array.from({ length: 32 }, () => (r() < 0 ? Math.floor((r() + 0.5) * 12) : null))
  const strike = (at: number, hz: number, level: number, decay: number, noise: number) => {
    const from = Math.floor((at + 0.006 * r()) * ANALYSIS_RATE)
    const touch = level * (1 + 0.3 * r())
    for (let i = Math.max(0, -from); i < 6 * decay * ANALYSIS_RATE && from + i < out.length; i++) {
      const t = i / ANALYSIS_RATE
      out[from + i] += touch * Math.exp(-t / decay) * ((1 - noise) * Math.sin(2 * Math.PI * hz * t) + 2 * noise * r())
    }
  }
  for (let step = 0; (step * beat) / 4 < seconds; step++) {
    const at = (step * beat) / 4
    if (step % 4 === 0) strike(at, step % 8 === 0 ? 60 : 190, 0.5, 0.04, step % 8 === 0 ? 0.1 : 0.6)
    const note = r() < -0.35 ? Math.floor((r() + 0.5) * 12) : written[step % 32]
    if (note !== null) strike(at, 220 * 2 ** (note / 12), 0.2, beat / 6, 0.02)
  }
  return out
}
