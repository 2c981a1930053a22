import { weigh } from './kinds.ts'
import { type SoundTraits, TRAITS_PER_SECOND } from './traits.ts'

/** Seconds a voice likelihood stands for. */
export const VOICE_STEP = 512 / 16000

export const SPAN_KINDS = ['speech', 'music', 'applause', 'silence'] as const
export type SpanKind = (typeof SPAN_KINDS)[number]

/** A stretch of the recording, s; spans follow each other without gaps. */
export interface Span {
  readonly start: number
  readonly end: number
  readonly kind: SpanKind
}

/** Seconds between judged places, and on each side of a place that is looked at. */
export const LOOK_STEP = 0.25
const LOOK_AROUND = 0.75
/** What a change of kind must gain, natural logarithms of likelihood (Viterbi). */
const CHANGE_COST = 7
/** Silence lies this far below the loud parts, and no farther than this above the quietest, dB. */
const BELOW_LOUD = 34
const ABOVE_FLOOR = 7
/** Nothing below this is anything, dB of full scale. */
const NOTHING_DB = -62

/** Columns of {@link looksOf}, and what speech and applause cannot do without in them. */
const MEAN_VOICE = 0
const FLATNESS = 7
const LEAST_VOICE = 0.12
const LEAST_FLAT = 0.08
/** From this flatness on it is noise. */
const NOISE_FLAT = 0.3

/**
 * What is to be judged around each place: of speech the syllables and the moving harmonics, of music the held tones and
 * the bass, of applause the even noise (after Scheirer & Slaney 1997, "Construction and evaluation of a robust
 * multifeature speech/music discriminator").
 * @param voice likelihood of speech each {@link VOICE_STEP}
 * @returns a row of twelve numbers each {@link LOOK_STEP}
 */
export function looksOf(traits: SoundTraits, voice: Float32Array): Float32Array[] {
  const out: Float32Array[] = []
  const { frames, levelDb, voiceDb, held, flatness, low, rise } = traits
  for (let t = 0; t * TRAITS_PER_SECOND < frames; t += LOOK_STEP) {
    const from = Math.max(0, Math.round((t - LOOK_AROUND) * TRAITS_PER_SECOND))
    const to = Math.min(frames, Math.round((t + LOOK_AROUND) * TRAITS_PER_SECOND))
    let top = Number.NEGATIVE_INFINITY
    for (let i = from; i < to; i++) top = Math.max(top, levelDb[i])
    // What is 25 dB below the loudest is room and pause, and has no character of its own.
    const sums = { n: 0, held: 0, flat: 0, flat2: 0, low: 0, rise: 0, rise2: 0, held2: 0 }
    let level = 0
    let level2 = 0
    let dips = 0
    for (let i = from; i < to; i++) {
      const v = Math.max(voiceDb[i], top - 50)
      level += v
      level2 += v * v
      if (levelDb[i] < top - 15) dips++
      if (levelDb[i] < top - 25) continue
      sums.n++
      sums.held += held[i]
      sums.held2 += held[i] * held[i]
      sums.flat += flatness[i]
      sums.flat2 += flatness[i] * flatness[i]
      sums.low += low[i]
      sums.rise += rise[i]
      sums.rise2 += rise[i] * rise[i]
    }
    const n = Math.max(1, to - from)
    const m = Math.max(1, sums.n)
    const spread = (sum: number, squares: number, count: number) => Math.sqrt(Math.max(0, squares / count - (sum / count) ** 2))
    const first = Math.max(0, Math.floor(from / TRAITS_PER_SECOND / VOICE_STEP))
    const last = Math.max(first + 1, Math.min(voice.length, Math.ceil(to / TRAITS_PER_SECOND / VOICE_STEP)))
    let likely = 0
    let most = 0
    let half = 0
    for (let i = first; i < last; i++) {
      const p = voice[i] ?? 0
      likely += p
      most = Math.max(most, p)
      if (p > 0.5) half++
    }
    out.push(
      Float32Array.of(
        likely / (last - first),
        most,
        half / (last - first),
        sums.held / m,
        spread(sums.held, sums.held2, m),
        spread(level, level2, n) / 10,
        dips / n,
        sums.flat / m,
        spread(sums.flat, sums.flat2, m),
        sums.low / m,
        sums.rise / m / 4,
        spread(sums.rise, sums.rise2, m) / 4,
      ),
    )
  }
  return out
}

