import type { Choice, StandIn } from '../cut/index.ts'
import type { PictureSpan } from '../project/index.ts'
import { type Flicks, flicks, lastUpTo, secondsToFlicks } from '../time/index.ts'

/** What is shown at an instant, and whether it is what was chosen. */
export interface Shown {
  /** What was chosen; null before the first switch point. */
  readonly wanted: string | null
  /** What is shown; null is black. */
  readonly angleId: string | null
  readonly clipId: string | null
  /** True where the shown angle is not the chosen one because that has no picture. */
  readonly standIn: boolean
  /** Master time of the one picture that is held; null where pictures run. */
  readonly stillAt: Flicks | null
}

/** So long before its end a clip's last picture is asked for: containers round the times of pictures to steps of a hundred-thousandth of a second. */
const BEFORE_END = secondsToFlicks(50e-6)

const lastOf = ({ start, end, until = end }: PictureSpan): Flicks => flicks(Math.max(start, until - BEFORE_END))

interface Lane {
  readonly spans: readonly PictureSpan[]
  /** Greatest end of the spans up to each index: before it nothing earlier can last to an instant. */
  readonly lasting: readonly number[]
  /** Index of the span that has this end. */
  readonly longest: readonly number[]
}

/** Where the angles have pictures, made to be asked often. */
export class Pictures {
  readonly #lanes = new Map<string, Lane>()
  readonly #order: readonly string[]
  readonly #standIn: StandIn

  /**
   * @param spans pictures of the clips on the master's time
   * @param order angle ids in their order; the first with a picture stands in
   */
  constructor(spans: readonly PictureSpan[], order: readonly string[], standIn: StandIn = 'next') {
    this.#order = order
    this.#standIn = standIn
    const byAngle = new Map<string, PictureSpan[]>()
    for (const span of spans) {
      const list = byAngle.get(span.angleId)
      if (list) list.push(span)
      else byAngle.set(span.angleId, [span])
    }
    for (const [angleId, list] of byAngle) {
      // Of two that begin together the earlier in the list is found first, walking back: the later one is put before it.
      const sorted = list.map((span, i) => ({ span, i })).sort((a, b) => a.span.start - b.span.start || b.i - a.i)
      const lasting: number[] = []
      const longest: number[] = []
      for (const [n, { span }] of sorted.entries()) {
        const further = span.end > (lasting.at(-1) ?? Number.NEGATIVE_INFINITY)
        lasting.push(further ? span.end : lasting[n - 1])
        longest.push(further ? n : longest[n - 1])
      }
      this.#lanes.set(angleId, { spans: sorted.map((s) => s.span), lasting, longest })
    }
  }

  /**
   * The clip of an angle that gives the picture at an instant: of several takes the wanted one, else the last one begun.
   * O(log n) beside the takes that lie over each other there.
   */
  clipAt(angleId: string, time: Flicks, clipId?: string): PictureSpan | null {
    const lane = this.#lanes.get(angleId)
    if (!lane) return null
    const { spans, lasting } = lane
    let found: PictureSpan | null = null
    for (let i = lastUpTo(spans.length, (n) => spans[n].start, time); i >= 0 && lasting[i] > time; i--) {
      if (time >= spans[i].end) continue
      if (clipId === undefined || spans[i].clipId === clipId) return spans[i]
      found ??= spans[i]
    }
    return found
  }

  /** The takes of an angle that have a picture at an instant, each clip once: that which is shown unless another is chosen first. */
  takesAt(angleId: string, time: Flicks): string[] {
    const lane = this.#lanes.get(angleId)
    if (!lane) return []
    const { spans, lasting } = lane
    const out: string[] = []
    for (let i = lastUpTo(spans.length, (n) => spans[n].start, time); i >= 0 && lasting[i] > time; i--)
      if (time < spans[i].end && !out.includes(spans[i].clipId)) out.push(spans[i].clipId)
    return out
  }

  /** The clip of an angle whose picture was the last one before an instant at which it has none. */
  #before(angleId: string, time: Flicks): PictureSpan | null {
    const lane = this.#lanes.get(angleId)
    const i = lane ? lastUpTo(lane.spans.length, (n) => lane.spans[n].start, time) : -1
    return lane && i >= 0 ? lane.spans[lane.longest[i]] : null
  }

  /** What a choice shows at an instant: its own picture, else what stands in. */
  shown(choice: Choice | null, time: Flicks): Shown {
    const wanted = choice?.angleId ?? null
    const own = choice && this.clipAt(choice.angleId, time, choice.clipId)
    if (own) return { wanted, angleId: own.angleId, clipId: own.clipId, standIn: false, stillAt: null }
    const held = choice && this.#standIn === 'hold' ? this.#before(choice.angleId, time) : null
    if (held) return { wanted, angleId: held.angleId, clipId: held.clipId, standIn: true, stillAt: lastOf(held) }
    if (this.#standIn !== 'black')
      for (const angleId of this.#order) {
        const other = this.clipAt(angleId, time)
        if (other) return { wanted, angleId, clipId: other.clipId, standIn: true, stillAt: null }
      }
    return { wanted, angleId: null, clipId: null, standIn: true, stillAt: null }
  }
}
