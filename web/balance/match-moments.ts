import type { Stretch } from '@pendolo/core/mix'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import type { PlayClip } from '../playback/types.ts'

/** An instant that two angles see, and the clips they see it with. */
export interface SharedMoment {
  readonly time: Flicks
  readonly own: PlayClip
  readonly reference: PlayClip
}

/** So many instants tell how two cameras differ. */
export const MOMENTS = 12

/**
 * Instants that two angles see, spread evenly over all that both see.
 * @param within only those of a stretch
 * @returns none where they never see the same
 */
export function sharedMoments(clips: readonly PlayClip[], ownId: string, referenceId: string, within: Stretch | null = null): SharedMoment[] {
  const of = (angleId: string) => clips.filter((c) => c.angleId === angleId && c.tileUrl !== null)
  const shared = of(ownId)
    .flatMap((own) =>
      of(referenceId).map((reference) => ({
        own,
        reference,
        from: Math.max(own.start, reference.start, within?.from ?? Number.NEGATIVE_INFINITY),
        to: Math.min(own.end, reference.end, within?.to ?? Number.POSITIVE_INFINITY),
      })),
    )
    .filter((s) => s.from < s.to)
    .sort((a, b) => a.from - b.from)
  const length = shared.reduce((sum, s) => sum + s.to - s.from, 0)
  const out: SharedMoment[] = []
  let before = 0
  for (const { own, reference, from, to } of shared) {
    for (let n = out.length; n < MOMENTS; n++) {
      const at = from + ((n + 0.5) / MOMENTS) * length - before
      if (at >= to) break
      out.push({ time: flicks(Math.floor(at)), own, reference })
    }
    before += to - from
  }
  return out
}

/** A part of the time lasts so long, flicks, where the light is followed; there are at least two and at most so many. */
const PART = 120 * FLICKS_PER_SECOND
const MOST_PARTS = 12

/** Parts of the time that two angles both see, of equal length, in which the light is taken for the same; none where they never see the same. */
export function lightParts(clips: readonly PlayClip[], ownId: string, referenceId: string): Stretch[] {
  const moments = sharedMoments(clips, ownId, referenceId)
  if (moments.length === 0) return []
  const spans = clips.filter((c) => c.angleId === ownId)
  const [from, to] = [Math.min(...spans.map((c) => c.start)), Math.max(...spans.map((c) => c.end))]
  const count = Math.max(2, Math.min(MOST_PARTS, Math.round((to - from) / PART)))
  const border = (k: number) => flicks(Math.round(from + ((to - from) * k) / count))
  const parts = Array.from({ length: count }, (_, k) => ({ from: border(k), to: border(k + 1) }))
  return parts.filter((part) => sharedMoments(clips, ownId, referenceId, part).length > 0)
}
