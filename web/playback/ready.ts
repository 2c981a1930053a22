import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import type { Copies } from './copies.ts'
import type { Picture } from './picture.ts'
import type { Instant, Seen } from './seen.ts'
import type { ReadyRange } from './types.ts'

/** What was made for playing is opened so long before, s, and waited for so long, ms. */
const SOON = 2
const PATIENCE = 1000

/** Pictures of the programme that were made for playing. */
export class Ready {
  readonly #copies: Copies
  #ranges: readonly ReadyRange[] = []
  /** What is waited for while it plays, and since when. */
  #awaited: { readonly url: string; readonly since: number | null } = { url: '', since: null }

  constructor(copies: Copies) {
    this.#copies = copies
  }

  know(ranges: readonly ReadyRange[]): void {
    this.#ranges = ranges
  }

  get urls(): string[] {
    return this.#ranges.map((r) => r.url)
  }

  /** What was made for an instant; 'wait' while it is on its way, null where nothing was made, it stands, or it has not come in time. */
  at(seen: Seen, now: Instant): { readonly sample: Picture; readonly url: string } | 'wait' | null {
    const { master } = now
    if (this.#ranges.length === 0 || master === null || seen.held) return null
    const cutId = seen.ruling(now)
    const range = this.#ranges.find((r) => r.cutId === cutId && r.from - SOON * FLICKS_PER_SECOND <= master && master < r.to)
    if (!range) return null
    const { url } = range
    const { playing, speed } = seen.clock
    const stream = this.#copies.from(url)
    if (master < range.from) {
      // Its first pictures are got ready.
      stream.playing(0, speed)
      return null
    }
    const seconds = (master - range.from) / FLICKS_PER_SECOND
    if (!playing) {
      // Standing it is drawn as it is; what will be played from here is opened.
      stream.still(seconds)
      this.#awaited = { url, since: null }
      return null
    }
    const sample = stream.playing(seconds, speed) ?? stream.nearest(seconds)
    if (sample) return { sample, url }
    if (this.#awaited.url !== url || this.#awaited.since === null) this.#awaited = { url, since: performance.now() }
    // Drawing all of it meanwhile would keep its decoder waiting: what is seen stays for a moment, and after each that is drawn for another.
    if (performance.now() - (this.#awaited.since ?? 0) < PATIENCE) return 'wait'
    this.#awaited = { url, since: null }
    return null
  }
}
