import type { Mark, Pulse } from '@pendolo/core/project'
import type { Flicks } from '@pendolo/core/time'

export interface Row {
  readonly key: string
  readonly time: Flicks
  readonly end?: Flicks
  readonly name: string
  readonly mark: Mark | null
}

/** Beats as rows of the list, or first beats of bars alone. */
export function beatRows(pulse: Pulse | null, bars: boolean): Row[] {
  if (!pulse) return []
  const down = new Map(pulse.downbeats.map((b, i) => [b, i + 1]))
  let bar = 0
  let since = 0
  return pulse.beats.flatMap((time, i) => {
    const first = down.get(i)
    if (first !== undefined) {
      bar = first
      since = 0
    }
    since++
    if (bars) return first === undefined ? [] : [{ key: `bar${i}`, time, name: `bar ${bar}`, mark: null }]
    return [{ key: `beat${i}`, time, name: bar > 0 ? `${bar}.${since}` : `before bar 1`, mark: null }]
  })
}

/** Whether a mark has this in its name or note. */
export const matches = (mark: Mark, text: string) => `${mark.name} ${mark.text ?? ''}`.toLowerCase().includes(text.toLowerCase())
