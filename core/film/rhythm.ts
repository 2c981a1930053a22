import { nearestIndex } from '../cut/index.ts'
import { marksOnMaster, type ProjectDoc, projectRate, pulseOf } from '../project/index.ts'
import { type Flicks, frameStart, nearestFrameStart } from '../time/index.ts'
import type { FilmStretch } from './resolver.ts'

/** What a cut can fall on, the rarer first. */
export const FALLS_ON = ['bar', 'phrase', 'beat', 'hit', 'none'] as const
export type FallsOn = (typeof FALLS_ON)[number]

/** A stretch of one picture, as it is seen. */
export interface RhythmStretch {
  /** Programme time, and master time. */
  readonly at: Flicks
  readonly from: Flicks
  readonly length: Flicks
  readonly angleId: string
  readonly clipId: string | null
  readonly on: FallsOn
  /** Frames from the nearest beat, later where positive, the magnet's lead taken off; null without beats. */
  readonly off: number | null
}

/** The rhythm of a film in figures. */
export interface Rhythm {
  readonly stretches: readonly RhythmStretch[]
  /** Seen time of each angle, the most seen first; shares add up to 1. */
  readonly shares: readonly { readonly angleId: string; readonly seen: Flicks; readonly share: number; readonly cuts: number }[]
  /** How many cuts fall on what; the first stretch of the film is no cut. */
  readonly counts: Readonly<Record<FallsOn, number>>
  /** Middle of the distances from the nearest beat, frames without sign; null without beats or cuts. */
  readonly medianOff: number | null
  /** Length of the middle stretch; null for an empty film. */
  readonly medianLength: Flicks | null
  /** The longest without a change; null for an empty film. */
  readonly longest: RhythmStretch | null
}

/**
 * Measures the rhythm of a film: what is seen how long, and what its cuts fall on, exact to the frame.
 * @param plan of a film; cards are no part of it
 */
export function rhythmOf(plan: readonly FilmStretch[], doc: ProjectDoc): Rhythm {
  const rate = projectRate(doc.settings)
  const frame = frameStart(1, rate)
  const lead = doc.settings.lead * frame
  const pulse = pulseOf(doc)
  const beats = pulse?.beats ?? []
  const pulls: readonly (readonly [FallsOn, readonly Flicks[]])[] = [
    ['bar', (pulse?.downbeats ?? []).map((i) => beats[i])],
    ['phrase', marksOnMaster(doc).flatMap((m) => (m.kind === 'phrase' ? [m.time] : []))],
    ['beat', beats],
    ['hit', pulse?.hits ?? []],
  ]
  const framesFrom = (times: readonly Flicks[], at: Flicks): number | null => {
    const near = nearestIndex(times, at + lead)
    return near < 0 ? null : Math.round((at - (nearestFrameStart(times[near], rate) - lead)) / frame)
  }
  const stretches: RhythmStretch[] = []
  for (const { from, at, length, angleId, clipId } of plan) {
    if (from === null || angleId === null) continue
    const last = stretches.at(-1)
    // What one angle goes on to show, though a clip of it ends, is one stretch.
    if (last && last.angleId === angleId && last.clipId === clipId && last.from + last.length === from) {
      stretches[stretches.length - 1] = { ...last, length: (last.length + length) as Flicks }
      continue
    }
    const on = pulls.find(([, times]) => Math.abs(framesFrom(times, from) ?? 9) <= 1)?.[0] ?? 'none'
    stretches.push({ at, from, length, angleId, clipId, on, off: framesFrom(beats, from) })
  }
  const cuts = stretches.slice(1)
  const total = stretches.reduce((sum, s) => sum + s.length, 0)
  const byAngle = new Map<string, { seen: number; cuts: number }>()
  for (const [i, { angleId, length }] of stretches.entries()) {
    const own = byAngle.get(angleId) ?? { seen: 0, cuts: 0 }
    byAngle.set(angleId, { seen: own.seen + length, cuts: own.cuts + (i > 0 ? 1 : 0) })
  }
  const counts = Object.fromEntries(FALLS_ON.map((on) => [on, cuts.filter((c) => c.on === on).length])) as Record<FallsOn, number>
  return {
    stretches,
    shares: [...byAngle]
      .map(([angleId, { seen, cuts: n }]) => ({ angleId, seen: seen as Flicks, share: seen / total, cuts: n }))
      .sort((a, b) => b.seen - a.seen),
    counts,
    medianOff: median(cuts.flatMap((c) => (c.off === null ? [] : [Math.abs(c.off)]))),
    medianLength: median(stretches.map((s) => s.length)) as Flicks | null,
    longest: stretches.reduce<RhythmStretch | null>((a, b) => (a && a.length >= b.length ? a : b), null),
  }
}

function median(values: readonly number[]): number | null {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.floor(sorted.length / 2)] ?? null
}
