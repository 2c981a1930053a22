import type { Phrase } from './phrases.ts'
import { type SoundTraits, TRAITS_PER_SECOND } from './traits.ts'

/** A microphone that one person wears or speaks into, in its place on the master's time: master = start + rate × own. */
export interface Microphone {
  readonly traits: Pick<SoundTraits, 'frames' | 'voiceDb'>
  readonly start: number
  readonly rate: number
}

const STEP = 0.05
/** A change of speaker must be worth this, dB summed over steps of 50 ms: 0.4 s at 6 dB. */
const CHANGE_COST = 48
/** A lead larger than this says no more, dB; a smaller one than the second is nobody's. */
const MOST_LEAD = 12
const LEAST_LEAD = 1.5
/** What is this far below the loud parts of its microphone is no voice near it, dB. */
const FAINT = -25
/** Share of the speech that is fainter than an owner's loud syllables, and what two microphones may differ by at most, dB (bleed is 12 or more). */
const LOUD = 0.99
const MOST_APART = 8
/** A piece of a phrase shorter than this is not cut off, s. */
const SHORTEST_SECONDS = 0.3

/**
 * Tells by whose microphone leads who speaks, and cuts phrases where another takes over. Every microphone hears everybody;
 * its owner is the one it hears louder than the others do. How sensitive each is set is taken from its own loud parts.
 * @returns phrases in order; speaker null where no microphone leads
 */
export function speakersOf(phrases: readonly Phrase[], microphones: readonly Microphone[]): Phrase[] {
  if (microphones.length === 0) return [...phrases]
  const gains = sensitivities(phrases, microphones)
  return phrases.flatMap((phrase) => {
    const count = Math.max(1, Math.round((phrase.end - phrase.start) / STEP))
    const steps = Array.from({ length: count }, (_, i) => microphones.map((m, k) => levelAt(m, phrase.start + (i + 0.5) * STEP) - gains[k]))
    const path = follow(steps)
    const pieces: { from: number; to: number; speaker: number }[] = []
    for (const [i, speaker] of path.entries()) {
      const last = pieces[pieces.length - 1]
      if (last?.speaker === speaker) last.to = i + 1
      else pieces.push({ from: i, to: i + 1, speaker })
    }
    for (let i = pieces.length - 1; i >= 0 && pieces.length > 1; i--) {
      if ((pieces[i].to - pieces[i].from) * STEP >= SHORTEST_SECONDS) continue
      if (i > 0) pieces[i - 1].to = pieces[i].to
      else pieces[1].from = 0
      pieces.splice(i, 1)
    }
    return pieces.map(({ from, to, speaker }, i) => ({
      start: i === 0 ? phrase.start : phrase.start + from * STEP,
      end: i === pieces.length - 1 ? phrase.end : phrase.start + to * STEP,
      speaker: lead(steps.slice(from, to), speaker) >= LEAST_LEAD ? speaker : null,
    }))
  })
}

function levelAt({ traits, start, rate }: Microphone, time: number): number {
  const at = Math.round(((time - start) / rate) * TRAITS_PER_SECOND)
  const half = Math.round((STEP / 2) * TRAITS_PER_SECOND)
  let sum = 0
  let n = 0
  for (let i = Math.max(0, at - half); i <= Math.min(traits.frames - 1, at + half); i++) {
    sum += 10 ** (traits.voiceDb[i] / 10)
    n++
  }
  return n > 0 ? 10 * Math.log10(sum / n + 1e-12) : -120
}

/**
 * How loud each microphone gets when its owner speaks, dB. One that stays more than {@link MOST_APART} below the loudest
 * is turned down by so much at most: more likely its owner is silent and it hears the others only.
 */
function sensitivities(phrases: readonly Phrase[], microphones: readonly Microphone[]): number[] {
  const loud = microphones.map((m) => {
    const levels: number[] = []
    for (const p of phrases) for (let t = p.start; t < p.end; t += STEP) levels.push(levelAt(m, t))
    levels.sort((a, b) => a - b)
    return levels[Math.floor(LOUD * (levels.length - 1))] ?? -120
  })
  const most = Math.max(...loud)
  return loud.map((x) => Math.max(x, most - MOST_APART))
}

/** Most likely owner at each step (Viterbi over leads in dB). */
function follow(steps: readonly number[][]): number[] {
  const count = steps[0].length
  const from: Int16Array[] = []
  let score = new Array<number>(count).fill(0)
  for (const levels of steps) {
    const best = score.indexOf(Math.max(...score))
    const back = new Int16Array(count)
    score = levels.map((_, k) => {
      const moves = score[best] - CHANGE_COST > score[k]
      back[k] = moves ? best : k
      return (moves ? score[best] - CHANGE_COST : score[k]) + lead([levels], k)
    })
    from.push(back)
  }
  let at = score.indexOf(Math.max(...score))
  const path: number[] = []
  for (let i = from.length - 1; i >= 0; i--) {
    path.push(at)
    at = from[i][at]
  }
  return path.reverse()
}

/** Mean lead of one microphone over the strongest other, dB, weighed by how much there is to hear. */
function lead(steps: readonly number[][], k: number): number {
  let sum = 0
  let weights = 0
  const top = Math.max(...steps.map((s) => Math.max(...s)))
  for (const levels of steps) {
    const other = Math.max(...levels.filter((_, i) => i !== k), FAINT)
    // What is faint beside the rest of the phrase is the room's and decides nothing.
    const weight = steps.length === 1 ? 1 : 10 ** ((Math.max(...levels) - top) / 20)
    sum += weight * Math.max(-MOST_LEAD, Math.min(MOST_LEAD, levels[k] - other))
    weights += weight
  }
  return weights > 0 ? sum / weights : 0
}
