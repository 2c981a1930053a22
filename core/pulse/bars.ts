import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'

/** Beats a bar that are tried. */
export const METRES = [4, 3, 2, 6] as const

export interface Bars {
  readonly metre: number
  /** Indices into the beats that begin a bar. */
  readonly downbeats: number[]
  /** How much better the chosen count fits than the next, 0..1. */
  readonly confidence: number
}

/** What it costs the count to jump within a stretch (a dropped or added beat). */
const SLIP_COST = 4

/**
 * Which beats begin a bar: weight of the bass, change of harmony and strength at each beat, followed through the
 * piece by a small hidden Markov model over the position in the bar (after Davies & Plumbley 2006, spectral
 * difference between bars).
 * @param beats seconds, ascending
 */
export function findBars(features: OnsetFeatures, beats: number[]): Bars {
  if (beats.length < 4) return { metre: 4, downbeats: beats.length > 0 ? [0] : [], confidence: 0 }
  const evidence = beatEvidence(features, beats)
  const tried = METRES.slice(0, 2)
    .map((metre) => followCount(evidence, beats, metre))
    .sort((a, b) => b.score - a.score)
  const [best, next] = tried
  const confidence = Math.max(0, Math.min(1, (best.score - next.score) / (Math.abs(best.score) + 1e-6)))
  return { metre: best.metre, downbeats: best.downbeats, confidence }
}

function beatEvidence(features: OnsetFeatures, beats: number[]): Float64Array {
  const n = beats.length
  const bass = new Float64Array(n)
  const accent = new Float64Array(n)
  const change = new Float64Array(n)
  const chromaOf = (from: number, to: number) => {
    const sum = new Float64Array(12)
    for (let f = Math.max(0, from); f < Math.min(features.frames, to); f++) for (let p = 0; p < 12; p++) sum[p] += features.chroma[f * 12 + p]
    const norm = Math.hypot(...sum) || 1
    return sum.map((x) => x / norm)
  }
  for (let i = 0; i < n; i++) {
    const frame = Math.round(beats[i] * FRAMES_PER_SECOND)
    for (let d = -3; d <= 3; d++) {
      bass[i] = Math.max(bass[i], features.bass[frame + d] || 0)
      accent[i] = Math.max(accent[i], features.strength[frame + d] || 0)
    }
    const period = Math.round(((beats[i + 1] ?? beats[i] + (beats[i] - beats[i - 1])) - beats[i]) * FRAMES_PER_SECOND)
    const after = chromaOf(frame + 3, frame + period)
    const before = chromaOf(frame - period, frame - 3)
    let dot = 0
    for (let p = 0; p < 12; p++) dot += after[p] * before[p]
    change[i] = 1 - dot
  }
  const a = standard(bass)
  const b = standard(accent)
  const c = standard(change)
  return Float64Array.from({ length: n }, (_, i) => 0.8 * a[i] + 0.3 * b[i] + 1.0 * c[i])
}

function standard(values: Float64Array): Float64Array {
  const mean = values.reduce((s, x) => s + x, 0) / values.length
  const spread = Math.sqrt(values.reduce((s, x) => s + (x - mean) ** 2, 0) / values.length) || 1
  return values.map((x) => Math.max(-2.5, Math.min(2.5, (x - mean) / spread)))
}

function followCount(evidence: Float64Array, beats: number[], metre: number) {
  const n = evidence.length
  let score = new Float64Array(metre)
  const from = new Int8Array(n * metre)
  for (let i = 0; i < n; i++) {
    const next = new Float64Array(metre)
    // After a pause the count may begin anew wherever it likes.
    const gap = i > 1 && beats[i] - beats[i - 1] > 1.8 * (beats[i - 1] - beats[i - 2])
    let top = 0
    for (let p = 1; p < metre; p++) if (score[p] > score[top]) top = p
    for (let p = 0; p < metre; p++) {
      const usual = (p + metre - 1) % metre
      const jump = score[top] - (gap ? 0.2 : SLIP_COST)
      const stays = score[usual] >= jump
      next[p] = (stays ? score[usual] : jump) + (p === 0 ? evidence[i] : -evidence[i] / (metre - 1))
      from[i * metre + p] = stays ? usual : top
    }
    score = next
  }
  let at = 0
  for (let p = 1; p < metre; p++) if (score[p] > score[at]) at = p
  const final = score[at] / n
  const downbeats: number[] = []
  for (let i = n - 1; i >= 0; i--) {
    if (at === 0) downbeats.push(i)
    at = from[i * metre + at]
  }
  return { metre, downbeats: downbeats.reverse(), score: final * Math.sqrt(metre - 1) }
}
