import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'
import type { KnownBeats, PulseWishes } from './wishes.ts'

/** Beats a bar that are tried, and what the rarer ones cost a bar, natural logs: most music is in four or three. */
const USUAL_METRES: readonly number[] = [4, 3, 2, 6]
const RARE: Readonly<Record<number, number>> = { 2: 1.2, 6: 2 }

export interface Bars {
  /** Beats of most bars. */
  readonly metre: number
  /** Indices into the beats that begin a bar. */
  readonly downbeats: number[]
  /** How sure the count is, 0..1: mean likelihood of the beats that begin a bar. */
  readonly confidence: number
}

/** What it costs the count to jump, natural logs: within a piece, and after a pause. */
const SLIP_COST = 18
const ANEW_COST = 1
/** A pause is a distance of this many beats. */
const PAUSE = 1.8
/** How much the change of harmony over bars weighs against what the network says. */
const HARMONY_WEIGHT = 0.7

const CERTAIN = 0.999
/** A found beat is a known one this near to it, s. */
const SAME_BEAT = 0.06

/** What another metre than that of known bars costs a bar, and the most beats that a bar is taken to have. */
const NOT_KNOWN = 3
const MOST_BEATS = 12

/** Beats of the known bars where all have as many; null where they differ, none is whole, or it is no count. */
function knownMetre(known: readonly KnownBeats[]): number | null {
  const counts = new Set(known.flatMap(({ downbeats }) => downbeats.slice(1).map((d, i) => d - downbeats[i])))
  const [count] = counts
  return counts.size === 1 && count > 1 && count <= MOST_BEATS ? count : null
}

/** Whether a beat is known to begin a bar, or known not to; null where nothing is known. */
function toldOf(t: number, known: readonly KnownBeats[]): boolean | null {
  for (const { beats, downbeats } of known) {
    if (downbeats.length === 0) continue
    const at = beats.findIndex((b) => Math.abs(b - t) < SAME_BEAT)
    if (at >= 0) return downbeats.includes(at)
  }
  return null
}

/**
 * Which beats begin a bar: the network's likelihood at each beat and the change of harmony over bars, followed through the
 * recording by a hidden Markov model over metre and position in the bar, so that a dropped beat, or another piece in
 * another metre, is met (after Davies & Plumbley 2006 and Krebs, Böck & Widmer 2015).
 * @param beats seconds, ascending
 * @param bar likelihood 0..1 of a bar's first beat, each 20 ms
 * @param wishes how many beats a bar has, and bars that are known
 */
export function findBars(features: OnsetFeatures, beats: number[], bar: Float32Array, { metre: asked, known = [] }: PulseWishes = {}): Bars {
  const n = beats.length
  const told = knownMetre(known)
  const metres = asked !== undefined ? [asked] : told === null || USUAL_METRES.includes(told) ? USUAL_METRES : [...USUAL_METRES, told]
  if (n < 4) return { metre: metres[0], downbeats: n > 0 ? [0] : [], confidence: 0 }
  const likely = beats.map((t) => {
    const first = toldOf(t, known)
    if (first !== null) return first ? CERTAIN : 1 - CERTAIN
    const row = Math.round((t * FRAMES_PER_SECOND) / 2)
    return Math.max(0.01, Math.min(0.99, Math.max(bar[row - 1] || 0, bar[row] || 0, bar[row + 1] || 0)))
  })
  const states = metres.flatMap((metre) => Array.from({ length: metre }, (_, position) => ({ metre, position })))
  const gain = metres.map((metre) => {
    const harmony = beatEvidence(features, beats, metre)
    const rare = asked !== undefined || metre === told ? 0 : (RARE[metre] ?? 0) + (told === null ? 0 : NOT_KNOWN)
    return likely.map((p, i) => Math.log(p / (1 - p)) + HARMONY_WEIGHT * harmony[i] - rare)
  })
  const begins = metres.map((_, m) => metres.slice(0, m).reduce((sum, x) => sum + x, 0))
  let score = new Float64Array(states.length)
  const from = new Int8Array(n * states.length)
  for (let i = 0; i < n; i++) {
    const next = new Float64Array(states.length)
    const pause = i > 1 && beats[i] - beats[i - 1] > PAUSE * (beats[i - 1] - beats[i - 2])
    let top = 0
    for (let s = 1; s < states.length; s++) if (score[s] > score[top]) top = s
    const jump = score[top] - (pause ? ANEW_COST : SLIP_COST)
    for (const [s, { metre, position }] of states.entries()) {
      const m = metres.indexOf(metre)
      const usual = begins[m] + ((position + metre - 1) % metre)
      const stays = score[usual] >= jump
      next[s] = (stays ? score[usual] : jump) + (position === 0 ? gain[m][i] : 0)
      from[i * states.length + s] = stays ? usual : top
    }
    score = next
  }
  let at = 0
  for (let s = 1; s < states.length; s++) if (score[s] > score[at]) at = s
  const downbeats: number[] = []
  const counted = new Map<number, number>()
  for (let i = n - 1; i >= 0; i--) {
    const { metre, position } = states[at]
    counted.set(metre, (counted.get(metre) ?? 0) + 1)
    if (position === 0) downbeats.push(i)
    at = from[i * states.length + at]
  }
  downbeats.reverse()
  const metre = [...counted].sort((a, b) => b[1] - a[1])[0][0]
  return { metre, downbeats, confidence: downbeats.reduce((sum, i) => sum + likely[i], 0) / Math.max(1, downbeats.length) }
}

