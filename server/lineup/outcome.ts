import type { PlaceProof, SoundPlacement, Why } from '@pendolo/core/lineup'
import type { Placement } from '@pendolo/core/project'
import { placementFromSeconds, secondsToFlicks } from '@pendolo/core/time'
import type { Recording } from './recordings.ts'

/** How a recording came to its place, or why it has none. */
export interface Outcome {
  readonly placement: Placement | null
  readonly why: Why
  readonly proof: PlaceProof | null
}

/** Sound comes from at most so far, s; more is another disagreement. */
const MOST_LATE = 0.35

/** Whether the picture lies later than the sound by more than a frame, as sound from afar does. */
export function fromAfar({ facts }: Recording, late: number): boolean {
  const frame = facts.video ? facts.video.rate.den / facts.video.rate.num : 0.04
  return late > 1.05 * frame && late <= MOST_LATE
}

export function withLate(outcome: Outcome, late: PlaceProof['late'] | null): Outcome {
  return late && outcome.proof ? { ...outcome, proof: { ...outcome.proof, late } } : outcome
}

export function placementOf(
  method: Placement['method'],
  verdict: Placement['verdict'],
  startSeconds: number,
  speed: number,
  why: Why,
  confidence: number,
  proof?: PlaceProof,
): Placement {
  const { start, rate } = placementFromSeconds(startSeconds, speed)
  const jumps = (proof?.jumps ?? []).map((j) => ({ at: secondsToFlicks(j.clipSeconds), by: secondsToFlicks(j.bySeconds) }))
  return { start, rate, method, verdict, confidence, why, locked: false, ...(jumps.length > 0 && { jumps }) }
}

/** Start and rate of a placement in seconds. */
export function secondsOf({ start, rate }: Pick<Placement, 'start' | 'rate'>): { startSeconds: number; rate: number } {
  return { startSeconds: start / 705_600_000, rate }
}

/** Windows of a place found by sound that agree, of all. */
export function windowsOf({ proof: { chosen } }: SoundPlacement): { agreeing: number; windows: number } {
  return { agreeing: chosen?.agreeing ?? 0, windows: chosen?.windows ?? 0 }
}
