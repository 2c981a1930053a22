import { ANALYSIS_RATE, type SampleSource } from '../signal/index.ts'
import { AGREE_SECONDS, fitLine, type LineFit } from './fit.ts'
import { measureWindow, STRONG, type WindowMeasure } from './windows.ts'

/** Where a recording lost or doubled samples. */
export interface Jump {
  /** Clip time at the master's speed, s. */
  readonly clipSeconds: number
  /** How much later the later part lies, s; negative where samples were doubled. */
  readonly bySeconds: number
  /** Whether it comes before the longer part. */
  readonly before: boolean
}

/** The line that most of a clip lies on, and its windows in order of time. */
export interface OnLine {
  readonly startSeconds: number
  readonly fit: LineFit
  readonly windows: readonly WindowMeasure[]
}

/** Windows that must agree on another line beside the first. */
const JUMP_WINDOWS = 3
/** Largest jump that is looked for, samples: half a second, a lost buffer or frame, not a pause. */
const JUMP_REACH = 3900

/**
 * A recording that lost samples lies on two lines: the windows at one end that do not agree with the line of the rest are
 * looked for further away, and what they agree on is a jump.
 * @param master,clip mono at {@link ANALYSIS_RATE}, the clip at the master's speed
 * @returns at most one jump before and one after the longest part on the line; none where too few windows speak for it
 */
export function findJumps(master: SampleSource, clip: SampleSource, { startSeconds, fit, windows }: OnLine): Jump[] {
  const base = (startSeconds - fit.offsetSeconds) * ANALYSIS_RATE
  const first = fit.agrees.indexOf(true)
  const last = fit.agrees.lastIndexOf(true)
  const jumps: Jump[] = []
  for (const [group, edge, next] of [
    [windows.slice(0, first), first - 1, first],
    [windows.slice(last + 1), last, last + 1],
  ] as const) {
    if (first < 0 || group.length < JUMP_WINDOWS) continue
    const length = 28000
    const again = group.flatMap((w) => {
      const from = Math.round(w.clipSeconds * ANALYSIS_RATE - length / 2)
      const line = fit.offsetSeconds + fit.drift * w.clipSeconds
      const found = measureWindow(master, clip, from, length, base + line * ANALYSIS_RATE, new Map(), JUMP_REACH)
      return found && found.strength >= STRONG ? [found] : []
    })
    const other = fitLine(again)
    const agreeing = other?.agrees.filter(Boolean).length ?? 0
    if (!other || agreeing < JUMP_WINDOWS || agreeing * 2 < group.length) continue
    const middle = (windows[edge].clipSeconds + windows[next].clipSeconds) / 2
    const lies = other.offsetSeconds + other.drift * middle
    if (Math.abs(lies) <= AGREE_SECONDS) continue
    const before = edge !== last
    const line = base / ANALYSIS_RATE + fit.offsetSeconds + fit.drift * middle
    const [a, b] = before ? [line + lies, line] : [line, line + lies]
    const clipSeconds = whereItJumps(master, clip, a, b, windows[edge].clipSeconds - length / ANALYSIS_RATE, windows[next].clipSeconds + length / ANALYSIS_RATE)
    jumps.push({ clipSeconds, bySeconds: b - a, before })
  }
  return jumps
}

/** Length and step of the pieces by which a jump is found, s. */
const PIECE_SECONDS = 0.3
const PIECE_STEP = 0.05

/**
 * Clip second at which a recording goes over from one line to another: before it the one fits better, after it the other,
 * summed over short pieces of the differences of samples.
 * @param startA,startB master seconds of clip time 0 on the two lines
 */
function whereItJumps(master: SampleSource, clip: SampleSource, startA: number, startB: number, from: number, to: number): number {
  const length = Math.round(PIECE_SECONDS * ANALYSIS_RATE)
  const inside = (source: SampleSource, first: number) => (first >= 0 && first + length < source.length ? source.read(first, first + length) : null)
  const alike = (a: Float32Array, b: Float32Array) => {
    let both = 0
    let aa = 1e-9
    let bb = 1e-9
    for (let i = 1; i < length; i++) {
      const [x, y] = [a[i] - a[i - 1], b[i] - b[i - 1]]
      both += x * y
      aa += x * x
      bb += y * y
    }
    return Math.abs(both) / Math.sqrt(aa * bb)
  }
  let sum = 0
  let best = { sum: Number.NEGATIVE_INFINITY, at: (from + to) / 2 }
  for (let t = from; t < to; t += PIECE_STEP) {
    const first = Math.round(t * ANALYSIS_RATE)
    const own = inside(clip, first)
    const [a, b] = [startA, startB].map((start) => inside(master, first + Math.round(start * ANALYSIS_RATE)))
    if (!own || !a || !b) continue
    sum += alike(own, a) - alike(own, b)
    if (sum > best.sum) best = { sum, at: t + PIECE_STEP / 2 + PIECE_SECONDS / 2 }
  }
  return best.at
}
