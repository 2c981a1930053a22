import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'

/** Slowest and fastest beat, frames of 10 ms (46 and 214 a minute). */
const LONGEST = 130
const SHORTEST = 28
/** What a change of the beat's length by its own length would cost, natural logs (Krebs, Böck & Widmer 2015: 100). */
const STEADINESS = 70
/** Largest change of length from one beat to the next. */
const BEND = 0.16
/** What a second within a pulse is worth against one without, and what finding and losing the pulse costs. */
const PULSE_WORTH = 1.2
const ENTRY_COST = 9
/** Where listeners most often put the beat (Moelants 2002: about 120 a minute), octaves wide, and how much it counts. */
const PREFERRED_FRAMES = 50
const PREFERENCE_OCTAVES = 0.9
const PREFERENCE_WEIGHT = 0.25

/**
 * Flux sees an attack as soon as its window reaches it: a sharp one about 10 ms early, a soft one not at all. Half of
 * that is given back.
 */
const EARLY_SECONDS = 0.004

/** Beat lengths that are tried, frames. */
const LENGTHS = lengths()

/**
 * Beats as the best chain through the likelihood of a beat: each beat scores its log odds, each change of length costs,
 * and stretches without a pulse have no chain (a semi-Markov form of the bar pointer model of Krebs, Böck & Widmer
 * 2015, "An efficient state-space model for joint tempo and meter tracking").
 * @param beat likelihood 0..1 each 20 ms
 * @returns beat times in seconds, ascending; empty where there is no pulse
 */
export function trackBeats(beat: Float32Array, features: OnsetFeatures): number[] {
  const odds = logOdds(beat)
  const chains = bestChains(odds)
  const out: number[] = []
  for (const frame of chains) {
    const time = refined(features.strength, odds, frame) / FRAMES_PER_SECOND + EARLY_SECONDS
    if (out.length === 0 || time > out[out.length - 1] + 0.1) out.push(time)
  }
  return out
}

function lengths(): number[] {
  const out: number[] = []
  for (let x = SHORTEST; x <= LONGEST; x += x < 64 ? 1 : 2) out.push(x)
  return out
}

/** Log odds of a beat at each frame of 10 ms. */
function logOdds(beat: Float32Array): Float32Array {
  const out = new Float32Array(Math.max(0, 2 * beat.length - 1))
  for (let t = 0; t < out.length; t++) {
    const p = t % 2 === 0 ? beat[t >> 1] : 0.5 * (beat[t >> 1] + beat[(t >> 1) + 1])
    const q = Math.max(0.01, Math.min(0.99, p))
    out[t] = Math.log(q / (1 - q))
  }
  return out
}

function bestChains(odds: Float32Array): number[] {
  const n = odds.length
  const count = LENGTHS.length
  const ring = LONGEST + 1
  const score = Array.from({ length: ring }, () => new Float64Array(count).fill(Number.NEGATIVE_INFINITY))
  const start = new Float64Array(ring).fill(Number.NEGATIVE_INFINITY)
  /** Where each beat came from: the length before it, or 255 for the first of a chain. */
  const back = new Uint8Array(n * count)
  /** The length a chain ended with at this frame, if "no pulse" began there; 255 if it went on. */
  const ended = new Uint8Array(n).fill(255)
  const worth = LENGTHS.map((x) => {
    const octaves = Math.log2(x / PREFERRED_FRAMES) / PREFERENCE_OCTAVES
    return (PULSE_WORTH * x) / FRAMES_PER_SECOND - (PREFERENCE_WEIGHT * octaves * octaves * x) / PREFERRED_FRAMES
  })
  const change = LENGTHS.map((x) => LENGTHS.map((y) => (Math.abs(y / x - 1) <= BEND ? STEADINESS * Math.abs(y / x - 1) : Number.POSITIVE_INFINITY)))
  const reach = change.map((row) => [row.findIndex((c) => c < Number.POSITIVE_INFINITY), row.findLastIndex((c) => c < Number.POSITIVE_INFINITY)])
  let none = 0
  for (let t = 0; t < n; t++) {
    const here = score[t % ring]
    let top = Number.NEGATIVE_INFINITY
    let topLength = 255
    for (let i = 0; i < count; i++) {
      const d = LENGTHS[i]
      here[i] = Number.NEGATIVE_INFINITY
      if (d > t) continue
      const slot = (t - d) % ring
      const before = score[slot]
      let best = start[slot]
      let from = 255
      const costs = change[i]
      for (let j = reach[i][0]; j <= reach[i][1]; j++) {
        const s = before[j] - costs[j]
        if (s > best) {
          best = s
          from = j
        }
      }
      here[i] = best + odds[t] + worth[i]
      back[t * count + i] = from
      if (here[i] > top) {
        top = here[i]
        topLength = i
      }
    }
    start[t % ring] = none - ENTRY_COST + odds[t]
    if (top > none) {
      none = top
      ended[t] = topLength
    }
  }
  const frames: number[] = []
  for (let t = n - 1; t >= 0; ) {
    if (ended[t] === 255) {
      t--
      continue
    }
    let length = ended[t]
    for (;;) {
      frames.push(t)
      const from = back[t * count + length]
      t -= LENGTHS[length]
      if (from === 255) break
      length = from
    }
    frames.push(t)
    t--
  }
  return frames.reverse()
}

/** The attack nearest to the likeliest place around a frame, to a fraction of a frame. */
function refined(strength: Float32Array, odds: Float32Array, frame: number): number {
  let at = frame
  for (let d = -2; d <= 2; d++) if (odds[frame + d] > odds[at]) at = frame + d
  let hit = at
  for (let d = -3; d <= 3; d++) if ((strength[at + d] || 0) > (strength[hit] || 0)) hit = at + d
  if (!(strength[hit] > 0)) return at
  const [a, b, c] = [strength[hit - 1] || 0, strength[hit] || 0, strength[hit + 1] || 0]
  const bend = a - 2 * b + c
  return hit + (bend < 0 ? Math.max(-0.5, Math.min(0.5, (0.5 * (a - c)) / bend)) : 0)
}
