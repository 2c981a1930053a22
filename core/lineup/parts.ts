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

/** A stretch that no camera, or only one, has seen, s. */
export interface ThinStretch {
  readonly from: number
  readonly to: number
  readonly angles: 0 | 1
}

/** Gaps shorter than this are no gaps: cameras that follow each other, s. */
const NO_GAP = 0.05

/**
 * Where nothing can be cut to, or nothing but one angle.
 * @param runs clips with pictures
 * @param from begin of the event on the master, s
 * @param to its end, s
 * @returns half-open stretches, ascending, neighbours different
 */
export function thinStretches(runs: readonly Run[], from: number, to: number): ThinStretch[] {
  const inside = runs.filter((r) => r.to > from && r.from < to)
  const times = [...new Set([from, to, ...inside.flatMap((r) => [Math.max(from, r.from), Math.min(to, r.to)])])].sort((a, b) => a - b)
  const out: ThinStretch[] = []
  for (const [i, start] of times.slice(0, -1).entries()) {
    const end = times[i + 1]
    const middle = (start + end) / 2
    const seen = new Set(inside.filter((r) => r.from <= middle && r.to > middle).map((r) => r.angleId)).size
    if (seen > 1 || end - start < NO_GAP) continue
    const angles = seen === 0 ? 0 : 1
    const last = out[out.length - 1]
    if (last?.angles === angles && start - last.to < NO_GAP) out[out.length - 1] = { ...last, to: end }
    else out.push({ from: start, to: end, angles })
  }
  return out
}
