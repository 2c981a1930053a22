import { picturedAt, Sights } from '../film/index.ts'
import { frameGridOf } from '../project/index.ts'
import { flicks, frameShownAt, frameStart, nextFrameStart } from '../time/index.ts'
import type { Exchange, Segment } from './exchange.ts'

/** A run of frames whose pictures run at one speed, or at one that changes. */
export interface PacedSegment extends Segment {
  /** Times as fast as they were recorded, on average over the run; absent: as they were recorded. */
  readonly pace?: number
  /** Speeds at its ends, where they differ. */
  readonly ramp?: readonly [number, number]
}

/** A run whose speed changes is told in steps of so many frames, each at its own even speed: no format here knows another one. */
const STEP = 12

/** The cut divided where pictures begin to run at another speed; each run names the frame that is seen at its own start. */
export function pacedCut(exchange: Pick<Exchange, 'cut' | 'doc' | 'rate'>): PacedSegment[] {
  const { cut, doc, rate } = exchange
  const sights = new Sights(doc.angles, doc.exceptions)
  return cut.flatMap((segment): PacedSegment[] => {
    const { source, masterFrame, frames } = segment
    if (!source || masterFrame === null || segment.stillAt !== undefined || source.file.facts.video?.still) return [segment]
    const from = frameStart(masterFrame, rate)
    const ranges = sights.ranges(source.angleId, from, frameStart(masterFrame + frames, rate), source.clipId)
    if (ranges.every((r) => !r.paced)) return [segment]
    const firstOf = (at: number) => Math.round((nextFrameStart(flicks(at), rate) - from) / frameStart(1, rate))
    const grid = frameGridOf(source.file.facts)
    const placement = doc.placements[source.clipId]
    const out: PacedSegment[] = []
    let plain: { first: number; end: number } | null = null
    const part = (first: number, end: number, more: Omit<PacedSegment, keyof Segment> & { firstFrame?: number | null }): PacedSegment => {
      const { firstFrame, ...rest } = more
      const own = firstFrame ?? (grid ? frameShownAt(frameStart(masterFrame + first, rate), placement, grid) : null) ?? source.firstFrame
      return {
        ...segment,
        fromFrame: segment.fromFrame + first,
        frames: end - first,
        masterFrame: masterFrame + first,
        source: { ...source, firstFrame: own },
        ...rest,
      }
    }
    const leave = () => {
      if (plain) out.push(part(plain.first, plain.end, {}))
      plain = null
    }
    for (const [i, range] of ranges.entries()) {
      const [first, end] = [i === 0 ? 0 : firstOf(range.from), i + 1 < ranges.length ? firstOf(ranges[i + 1].from) : frames]
      if (end <= first) continue
      const { paced } = range
      if (!paced) {
        plain = { first: (plain as { first: number } | null)?.first ?? first, end }
        continue
      }
      leave()
      const even = paced.pace.start === paced.pace.end
      const steps = even ? 1 : Math.ceil((end - first) / STEP)
      for (let k = 0; k < steps; k++) {
        const [a, b] = [first + Math.round(((end - first) * k) / steps), first + Math.round(((end - first) * (k + 1)) / steps)]
        const seen = (frame: number) => picturedAt(range, frameStart(masterFrame + frame, rate))
        const pace = even ? paced.pace.start : (seen(b) - seen(a)) / frameStart(b - a, rate)
        const firstFrame = grid && frameShownAt(seen(a), placement, grid)
        out.push(part(a, b, { pace, firstFrame, ...(!even && { ramp: [paced.pace.start, paced.pace.end] as const }) }))
      }
    }
    leave()
    return out
  })
}
