import { nearestIndex, type Points, type Transition, type TransitionKind } from '@pendolo/core/cut'
import type { Edit } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'

/** A length as it is asked for: frames, or beats where the cut lies. */
export interface Lasting {
  readonly count: number
  readonly unit: 'frames' | 'beats'
}

/** How long it lasts at a cut; beats without a pulse are half seconds. @param frame length of a frame */
export function lengthAt({ count, unit }: Lasting, time: Flicks, beats: readonly Flicks[], frame: Flicks): Flicks {
  if (unit === 'frames') return flicks(Math.max(1, Math.round(count)) * frame)
  const i = nearestIndex(beats, time)
  const beat = i >= 0 && beats[i + 1] !== undefined ? beats[i + 1] - beats[i] : FLICKS_PER_SECOND / 2
  return flicks(Math.max(1, Math.round((count * beat) / frame)) * frame)
}

/** Gives all chosen cuts a transition, or takes theirs away. What nothing goes before cannot give way. */
export function givingEdits(
  cutId: string,
  points: Points,
  times: readonly Flicks[],
  wanted: { readonly kind: TransitionKind; readonly lasting: Lasting } | null,
  beats: readonly Flicks[],
  frame: Flicks,
): Edit[] {
  return times.flatMap((time): Edit[] => {
    const i = points.findIndex((p) => p.time === time)
    if (i < 1) return []
    return [{ type: 'transition', cutId, time, transition: wanted && { kind: wanted.kind, length: lengthAt(wanted.lasting, time, beats, frame) } }]
  })
}

/** The transition that all of some cuts have; null where they have none, undefined where they differ. */
export function commonTransition(points: Points, times: readonly Flicks[]): Transition | null | undefined {
  const chosen = points.filter((p, i) => i > 0 && times.includes(p.time)).map((p) => p.transition ?? null)
  const [first = null] = chosen
  return chosen.every((t) => t?.kind === first?.kind && t?.length === first?.length) ? first : undefined
}
