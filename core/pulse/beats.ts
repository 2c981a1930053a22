import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'
import type { TempoPath } from './tempo.ts'

/** How dearly a beat distance other than the tempo's is paid for (Ellis 2007 uses 100 to 680 on a log axis). */
const TIGHTNESS = 160

/**
 * Flux sees an attack as soon as its window reaches it: a sharp one about 10 ms early, a soft one not at all. Half of
 * that is given back.
 */
const EARLY_SECONDS = 0.004

/**
 * Beats by dynamic programming: the sequence whose onset strength is highest while its distances keep the tempo
 * (Ellis 2007, "Beat Tracking by Dynamic Programming"), here with a tempo that changes along the way and one chain
 * for each stretch that has a pulse.
 * @returns beat times in seconds, ascending; empty where there is no pulse
 */
export function trackBeats(features: OnsetFeatures, tempo: TempoPath): number[] {
  const beats: number[] = []
  for (const [from, to] of stretches(tempo)) {
    const first = Math.max(0, Math.round(from * FRAMES_PER_SECOND))
    const last = Math.min(features.frames, Math.round(to * FRAMES_PER_SECOND))
    const chain = chainOf(features.strength, tempo, first, last)
    for (const frame of trimmed(chain, features, tempo)) beats.push(refined(features.strength, frame) / FRAMES_PER_SECOND + EARLY_SECONDS)
  }
  return beats
}

/** Half-open stretches [from, to) of seconds with a pulse, widened by the half window that the tempo was judged by. */
function stretches(tempo: TempoPath): [number, number][] {
  const out: [number, number][] = []
  let start = -1
  for (let s = 0; s <= tempo.bpm.length; s++) {
    const on = s < tempo.bpm.length && tempo.bpm[s] > 0
    if (on && start < 0) start = s
    if (!on && start >= 0) {
      if (s - start >= 4) out.push([(start - 4) * tempo.stepSeconds, (s + 4) * tempo.stepSeconds])
      start = -1
    }
  }
  for (let i = 1; i < out.length; i++) {
    if (out[i][0] < out[i - 1][1]) {
      const middle = (out[i][0] + out[i - 1][1]) / 2
      out[i][0] = middle
      out[i - 1][1] = middle
    }
  }
  return out
}

function periodAt(tempo: TempoPath, frame: number): number {
  let s = Math.max(0, Math.min(tempo.bpm.length - 1, Math.round(frame / FRAMES_PER_SECOND / tempo.stepSeconds)))
  for (let d = 0; tempo.bpm[s] === 0 && d < tempo.bpm.length; d++) {
    if (tempo.bpm[s + d] > 0) s += d
    else if (tempo.bpm[s - d] > 0) s -= d
  }
  return (60 / (tempo.bpm[s] || 120)) * FRAMES_PER_SECOND
}

function chainOf(strength: Float32Array, tempo: TempoPath, first: number, last: number): number[] {
  const n = last - first
  if (n < 10) return []
  const total = new Float64Array(n)
  const back = new Int32Array(n).fill(-1)
  for (let i = 0; i < n; i++) {
    const period = periodAt(tempo, first + i)
    let best = 0
    let origin = -1
    for (let d = Math.round(period * 0.6); d <= Math.round(period * 1.7); d++) {
      if (i - d < 0) break
      const bend = Math.log(d / period)
      const value = total[i - d] - TIGHTNESS * bend * bend
      if (origin < 0 || value > best) {
        best = value
        origin = i - d
      }
    }
    const here = strength[first + i] + 0.5 * ((strength[first + i - 1] || 0) + (strength[first + i + 1] || 0))
    total[i] = here + Math.max(0, best)
    if (best > 0) back[i] = origin
  }
  let at = n - 1
  const lastPeriod = Math.round(periodAt(tempo, last - 1))
  for (let i = Math.max(0, n - lastPeriod); i < n; i++) if (total[i] > total[at]) at = i
  const chain: number[] = []
  while (at >= 0) {
    chain.push(first + at)
    at = back[at]
  }
  return chain.reverse()
}

/** Drops beats at both ends that nothing sounds on: the chain runs on into silence and speech. */
function trimmed(chain: number[], features: OnsetFeatures, tempo: TempoPath): number[] {
  const strongAt = (frame: number) => {
    let max = 0
    for (let d = -4; d <= 4; d++) max = Math.max(max, features.strength[frame + d] || 0)
    return max
  }
  const support = chain.map(strongAt)
  const sorted = [...support].sort((a, b) => a - b)
  const floor = 0.35 * (sorted[sorted.length >> 1] ?? 0)
  const alive = (i: number) => {
    // Judged by a beat and its neighbour inwards, so that one ghost beat in the middle of music does not end it.
    const level = features.levelDb[Math.min(features.frames - 1, chain[i])]
    return support[i] > floor && level > -60
  }
  let a = 0
  let b = chain.length
  while (a < b && !(alive(a) && (a + 1 >= b || alive(a + 1)))) a++
  while (b > a && !(alive(b - 1) && (b - 2 < a || alive(b - 2)))) b--
  void tempo
  return chain.slice(a, b)
}

/** Centre of the attack around a frame, to a fraction of a frame. */
function refined(strength: Float32Array, frame: number): number {
  let at = frame
  for (let d = -2; d <= 2; d++) if ((strength[frame + d] || 0) > (strength[at] || 0)) at = frame + d
  const [a, b, c] = [strength[at - 1] || 0, strength[at] || 0, strength[at + 1] || 0]
  const bend = a - 2 * b + c
  return at + (bend < 0 ? Math.max(-0.5, Math.min(0.5, (0.5 * (a - c)) / bend)) : 0)
}
