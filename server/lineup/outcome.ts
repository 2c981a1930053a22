import type { SoundPlacement, SoundProof } from '@pendolo/core/lineup'
import { type Placement, SOUND_SPEED } from '@pendolo/core/project'
import { placementFromSeconds, secondsToFlicks } from '@pendolo/core/time'
import type { Recording } from './recordings.ts'

/** How a recording came to its place, or why it has none. */
export interface Outcome {
  readonly placement: Placement | null
  readonly why: string
  readonly proof: SoundProof | null
}

/** Sound comes from at most so far, s; more is another disagreement. */
const MOST_LATE = 0.35

/** Says how far the sound had come when the picture lies later than the sound by more than a frame; null when it does not. */
export function soundFrom({ facts }: Recording, late: number): string | null {
  const frame = facts.video ? facts.video.rate.den / facts.video.rate.num : 0.04
  if (late <= 1.05 * frame || late > MOST_LATE) return null
  return `${Math.round(late * 1000)} ms later than its sound, which came from about ${Math.round(late * SOUND_SPEED)} m`
}

export function withLate(outcome: Outcome, late: SoundProof['late'] | null): Outcome {
  return late && outcome.proof ? { ...outcome, proof: { ...outcome.proof, late } } : outcome
}

export function placementOf(
  method: Placement['method'],
  verdict: Placement['verdict'],
  startSeconds: number,
  speed: number,
  why: string,
  confidence: number,
  proof?: SoundProof,
): Placement {
  const { start, rate } = placementFromSeconds(startSeconds, speed)
  const jumps = (proof?.jumps ?? []).map((j) => ({ at: secondsToFlicks(j.clipSeconds), by: secondsToFlicks(j.bySeconds) }))
  return { start, rate, method, verdict, confidence, why, locked: false, ...(jumps.length > 0 && { jumps }) }
}

/** Start and rate of a placement in seconds. */
export function secondsOf({ start, rate }: Pick<Placement, 'start' | 'rate'>): { startSeconds: number; rate: number } {
  return { startSeconds: start / 705_600_000, rate }
}

export function windowsText(found: SoundPlacement): string {
  return `${found.proof.chosen?.agreeing ?? 0} of ${found.proof.chosen?.windows ?? 0} windows`
}

export function joined(...parts: string[]): string {
  return [...new Set(parts.filter(Boolean))].join('; ').slice(0, 400)
}

export function signed(seconds: number): string {
  return `${seconds < 0 ? '−' : '+'}${Math.abs(seconds).toFixed(2)}`
}
