/** A clip on the master's time, s. */
export interface Run {
  readonly angleId: string
  readonly from: number
  readonly to: number
}

/** Cameras that are started for the same take are started within this, s. */
const TOGETHER_SECONDS = 20
/** A pause of all cameras that divides, s. */
const PAUSE_SECONDS = 2

/**
 * Where acts or takes begin, judged by when cameras ran: after a pause of all of them, and where at least half of them,
 * and two, were started anew together.
 * @returns starts of the parts, s, ascending; fewer than two mean that nothing divides the event
 */
export function partsOf(runs: readonly Run[]): number[] {
  const starts = [...runs].sort((a, b) => a.from - b.from)
  const angles = new Set(runs.map((r) => r.angleId)).size
  const parts: number[] = []
  let reach = Number.NEGATIVE_INFINITY
  for (const [i, run] of starts.entries()) {
    const afterPause = run.from > reach + PAUSE_SECONDS
    reach = Math.max(reach, run.to)
    const together = new Set<string>()
    for (let k = i; k < starts.length && starts[k].from <= run.from + TOGETHER_SECONDS; k++) together.add(starts[k].angleId)
    const begun = together.size >= 2 && together.size * 2 >= angles
    const last = parts[parts.length - 1] ?? Number.NEGATIVE_INFINITY
    if ((afterPause || begun) && run.from > last + TOGETHER_SECONDS) parts.push(run.from)
  }
  return parts
}
