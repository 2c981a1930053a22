import type { Points } from '@pendolo/core/cut'
import type { Flicks } from '@pendolo/core/time'

export const NONE: readonly Flicks[] = []

/** The chosen cuts after one was pressed. */
export function pickedBy(points: Points, before: readonly Flicks[], time: Flicks | null, how: 'alone' | 'too' | 'through'): readonly Flicks[] {
  if (time === null) return before.length === 0 ? before : NONE
  if (how === 'alone') return [time]
  if (how === 'too') return before.includes(time) ? before.filter((t) => t !== time) : [...before, time].sort((a, b) => a - b)
  const [from, to] = [Math.min(before[0] ?? time, time), Math.max(before.at(-1) ?? time, time)]
  return points.filter((p) => p.time >= from && p.time <= to).map((p) => p.time)
}
