import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'

const SLOWEST_BPM = 50
const FASTEST_BPM = 210
/** Tempo grid: steps of 2 %. */
const STEP = 1.02
/** Length of the stretch a tempo is judged by, frames (8 s), and step between judgements (0.5 s). */
const WINDOW = 8 * FRAMES_PER_SECOND
const HOP = FRAMES_PER_SECOND / 2
/** Where listeners most often put the beat (Moelants 2002: about 120 a minute), and how wide, octaves. */
const PREFERRED_BPM = 118
const PREFERENCE_OCTAVES = 1.0
/** Comb height of the autocorrelation below which there is no pulse: speech and noise stay under, bands over. */
const PULSE_FLOOR = 0.2
/** Cost of a change of tempo by one grid step between judgements, and of losing or finding the pulse. */
const CHANGE_COST = 0.06
const SWITCH_COST = 0.5

export interface TempoPath {
  /** Seconds between two judgements. */
  readonly stepSeconds: number
  /** Beats a minute at each judgement; 0 where there is no pulse. */
  readonly bpm: Float32Array
  /** Height of the comb at each judgement, 0..1: how clear the pulse is. */
  readonly clarity: Float32Array
}

/**
 * Tempo over time: a comb on the autocorrelation of onset strength, then the cheapest path through it, with a state for
 * "no pulse here" (tempogram after Grosche & Müller 2011; path by Viterbi).
 */
export function tempoPath(features: OnsetFeatures): TempoPath {
  const bpms: number[] = []
  for (let bpm = SLOWEST_BPM; bpm <= FASTEST_BPM; bpm *= STEP) bpms.push(bpm)
  const steps = Math.max(1, Math.ceil(features.frames / HOP))
  const states = bpms.length
  const score = new Float32Array(steps * states)
  const maxLag = Math.ceil((60 / SLOWEST_BPM) * FRAMES_PER_SECOND * 4)
  const smooth = smoothed(features.strength)
  const clarityAt = new Float32Array(steps)
  for (let s = 0; s < steps; s++) {
    const centre = s * HOP
    const acf = autocorrelation(smooth, centre - WINDOW / 2, centre + WINDOW / 2, maxLag)
    for (let i = 0; i < states; i++) {
      const lag = (60 / bpms[i]) * FRAMES_PER_SECOND
      let sum = 0
      let weight = 0
      for (let k = 1; k <= 4; k++) {
        if (lag * k > maxLag) break
        sum += peakNear(acf, lag * k) / k ** 0.5
        weight += 1 / k ** 0.5
      }
      const comb = sum / weight
      const octaves = Math.log2(bpms[i] / PREFERRED_BPM) / PREFERENCE_OCTAVES
      score[s * states + i] = comb * Math.exp(-0.5 * octaves * octaves)
      if (comb > clarityAt[s]) clarityAt[s] = comb
    }
  }
  const path = cheapestPath(score, clarityAt, steps, states)
  const bpm = new Float32Array(steps)
  for (let s = 0; s < steps; s++) bpm[s] = path[s] < 0 ? 0 : bpms[path[s]]
  return { stepSeconds: HOP / FRAMES_PER_SECOND, bpm, clarity: clarityAt }
}

/** Widens attacks to about 30 ms, so that human timing still adds up. */
function smoothed(values: Float32Array): Float32Array {
  const out = new Float32Array(values.length)
  for (let i = 0; i < values.length; i++) {
    out[i] = 0.5 * values[i] + 0.25 * ((values[i - 1] || 0) + (values[i + 1] || 0)) + 0.1 * ((values[i - 2] || 0) + (values[i + 2] || 0))
  }
  return out
}

function autocorrelation(values: Float32Array, from: number, to: number, maxLag: number): Float32Array {
  const a = Math.max(0, from)
  const b = Math.min(values.length, to)
  const out = new Float32Array(maxLag + 3)
  let mean = 0
  for (let i = a; i < b; i++) mean += values[i]
  mean /= Math.max(1, b - a)
  const part = new Float32Array(Math.max(0, b - a))
  let energy = 1e-9
  for (let i = a; i < b; i++) {
    part[i - a] = values[i] - mean
    energy += part[i - a] * part[i - a]
  }
  for (let lag = 1; lag < out.length && lag < part.length; lag++) {
    let sum = 0
    for (let i = 0; i + lag < part.length; i++) sum += part[i] * part[i + lag]
    // Longer lags have less overlap; the root keeps them from being blown up by chance.
    out[lag] = sum / energy / Math.sqrt((part.length - lag) / part.length)
  }
  return out
}

function peakNear(acf: Float32Array, lag: number): number {
  const i = Math.round(lag)
  return Math.max(acf[i] ?? 0, acf[i - 1] ?? 0, acf[i + 1] ?? 0)
}

/** Viterbi over tempo states and the silent state −1. */
function cheapestPath(score: Float32Array, clarity: Float32Array, steps: number, states: number): Int16Array {
  const none = states
  const total = states + 1
  let cost = new Float64Array(total)
  const from = new Int16Array(steps * total)
  for (let s = 0; s < steps; s++) {
    const next = new Float64Array(total)
    let cheapest = 0
    for (let i = 1; i < states; i++) if (cost[i] < cost[cheapest]) cheapest = i
    for (let i = 0; i < states; i++) {
      let best = cost[i]
      let origin = i
      for (let d = -4; d <= 4; d++) {
        const j = i + d
        if (d === 0 || j < 0 || j >= states) continue
        const c = cost[j] + CHANGE_COST * Math.abs(d)
        if (c < best) {
          best = c
          origin = j
        }
      }
      // Any other tempo may be jumped to, at the price of losing and finding the pulse again.
      if (cost[cheapest] + SWITCH_COST < best) {
        best = cost[cheapest] + SWITCH_COST
        origin = cheapest
      }
      if (cost[none] + SWITCH_COST < best) {
        best = cost[none] + SWITCH_COST
        origin = none
      }
      next[i] = best - score[s * states + i] + (clarity[s] < PULSE_FLOOR ? 0.3 : 0)
      from[s * total + i] = origin
    }
    const leave = cost[cheapest] + SWITCH_COST
    next[none] = Math.min(cost[none], leave) - PULSE_FLOOR
    from[s * total + none] = cost[none] <= leave ? none : cheapest
    cost = next
  }
  let at = 0
  for (let i = 1; i < total; i++) if (cost[i] < cost[at]) at = i
  const path = new Int16Array(steps)
  for (let s = steps - 1; s >= 0; s--) {
    path[s] = at === none ? -1 : at
    at = from[s * total + at]
  }
  return path
}
