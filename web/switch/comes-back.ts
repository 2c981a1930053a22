import type { Choice, Points } from '@pendolo/core/cut'
import type { Edit } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'

export const plainChoice = ({ angleId, clipId }: Choice): Choice => ({ angleId, ...(clipId !== undefined && { clipId }) })

interface Passed {
  readonly cutId: string
  /** The cut as it was before the pass. */
  readonly before: Points
  /** Old cuts have given way up to here. */
  readonly gave: Flicks
}

/**
 * Where the sound faltered the clock ran ahead of it, and more of the old cut gave way than was played: all of that comes back.
 * @param now the cut as it is
 * @param from index in the old cut of the first that may have to come back
 */
export function comesBack({ before, gave, cutId }: Passed, now: Points, from: number): Edit[] {
  const there = new Set(now.map((p) => p.time))
  return before
    .slice(from)
    .filter((p) => p.time <= gave && !there.has(p.time))
    .flatMap((p): Edit[] => [
      { type: 'choose', cutId, time: p.time, choice: { ...plainChoice(p), ...(p.transition && { transition: p.transition }) } },
      ...(p.split ? [{ type: 'split', cutId, time: p.time } as const] : []),
    ])
}
