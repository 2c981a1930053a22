/** Pictures counted since the last reset. */
export interface Counted {
  readonly due: number
  readonly late: number
}

/** With more pictures a second than this the screen shows not all of them: one that it skips is not late. */
const MOST_SHOWN = 55
/** A clock that goes on by more than this between two looks has been set, s. */
const JUMP = 2

interface Due {
  readonly clipId: string
  readonly frame: number
  /** Where the clock stood, s. */
  readonly played: number
  shown: boolean
}

/** Counts pictures that tiles should have shown while it plays, each once, and those that came late or never. */
export class Counting {
  counted: Counted = { due: 0, late: 0 }
  readonly #last = new Map<string, Due>()

  /** Playing begins, or goes on elsewhere. */
  begin(): void {
    this.#last.clear()
  }

  reset(): void {
    this.counted = { due: 0, late: 0 }
  }

  /**
   * A picture is due on a tile. Whether the one before it was late is known by now, and so are those that were due and never looked at.
   * @param played what the clock shows, s
   * @param rate pictures of the clip in a second that is played
   */
  due(tile: string, clipId: string, frame: number, played: number, rate: number): void {
    const last = this.#last.get(tile)
    if (last?.clipId === clipId && last.frame === frame) return
    this.#last.set(tile, { clipId, frame, played, shown: false })
    if (!last) return
    const missed = last.clipId === clipId ? skipped(last, frame, played, rate) : 0
    this.counted = { due: this.counted.due + 1 + missed, late: this.counted.late + Number(!last.shown) + missed }
  }

  /** The picture that is due on a tile is seen there. */
  shown(tile: string): void {
    const last = this.#last.get(tile)
    if (last) last.shown = true
  }

  /** A tile that is gone counts no more. */
  drop(tile: string): void {
    this.#last.delete(tile)
  }
}

/** Pictures between two that were looked at: as many as there was time for, for at a join of a film others follow. */
function skipped(last: Due, frame: number, played: number, rate: number): number {
  const passed = Math.abs(played - last.played)
  if (rate > MOST_SHOWN || passed > JUMP) return 0
  return Math.max(0, Math.min(Math.abs(frame - last.frame), Math.ceil(passed * rate)) - 1)
}
