import { between, type Cutout, type Framing, isPlain, isWhole, type Look, lookBetween, lookSteps, type Pace, pacedAt, WHOLE } from '../picture/index.ts'
import type { Angle, PictureException } from '../project/index.ts'
import { type Flicks, flicks, lastUpTo } from '../time/index.ts'

/** How pictures of an angle are seen. */
export interface Sight {
  readonly framing: Framing
  /** null: as they are fitted. */
  readonly cutout: Cutout | null
  /** null: as they were recorded. */
  readonly look: Look | null
}

/** A range of the master's time in which the pictures of an angle are seen in one way, or move from one framing to another. */
export interface SightRange extends Sight {
  /** Half-open. */
  readonly from: Flicks
  readonly to: Flicks
  /** Where a move leads that lasts from `movesFrom` to `movesTo`, which may reach beyond the range; null: nothing moves. */
  readonly cutoutTo: Cutout | null
  readonly movesFrom: Flicks
  readonly movesTo: Flicks
  /** How fast its pictures run, and from when to when, which may reach beyond the range; null: as they were recorded. */
  readonly paced: { readonly pace: Pace; readonly from: Flicks; readonly to: Flicks } | null
}

const FITTED: Sight = { framing: 'fit', cutout: null, look: null }

/** How the pictures of each angle are seen, at any time: by the angle itself, unless an exception says otherwise. */
export class Sights {
  readonly #angles: ReadonlyMap<string, Sight>
  /** By angle, that which begins last first. */
  readonly #exceptions = new Map<string, PictureException[]>()
  /** Looks that change, in their steps, by exception. */
  readonly #drifts = new Map<string, Drift>()

  constructor(angles: readonly Pick<Angle, 'id' | 'framing' | 'cutout' | 'look'>[], exceptions: Readonly<Record<string, PictureException>>) {
    this.#angles = new Map(angles.map(({ id, framing, cutout, look }) => [id, { framing, ...kept(cutout, look) }]))
    for (const one of Object.values(exceptions)) if (one.look && one.lookTo) this.#drifts.set(one.id, driftOf(one, one.look, one.lookTo))
    for (const one of Object.values(exceptions).sort((a, b) => b.from - a.from || a.to - b.to)) {
      const list = this.#exceptions.get(one.angleId)
      if (list) list.push(one)
      else this.#exceptions.set(one.angleId, [one])
    }
  }

  /**
   * How a picture of an angle is seen at an instant of the master. Of several exceptions that which begins last counts.
   * @param clipId what is seen of the angle: exceptions of other clips do not count
   */
  at(angleId: string, master: Flicks, clipId?: string): Sight {
    const own = this.#angles.get(angleId) ?? FITTED
    const here = this.#exceptions.get(angleId)?.filter((e) => concerns(e, clipId) && e.from <= master && master < e.to)
    if (!here?.length) return own
    const range = this.#seen(own, here, master, master)
    return range.cutoutTo ? { ...range, cutout: movedAt(range, master) } : range
  }

  /** The instant of the master whose picture of an angle is seen at another: that itself, but where its pictures run at their own speed. */
  pictured(angleId: string, master: Flicks, clipId?: string): Flicks {
    const here = this.#pacedBy(angleId, master, clipId)
    return here?.pace ? pacedAt(here.pace, here.from, here.to, master) : master
  }

  /** Whether an angle's pictures give way to each other at an instant of the master. */
  blends(angleId: string, master: Flicks, clipId?: string): boolean {
    return this.#pacedBy(angleId, master, clipId)?.pace?.blends === true
  }

  #pacedBy(angleId: string, master: Flicks, clipId: string | undefined): PictureException | undefined {
    return this.#exceptions.get(angleId)?.find((e) => e.pace && concerns(e, clipId) && e.from <= master && master < e.to)
  }

  /** Ranges of the master's time that tile [from, to), each with one way to be seen. */
  ranges(angleId: string, from: Flicks, to: Flicks, clipId?: string): SightRange[] {
    const own = this.#angles.get(angleId) ?? FITTED
    const near = this.#exceptions.get(angleId)?.filter((e) => concerns(e, clipId) && e.from < to && e.to > from) ?? []
    const borders = [
      ...new Set([from, ...near.flatMap((e) => [e.from, e.to, ...(this.#drifts.get(e.id)?.borders ?? [])]).filter((t) => t > from && t < to)]),
    ].sort((a, b) => a - b)
    return borders.map((start, i) =>
      this.#seen(
        own,
        near.filter((e) => e.from <= start && start < e.to),
        start,
        borders[i + 1] ?? to,
      ),
    )
  }

  /** The look of an exception at an instant of it. */
  #lookAt(one: PictureException, at: Flicks): Look | undefined {
    const drift = this.#drifts.get(one.id)
    return drift ? drift.looks[lastUpTo(drift.borders.length, (n) => drift.borders[n], at) + 1] : one.look
  }

  #seen(own: Sight, here: readonly PictureException[], from: Flicks, to: Flicks): SightRange {
    const framed = here.find((e) => e.cutout !== undefined)
    const looked = here.find((e) => e.look !== undefined)
    const paced = here.find((e) => e.pace !== undefined)
    const moves = framed?.cutoutTo !== undefined
    const { cutout, look } = kept(framed?.cutout ?? own.cutout ?? undefined, (looked && this.#lookAt(looked, from)) ?? own.look ?? undefined)
    return {
      framing: own.framing,
      cutout: moves ? (framed.cutout ?? WHOLE) : cutout,
      look,
      from,
      to,
      cutoutTo: framed?.cutoutTo ?? null,
      movesFrom: framed?.from ?? from,
      movesTo: framed?.to ?? to,
      paced: paced?.pace ? { pace: paced.pace, from: paced.from, to: paced.to } : null,
    }
  }
}

/** Whether an exception counts where a clip is seen. */
const concerns = (one: PictureException, clipId: string | undefined): boolean => one.clipId === undefined || one.clipId === clipId

/** The instant whose picture is seen at an instant of a range. */
export const picturedAt = ({ paced }: Pick<SightRange, 'paced'>, master: Flicks): Flicks => (paced ? pacedAt(paced.pace, paced.from, paced.to, master) : master)

/** A look that changes: its steps, and where one follows the other. */
interface Drift {
  readonly looks: readonly Look[]
  readonly borders: readonly Flicks[]
}

/** The looks from one to another, each in the middle of its step. */
function driftOf({ from, to }: PictureException, one: Look, other: Look): Drift {
  const steps = lookSteps(one, other)
  return {
    looks: Array.from({ length: steps }, (_, k) => lookBetween(one, other, (k + 0.5) / steps)),
    borders: Array.from({ length: steps - 1 }, (_, k) => flicks(Math.round(from + ((to - from) * (k + 1)) / steps))),
  }
}

/** The framing of a range at an instant of it. */
export function movedAt({ cutout, cutoutTo, movesFrom, movesTo }: SightRange, master: Flicks): Cutout | null {
  return cutout && cutoutTo ? between(cutout, cutoutTo, (master - movesFrom) / (movesTo - movesFrom)) : cutout
}

/** What changes anything. */
function kept(cutout: Cutout | undefined, look: Look | undefined): { cutout: Cutout | null; look: Look | null } {
  return { cutout: cutout && !isWhole(cutout) ? cutout : null, look: look && !isPlain(look) ? look : null }
}
