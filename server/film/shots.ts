import { movedAt, picturedAt, type SightRange, Sights } from '@pendolo/core/film'
import type { Exchange, Segment } from '@pendolo/core/formats'
import { type Cutout, WHOLE } from '@pendolo/core/picture'
import { frameGridOf } from '@pendolo/core/project'
import { type Flicks, flicks, frameStart, masterToClip, nextFrameStart, pictureSpansOf } from '@pendolo/core/time'

/** Frames of the film that one source shows in one way. */
export type Shot<T extends Segment = Segment> = T & {
  /** How its pictures are seen; null where there are none. */
  readonly sight: SightRange | null
}

/** Master time that a shot shows at one of its frames. */
export function masterTimeAt({ rate }: Pick<Exchange, 'rate'>, { masterFrame, stillAt }: Pick<Segment, 'masterFrame' | 'stillAt'>, frame: number): Flicks {
  return stillAt ?? frameStart((masterFrame as number) + frame, rate)
}

/** Clip time that is seen at a frame of a shot. */
export function clipTimeAt(exchange: Exchange, shot: Shot, frame: number): Flicks {
  const { clipId, file } = shot.source as NonNullable<Segment['source']>
  const placement = exchange.doc.placements[clipId]
  const shown = masterTimeAt(exchange, shot, frame)
  if (!shot.sight?.paced || shot.stillAt !== undefined) return masterToClip(shown, placement)
  // Pictures that run at their own speed stop where there are no more of them.
  const grid = frameGridOf(file.facts)
  const span = grid && pictureSpansOf(placement, grid).find((s) => s.start <= shown && shown < s.end)
  const pictured = picturedAt(shot.sight, shown)
  return masterToClip(span ? flicks(Math.max(span.start, Math.min(span.end - frameStart(1, grid.rate), pictured))) : pictured, placement)
}

/** The framing of each frame of a shot that is framed; null for one that is as it is fitted. */
export function cutoutsOf(exchange: Exchange, shot: Shot): Cutout[] | null {
  const { sight, frames } = shot
  if (!sight?.cutout) return null
  if (!sight.cutoutTo) return [sight.cutout]
  return Array.from({ length: frames }, (_, k) => movedAt(sight, masterTimeAt(exchange, shot, k)) ?? WHOLE)
}

/** Stretches of a film as shots: divided where they begin to be seen in another way. */
export function shotsOf<T extends Segment>(exchange: Exchange, segments: readonly T[]): Shot<T>[] {
  const { doc, rate } = exchange
  const sights = new Sights(doc.angles, doc.exceptions)
  return segments.flatMap((segment): Shot<T>[] => {
    const { source, masterFrame, frames, fromFrame } = segment
    const angleId = source?.angleId
    if (!angleId || masterFrame === null) return [{ ...segment, sight: null }]
    const from = masterTimeAt(exchange, segment, 0)
    if (segment.stillAt !== undefined) return [{ ...segment, sight: sights.ranges(angleId, from, flicks(from + 1), source.clipId)[0] }]
    // A frame is seen as its start is.
    const ranges = sights.ranges(angleId, from, frameStart(masterFrame + frames, rate), source.clipId)
    const firsts = ranges.map((r) => Math.round((nextFrameStart(r.from, rate) - from) / frameStart(1, rate)))
    return ranges.flatMap((sight, i) => {
      const [first, end] = [firsts[i], firsts[i + 1] ?? frames]
      return end > first ? [{ ...segment, fromFrame: fromFrame + first, frames: end - first, masterFrame: masterFrame + first, sight }] : []
    })
  })
}