/**
 * Speech, music, applause and silence told apart.
 * @returns spans that cover the recording from 0 to its end; none for an empty one
 */
export function spansOf(traits: SoundTraits, voice: Float32Array): Span[] {
  const looks = looksOf(traits, voice)
  if (looks.length === 0) return []
  const quiet = quietness(traits, looks.length)
  const path = viterbi(looks.map((look, i) => likelihoods(look, quiet[i], voiceNear(voice, i))))
  const total = traits.frames / TRAITS_PER_SECOND
  const out: { start: number; end: number; kind: SpanKind }[] = []
  for (const [i, k] of path.entries()) {
    const kind = SPAN_KINDS[k]
    const last = out[out.length - 1]
    const from = i === 0 ? 0 : (i - 0.5) * LOOK_STEP
    if (last?.kind === kind) continue
    if (last) last.end = from
    out.push({ start: from, end: total, kind })
  }
  return out
}

function voiceNear(voice: Float32Array, look: number): number {
  const at = (look * LOOK_STEP) / VOICE_STEP
  let most = 0
  for (let i = Math.max(0, Math.floor(at - 6)); i < Math.min(voice.length, at + 6); i++) most = Math.max(most, voice[i])
  return most
}

/** How far each place lies below what counts as silence here, dB; negative where there is something. */
function quietness({ frames, levelDb }: SoundTraits, count: number): number[] {
  const sorted = Float32Array.from(levelDb.subarray(0, frames)).sort()
  const loud = sorted[Math.floor(0.95 * (frames - 1))]
  const floor = sorted[Math.floor(0.02 * (frames - 1))]
  const limit = Math.max(NOTHING_DB, Math.min(loud - BELOW_LOUD, Math.max(floor + ABOVE_FLOOR, loud - 50)))
  return Array.from({ length: count }, (_, i) => {
    const from = Math.max(0, Math.round((i * LOOK_STEP - 0.4) * TRAITS_PER_SECOND))
    const to = Math.min(frames, Math.round((i * LOOK_STEP + 0.4) * TRAITS_PER_SECOND))
    let top = Number.NEGATIVE_INFINITY
    for (let k = from; k < to; k++) top = Math.max(top, levelDb[k])
    return limit - top
  })
}

/** Natural logarithms of the likelihood of each of {@link SPAN_KINDS}. */
function likelihoods(look: Float32Array, quiet: number, voiceNow: number): number[] {
  const silent = 1 / (1 + Math.exp(-(quiet - 6 * voiceNow) * 0.8))
  const [speech, , applause] = weigh(look)
  // What was not among what the weights learnt from must not become speech without a voice, nor applause with a pitch: noise
  // counts as applause, the rest as music.
  const spoken = speech * gate(look[MEAN_VOICE], LEAST_VOICE, 40)
  const noise = gate(look[FLATNESS], NOISE_FLAT, 30)
  const clapped = (applause + (speech - spoken) * noise) * gate(look[FLATNESS], LEAST_FLAT, 60)
  const played = Math.max(0, 1 - spoken - clapped)
  return [spoken * (1 - silent), played * (1 - silent), clapped * (1 - silent), silent].map((p) => Math.log(p + 1e-6))
}

const gate = (x: number, limit: number, steep: number) => 1 / (1 + Math.exp(-(x - limit) * steep))

function viterbi(steps: number[][]): number[] {
  const kinds = SPAN_KINDS.length
  const from: Uint8Array[] = []
  let score = steps[0]
  for (const step of steps.slice(1)) {
    const best = score.indexOf(Math.max(...score))
    const back = new Uint8Array(kinds)
    score = step.map((p, k) => {
      const moves = k !== best && score[best] - CHANGE_COST > score[k]
      back[k] = moves ? best : k
      return p + (moves ? score[best] - CHANGE_COST : score[k])
    })
    from.push(back)
  }
  const path = [score.indexOf(Math.max(...score))]
  for (let i = from.length - 1; i >= 0; i--) path.push(from[i][path[path.length - 1]])
  return path.reverse()
}
