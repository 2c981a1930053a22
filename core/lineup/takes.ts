import { ANALYSIS_RATE, interpolate, realSpectrum, type SampleSource } from '../signal/index.ts'
import { type Line, restCorrelation } from './differ.ts'
import { energy, tapered } from './windows.ts'

/** A clip on the master, s, with the time at which it was recorded by its own clock, s of any calendar; null without one. */
export interface TakeClip {
  readonly id: string
  readonly angleId: string
  readonly from: number
  readonly to: number
  readonly recordedAt: number | null
}

/** Clips of one angle that lie over each other by this share of the shorter are takes, not a camera that went on. */
const OVER_SHARE = 0.5
/** Clocks of cameras that were set together agree on when a song was begun within this, s. */
const SAME_BEGIN_SECONDS = 20

/**
 * Clips that were recorded while the master was played once, in the order of shooting. All cameras that ran then saw the
 * same beginning of the song; how far their clocks stand apart is told by the beginnings they share.
 * @returns ids of the clips of each take; clips without a clock are in none. Empty where nothing was played twice
 */
export function takesByClock(clips: readonly TakeClip[]): string[][] {
  if (!severalTakes(clips)) return []
  const timed = clips.flatMap((c) => (c.recordedAt === null ? [] : [{ ...c, begun: c.recordedAt - c.from }]))
  const byAngle = new Map<string, typeof timed>()
  for (const clip of timed) byAngle.set(clip.angleId, [...(byAngle.get(clip.angleId) ?? []), clip])
  const [first, ...others] = [...byAngle.values()].sort((a, b) => b.length - a.length)
  if (!first) return []
  const begins = first.map((c) => c.begun)
  const all = first.map(({ id, begun }) => ({ id, begun }))
  for (const list of others) {
    const apart = clockApart(
      list.map((c) => c.begun),
      begins,
    )
    for (const { id, begun } of list) all.push({ id, begun: begun - apart })
  }
  const takes: { ids: string[]; begun: number }[] = []
  for (const { id, begun } of all.sort((a, b) => a.begun - b.begun)) {
    const last = takes.at(-1)
    if (last && begun - last.begun <= SAME_BEGIN_SECONDS) last.ids.push(id)
    else takes.push({ ids: [id], begun })
  }
  return takes.map((t) => t.ids)
}

/** Whether a camera recorded the same stretch of the master more than once. */
export function severalTakes(clips: readonly TakeClip[]): boolean {
  return clips.some((a, i) =>
    clips.slice(i + 1).some((b) => {
      const over = Math.min(a.to, b.to) - Math.max(a.from, b.from)
      return a.angleId === b.angleId && over > OVER_SHARE * Math.min(a.to - a.from, b.to - b.from)
    }),
  )
}

/** How much later one camera's clock stands than another's, s: what brings most of their beginnings together; of equals the least. */
function clockApart(own: readonly number[], others: readonly number[]): number {
  let best = { apart: 0, count: 0 }
  for (const a of own)
    for (const b of others) {
      const apart = a - b
      const count = own.filter((x) => others.some((y) => Math.abs(x - apart - y) <= SAME_BEGIN_SECONDS)).length
      if (count > best.count || (count === best.count && Math.abs(apart) < Math.abs(best.apart))) best = { apart, count }
    }
  return best.apart
}

/** Windows compared: length in samples (14 s: fine steps of frequency, so that a long room fits in), how many at most. */
const LENGTH = 112_000
const MOST_WINDOWS = 24
/** Steps of frequency to either side over which spectra are averaged: less than half a hertz in all. */
const SMOOTH = 3
/** Two microphones hear the same at most so far apart, samples: 17 m. */
const APART = 400

/** Samples to either side that interpolation looks at, at most. */
const EDGE = 64

/** A clip's sound over a window of the master, on the master's clock: what of it the clocks' drift moves would be left over otherwise. */
function onMaster({ sound, line }: { sound: SampleSource; line: Line }, first: number): Float32Array | null {
  const position = (i: number) => (first + i - line.startSeconds * ANALYSIS_RATE) / line.rate
  const from = Math.floor(position(0)) - EDGE
  const to = Math.ceil(position(LENGTH)) + EDGE
  if (from < 0 || to > sound.length) return null
  const held = sound.read(from, to)
  return Float32Array.from({ length: LENGTH }, (_, i) => interpolate(held, held.length, 1, 0, position(i) - from))
}

/**
 * Whether two recordings were made at once, while the master was played: what of both the master does not explain (voices,
 * steps, the room itself) must be alike, at one lag throughout. See {@link restCorrelation}.
 * @param a @param b a clip's sound at {@link ANALYSIS_RATE} with where it lies on the master
 * @returns standard deviations of chance; null where they have too little in common on the master
 */
export function heardTogether(master: SampleSource, a: { sound: SampleSource; line: Line }, b: { sound: SampleSource; line: Line }): number | null {
  const span = ({ sound, line }: typeof a) => [line.startSeconds, line.startSeconds + (line.rate * sound.length) / ANALYSIS_RATE] as const
  const [[fromA, toA], [fromB, toB]] = [span(a), span(b)]
  const from = Math.max(0, fromA, fromB)
  const to = Math.min(master.length / ANALYSIS_RATE, toA, toB)
  const seconds = LENGTH / ANALYSIS_RATE
  if (to - from < 1.5 * seconds) return null
  const count = Math.min(MOST_WINDOWS, Math.floor((to - from - seconds) / (seconds / 2)) + 1)
  const sums = new Float64Array(2 * APART + 1)
  let size = 4
  while (size < LENGTH + 3000) size *= 2
  let windows = 0
  for (let i = 0; i < count; i++) {
    const at = from + ((to - from - seconds) * i) / Math.max(1, count - 1)
    const first = Math.round(at * ANALYSIS_RATE)
    const [x, y] = [onMaster(a, first), onMaster(b, first)]
    const m = first + LENGTH > master.length ? null : master.read(first, first + LENGTH)
    if (!x || !y || !m || [x, y, m].some((s) => energy(s) < 1e-9 * LENGTH)) continue
    const [sx, sy, sm] = [x, y, m].map((s) => realSpectrum(tapered(s), size))
    const rest = restCorrelation(sx, sy, sm, SMOOTH)
    for (let lag = -APART; lag <= APART; lag++) sums[lag + APART] += rest.at(lag)
    windows++
  }
  if (windows < 2) return null
  return sums.reduce((most, s) => Math.max(most, Math.abs(s)), 0) / Math.sqrt(windows)
}
