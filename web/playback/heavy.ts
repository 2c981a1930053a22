import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import type { HeavyRange } from './types.ts'

/** With more than so much of a second spent on drawing the programme, ms, nothing is left for the wall and its sound. */
const MOST_MS = 350
/** With fewer pictures of it than these a second says nothing without another one near it. */
const LEAST_DRAWN = 2
/** Seconds between two that are found which belong to the same range. */
const GAP = 3

/** Finds ranges of a programme that take longer to draw than there is time, second by second of the master. */
export class HeavyFinder {
  readonly #tell: (range: HeavyRange) => void
  #cutId = ''
  #second = Number.NaN
  #spent = 0
  #drawn = 0
  /** The last second that took too long. */
  #muchAt = Number.NEGATIVE_INFINITY
  /** What was found and may go on. */
  #open: { readonly cutId: string; readonly from: number; to: number } | null = null

  constructor(tell: (range: HeavyRange) => void) {
    this.#tell = tell
  }

  /** A picture of the programme with something over it was drawn. @param ms that it took */
  drawn(cutId: string, master: Flicks, ms: number): void {
    const second = Math.floor(master / FLICKS_PER_SECOND)
    if (second !== this.#second || cutId !== this.#cutId) {
      this.#judge()
      // What does not go on is told.
      if (this.#open && (this.#open.cutId !== cutId || second < this.#open.to - 1 || second > this.#open.to + GAP)) this.#close()
      if (cutId !== this.#cutId) this.#muchAt = Number.NEGATIVE_INFINITY
      this.#cutId = cutId
      this.#second = second
      this.#spent = 0
      this.#drawn = 0
    }
    this.#spent += ms
    this.#drawn++
  }

  /** Nothing more is drawn for now: it stands, or nothing lies over the programme any more. */
  rest(): void {
    if (Number.isNaN(this.#second)) return
    this.#judge()
    this.#close()
    this.#second = Number.NaN
    this.#spent = 0
    this.#drawn = 0
    this.#muchAt = Number.NEGATIVE_INFINITY
  }

  #judge(): void {
    const much = this.#spent > MOST_MS
    if (!much) return
    const [second, cutId] = [this.#second, this.#cutId]
    const heavy = this.#drawn >= LEAST_DRAWN || Math.abs(second - this.#muchAt) <= GAP
    this.#muchAt = second
    if (!heavy) return
    if (this.#open?.cutId === cutId && second >= this.#open.to && second <= this.#open.to + GAP) this.#open.to = second + 1
    else {
      this.#close()
      this.#open = { cutId, from: second, to: second + 1 }
    }
  }

  #close(): void {
    const found = this.#open
    this.#open = null
    if (found) this.#tell({ cutId: found.cutId, from: flicks(found.from * FLICKS_PER_SECOND), to: flicks(found.to * FLICKS_PER_SECOND) })
  }
}
