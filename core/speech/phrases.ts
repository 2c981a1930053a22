import { type Span, VOICE_STEP } from './spans.ts'
import { type SoundTraits, TRAITS_PER_SECOND } from './traits.ts'

/** A sentence-like stretch of speech, s. */
export interface Phrase {
  readonly start: number
  readonly end: number
  /** Index of the microphone whose owner speaks; null where that is not known. */
  readonly speaker: number | null
}

/** A voice begins above the first likelihood and ends below the second; low, because only what was found to be speech is looked at. */
const BEGINS = 0.3
const ENDS = 0.15
/** A shorter pause belongs to the sentence, s. */
const PAUSE_SECONDS = 0.26
/** A shorter voice is a cough, s. */
const SHORTEST_SECONDS = 0.15
/** How far from where the model hears a voice the sound itself is looked at for its beginning, s. */
const EARLIER_SECONDS = 0.5
const LATER_SECONDS = 0.15
/** A beginning rises above what was before by this, and to within this of the voice's own level, dB. */
const RISE_DB = 8
const REACH_DB = 24

/** Stretches with a voice, s, without regard to who speaks. */
export function voicedOf(voice: Float32Array): { start: number; end: number }[] {
  const out: { start: number; end: number }[] = []
  let on = false
  for (let i = 0; i < voice.length; i++) {
    if (!on && voice[i] >= BEGINS) {
      on = true
      out.push({ start: i * VOICE_STEP, end: voice.length * VOICE_STEP })
    } else if (on && voice[i] < ENDS) {
      on = false
      out[out.length - 1].end = i * VOICE_STEP
    }
  }
  return out
}

/**
 * Sentence-like phrases with the pauses between them; singing and applause are left out.
 * @param voice likelihood of speech each {@link VOICE_STEP}
 * @param spans what {@link spansOf} found in the same recording
 * @returns phrases in order, not overlapping, speaker unknown
 */
export function phrasesOf(traits: SoundTraits, voice: Float32Array, spans: readonly Span[]): Phrase[] {
  const spoken = spans.filter((s) => s.kind === 'speech')
  const parts: { start: number; end: number }[] = []
  for (const v of voicedOf(voice))
    for (const span of spoken) {
      // A span is known to a quarter of a second only; the voice itself says where it begins and ends.
      const start = Math.max(v.start, span.start - 0.5)
      const end = Math.min(v.end, span.end + 0.5)
      if (Math.min(v.end, span.end) <= Math.max(v.start, span.start)) continue
      const last = parts[parts.length - 1]
      if (last && start <= last.end) last.end = Math.max(last.end, end)
      else parts.push({ start, end })
    }
  const edged = parts.map((p, i) => ({
    start: beginning(traits, p, i > 0 ? parts[i - 1].end : 0),
    end: ending(traits, p, parts[i + 1]?.start ?? Number.POSITIVE_INFINITY),
  }))
  const out: { start: number; end: number; speaker: null }[] = []
  for (const p of edged) {
    const last = out[out.length - 1]
    if (last && p.start - last.end < PAUSE_SECONDS) last.end = Math.max(last.end, p.end)
    else out.push({ ...p, speaker: null })
  }
  return out.filter((p) => p.end - p.start >= SHORTEST_SECONDS)
}

const frameOf = (seconds: number) => Math.round(seconds * TRAITS_PER_SECOND)

/** Level that a stretch reaches for a tenth of its time, dB. */
function loudness({ voiceDb }: SoundTraits, start: number, end: number): number {
  const part = voiceDb.slice(Math.max(0, frameOf(start)), Math.max(1, frameOf(end))).sort()
  return part[Math.floor(0.9 * (part.length - 1))] ?? -120
}

/** The instant near where the model began to hear a voice at which the sound steps up. */
function beginning(traits: SoundTraits, part: { start: number; end: number }, before: number): number {
  const { voiceDb, frames } = traits
  const from = Math.max(0, frameOf(Math.max(before, part.start - EARLIER_SECONDS)))
  const to = Math.min(frames - 1, frameOf(Math.min(part.end, part.start + LATER_SECONDS)))
  if (to <= from) return part.start
  let lowest = from
  for (let i = from; i <= to; i++) if (voiceDb[i] <= voiceDb[lowest]) lowest = i
  const limit = Math.max(voiceDb[lowest] + RISE_DB, loudness(traits, part.start, Math.min(part.end, part.start + 1)) - REACH_DB)
  for (let i = lowest; i <= to; i++) if (voiceDb[i] >= limit) return i / TRAITS_PER_SECOND
  return part.start
}

function ending(traits: SoundTraits, part: { start: number; end: number }, next: number): number {
  const { voiceDb, frames } = traits
  const limit = loudness(traits, Math.max(part.start, part.end - 1), part.end) - REACH_DB
  const last = Math.min(frames - 1, frameOf(Math.min(next, part.end + 0.1)))
  let i = last
  while (i > frameOf(part.start) && voiceDb[i] < limit) i--
  return i === last ? part.end : Math.max(part.start + SHORTEST_SECONDS, i / TRAITS_PER_SECOND)
}