/**
 * How much each beat looks like the first of a bar of this many: harmony differs most between the bar before and the bar
 * from here on, and between shorter stretches; bass weighs a little for it, and a sharp hit a little against it, since the
 * snare answers on the weak beats.
 */
function beatEvidence(features: OnsetFeatures, beats: number[], metre: number): Float64Array {
  const n = beats.length
  const sums = chromaSums(features, beats)
  /** Change of harmony between `span` beats before beat i and `span` beats from it on, 0..1. */
  const change = (i: number, span: number) => {
    const before = sums(i - span, i)
    const after = sums(i, i + span)
    let dot = 0
    let a = 0
    let b = 0
    for (let p = 0; p < 12; p++) {
      dot += before[p] * after[p]
      a += before[p] * before[p]
      b += after[p] * after[p]
    }
    return a > 0 && b > 0 ? 1 - dot / Math.sqrt(a * b) : 0
  }
  const peak = (values: Float32Array, i: number) => {
    const frame = Math.round(beats[i] * FRAMES_PER_SECOND)
    let most = 0
    for (let d = -3; d <= 3; d++) most = Math.max(most, values[frame + d] || 0)
    return most
  }
  const each = (value: (i: number) => number) =>
    levelledAround(
      Float64Array.from({ length: n }, (_, i) => value(i)),
      metre,
    )
  const bar = each((i) => change(i, metre))
  const half = each((i) => change(i, 2))
  const one = each((i) => change(i, 1))
  const bass = each((i) => peak(features.bass, i))
  const sharp = each((i) => peak(features.treble, i))
  return Float64Array.from({ length: n }, (_, i) => 1.2 * bar[i] + 0.7 * half[i] + 0.5 * one[i] + 0.25 * bass[i] - 0.25 * sharp[i])
}

/** Chroma added up over whole beats; attacks, where pitch is unclear, are left out. */
function chromaSums(features: OnsetFeatures, beats: number[]): (from: number, to: number) => Float64Array {
  const n = beats.length
  const running = new Float64Array((n + 1) * 12)
  for (let i = 0; i < n; i++) {
    const from = Math.max(0, Math.round(beats[i] * FRAMES_PER_SECOND) + 3)
    const next = beats[i + 1] ?? beats[i] + (beats[i] - (beats[i - 1] ?? beats[i] - 0.5))
    const to = Math.min(features.frames, Math.round(next * FRAMES_PER_SECOND))
    for (let p = 0; p < 12; p++) {
      let sum = 0
      for (let f = from; f < to; f++) sum += features.chroma[f * 12 + p]
      running[(i + 1) * 12 + p] = running[i * 12 + p] + sum
    }
  }
  return (from, to) => {
    const a = Math.max(0, Math.min(n, from)) * 12
    const b = Math.max(0, Math.min(n, to)) * 12
    return Float64Array.from({ length: 12 }, (_, p) => running[b + p] - running[a + p])
  }
}

/** Values against those of two bars around, in their spread, so that quiet and loud parts of a piece count alike. */
function levelledAround(values: Float64Array, metre: number): Float64Array {
  const half = 2 * metre
  const spread = Math.sqrt(values.reduce((s, x) => s + x * x, 0) / Math.max(1, values.length)) || 1
  return values.map((x, i) => {
    let sum = 0
    let squares = 0
    let count = 0
    for (let k = Math.max(0, i - half); k <= Math.min(values.length - 1, i + half); k++) {
      sum += values[k]
      squares += values[k] * values[k]
      count++
    }
    const mean = sum / count
    const around = Math.sqrt(Math.max(0, squares / count - mean * mean))
    return Math.max(-2.5, Math.min(2.5, (x - mean) / (around + 0.1 * spread)))
  })
}
