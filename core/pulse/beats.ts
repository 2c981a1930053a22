import { FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'
import { type KnownBeats, knownTempo, type PulseWishes } from './wishes.ts'

/** Slowest and fastest beat, frames of 10 ms (46 and 214 a minute). */
const LONGEST = 130
const SHORTEST = 28
/** What a change of the beat's length by its own length would cost, natural logs (Krebs, Böck & Widmer 2015: 100). */
const STEADINESS = 50
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

/** How far the beat may lie from a tempo that was said, as a factor. */
const ABOUT = 1.3
/** Beats of a tempo that was said need not be heard: none counts more against them than this, log odds. */
const UNHEARD = -2
/** How much narrower and stronger the preference is where the beats of a stretch are known. */
const KNOWN_OCTAVES = 0.45
const KNOWN_WEIGHT = 1
/** Log odds of a known beat, and of all between known beats; how near to one counts as it, s. */
const KNOWN_ODDS = 5
const KNOWN_SECONDS = 0.025

/** Whole music keeps its level: what most of the beats around say counts, from this share on, looked at in steps, frames. */
const AROUND = 45 * FRAMES_PER_SECOND
const LEVEL_STEP = 5 * FRAMES_PER_SECOND
const LEVEL_SHARE = 0.6
/** Lengths that are nearer than this are of one level, and those beyond the second are of another one, octaves. */
const [ONE_LEVEL, OTHER_LEVEL] = [0.2, 0.6]
const LEVEL_OCTAVES = 0.45
const LEVEL_WEIGHT = 0.5

/** Which length of a beat is liked, frames, how wide, and how much it counts. */
interface Liking {
  readonly preferred: number
  readonly octaves: number
  readonly weight: number
}

/** Which lengths of a beat are tried, frames, and which are liked. */
interface Search extends Liking {
  readonly lengths: readonly number[]
}

function searchFor({ tempoBpm, known }: PulseWishes): Search {
  const usual = { preferred: PREFERRED_FRAMES, octaves: PREFERENCE_OCTAVES, weight: PREFERENCE_WEIGHT }
  if (tempoBpm !== undefined) {
    const middle = (60 * FRAMES_PER_SECOND) / tempoBpm
    return { ...usual, lengths: lengths(Math.max(2, Math.floor(middle / ABOUT)), Math.ceil(middle * ABOUT)), preferred: middle, octaves: KNOWN_OCTAVES }
  }
  const tempo = knownTempo(known)
  const all = lengths(SHORTEST, LONGEST)
  return tempo === null
    ? { ...usual, lengths: all }
    : { lengths: all, preferred: (60 * FRAMES_PER_SECOND) / tempo, octaves: KNOWN_OCTAVES, weight: KNOWN_WEIGHT }
}

/**
 * Beats as the best chain through the likelihood of a beat: each beat scores its log odds, each change of length costs,
 * and stretches without a pulse have no chain (a semi-Markov form of the bar pointer model of Krebs, Böck & Widmer
 * 2015, "An efficient state-space model for joint tempo and meter tracking"). Where a stretch left the level of the music
 * around it, all is searched once more with that level liked, unless something is known of the tempo.
 * @param beat likelihood 0..1 each 20 ms
 * @param wishes what is said of the tempo, and beats that are known
 * @returns beat times in seconds, ascending; empty where there is no pulse
 */
export function trackBeats(beat: Float32Array, features: OnsetFeatures, wishes: PulseWishes = {}): number[] {
  const odds = logOdds(beat)
  if (wishes.tempoBpm !== undefined) for (const [t, x] of odds.entries()) odds[t] = Math.max(UNHEARD, x)
  for (const stretch of wishes.known ?? []) setKnown(odds, stretch)
  const search = searchFor(wishes)
  let chains = bestChains(odds, search, [search])
  if (wishes.tempoBpm === undefined && !wishes.known?.length) {
    const levels = levelsAround(chains, odds.length)
    if (leavesLevel(chains, levels))
      chains = bestChains(
        odds,
        search,
        levels.map((preferred) => (preferred > 0 ? { preferred, octaves: LEVEL_OCTAVES, weight: LEVEL_WEIGHT } : search)),
      )
  }
  const out: number[] = []
  for (const frame of chains) {
    const time = refined(features.strength, odds, frame) / FRAMES_PER_SECOND + EARLY_SECONDS
    if (out.length === 0 || time > out[out.length - 1] + 0.1) out.push(time)
  }
  return out
}

function lengths(shortest: number, longest: number): number[] {
  const out: number[] = []
  for (let x = shortest; x <= longest; x += x < 64 ? 1 : 2) out.push(x)
  return out
}

/** Within a known stretch its beats are certain, and nothing else is one. */
function setKnown(odds: Float32Array, { beats }: KnownBeats): void {
  if (beats.length < 2) return
  const reach = Math.round(KNOWN_SECONDS * FRAMES_PER_SECOND)
  const frame = (t: number) => Math.round((t - EARLY_SECONDS) * FRAMES_PER_SECOND)
  odds.fill(-KNOWN_ODDS, Math.max(0, frame(beats[0]) - reach), Math.max(0, frame(beats[beats.length - 1]) + reach + 1))
  for (const t of beats)
    for (let f = frame(t) - reach; f <= frame(t) + reach; f++) if (f >= 0 && f < odds.length) odds[f] = KNOWN_ODDS - 0.5 * Math.abs(f - frame(t))
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

/** Length of a beat that most of the music around each step keeps, frames; 0 where there is none. */
function levelsAround(frames: readonly number[], total: number): number[] {
  return Array.from({ length: Math.ceil(total / LEVEL_STEP) }, (_, step) => {
    const middle = (step + 0.5) * LEVEL_STEP
    const near: number[] = []
    for (let i = 1; i < frames.length; i++)
      if (Math.abs(frames[i] - middle) <= AROUND && frames[i] - frames[i - 1] <= LONGEST) near.push(frames[i] - frames[i - 1])
    // Weighed by the time they fill, so that beats of half the length do not count twice.
    const all = near.reduce((sum, d) => sum + d, 0)
    let [most, level] = [0, 0]
    for (const length of new Set(near)) {
      const share = near.reduce((sum, d) => sum + (Math.abs(Math.log2(d / length)) < ONE_LEVEL ? d : 0), 0) / all
      if (share > most) [most, level] = [share, length]
    }
    return most >= LEVEL_SHARE ? level : 0
  })
}

/** Whether some beats are of another level than the music around them. */
function leavesLevel(frames: readonly number[], levels: readonly number[]): boolean {
  return frames.some((frame, i) => {
    const level = levels[Math.floor(frame / LEVEL_STEP)]
    const length = frame - (frames[i - 1] ?? frame)
    return level > 0 && length > 0 && length <= LONGEST && Math.abs(Math.log2(length / level)) > OTHER_LEVEL
  })
}

/** @param likings what is liked in each step of {@link LEVEL_STEP} frames; the last holds on */
function bestChains(odds: Float32Array, { lengths: tried }: Search, likings: readonly Liking[]): number[] {
  const n = odds.length
  const count = tried.length
  const ring = tried[count - 1] + 1
  const score = Array.from({ length: ring }, () => new Float64Array(count).fill(Number.NEGATIVE_INFINITY))
  const start = new Float64Array(ring).fill(Number.NEGATIVE_INFINITY)
  /** Where each beat came from: the length before it, or 255 for the first of a chain. */
  const back = new Uint8Array(n * count)
  /** The length a chain ended with at this frame, if "no pulse" began there; 255 if it went on. */
  const ended = new Uint8Array(n).fill(255)
  const worths = likings.map(({ preferred, octaves: wide, weight }) =>
    tried.map((x) => {
      const octaves = Math.log2(x / preferred) / wide
      return (PULSE_WORTH * x) / FRAMES_PER_SECOND - (weight * octaves * octaves * x) / preferred
    }),
  )
  const change = tried.map((x) => tried.map((y) => (Math.abs(y / x - 1) <= BEND ? STEADINESS * Math.abs(y / x - 1) : Number.POSITIVE_INFINITY)))
  const reach = change.map((row) => [row.findIndex((c) => c < Number.POSITIVE_INFINITY), row.findLastIndex((c) => c < Number.POSITIVE_INFINITY)])
  let none = 0
  for (let t = 0; t < n; t++) {
    const here = score[t % ring]
    const worth = worths[Math.min(worths.length - 1, Math.floor(t / LEVEL_STEP))]
    let top = Number.NEGATIVE_INFINITY
    let topLength = 255
    for (let i = 0; i < count; i++) {
      const d = tried[i]
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
      t -= tried[length]
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
