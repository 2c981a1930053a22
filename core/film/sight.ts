import { between, type Cutout, type Framing, isPlain, isWhole, type Look, WHOLE } from '../picture/index.ts'
import type { Angle, PictureException } from '../project/index.ts'
import type { Flicks } from '../time/index.ts'

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
}

const FITTED: Sight = { framing: 'fit', cutout: null, look: null }

/** How the pictures of each angle are seen, at any time: by the angle itself, unless an exception says otherwise. */
export class Sights {
  readonly #angles: ReadonlyMap<string, Sight>
  /** By angle, that which begins last first. */
  readonly #exceptions = new Map<string, PictureException[]>()

  constructor(angles: readonly Pick<Angle, 'id' | 'framing' | 'cutout' | 'look'>[], exceptions: Readonly<Record<string, PictureException>>) {
    this.#angles = new Map(angles.map(({ id, framing, cutout, look }) => [id, { framing, ...kept(cutout, look) }]))
    for (const one of Object.values(exceptions).sort((a, b) => b.from - a.from || a.to - b.to)) {
      const list = this.#exceptions.get(one.angleId)
      if (list) list.push(one)
      else this.#exceptions.set(one.angleId, [one])
    }
  }

  /** How a picture of an angle is seen at an instant of the master. Of several exceptions that which begins last counts. */
  at(angleId: string, master: Flicks): Sight {
    const own = this.#angles.get(angleId) ?? FITTED
    const here = this.#exceptions.get(angleId)?.filter((e) => e.from <= master && master < e.to)
    if (!here?.length) return own
    const range = this.#seen(own, here, master, master)
    return range.cutoutTo ? { ...range, cutout: movedAt(range, master) } : range
  }

  /** Ranges of the master's time that tile [from, to), each with one way to be seen. */
  ranges(angleId: string, from: Flicks, to: Flicks): SightRange[] {
    const own = this.#angles.get(angleId) ?? FITTED
    const near = this.#exceptions.get(angleId)?.filter((e) => e.from < to && e.to > from) ?? []
    const borders = [...new Set([from, ...near.flatMap((e) => [e.from, e.to]).filter((t) => t > from && t < to)])].sort((a, b) => a - b)
    return borders.map((start, i) =>
      this.#seen(
        own,
        near.filter((e) => e.from <= start && start < e.to),
        start,
        borders[i + 1] ?? to,
      ),
    )
  }

  #seen(own: Sight, here: readonly PictureException[], from: Flicks, to: Flicks): SightRange {
    const framed = here.find((e) => e.cutout !== undefined)
    const looked = here.find((e) => e.look !== undefined)
    const moves = framed?.cutoutTo !== undefined
    const { cutout, look } = kept(framed?.cutout ?? own.cutout ?? undefined, looked?.look ?? own.look ?? undefined)
    return {
      framing: own.framing,
      cutout: moves ? (framed.cutout ?? WHOLE) : cutout,
      look,
      from,
      to,
      cutoutTo: framed?.cutoutTo ?? null,
      movesFrom: framed?.from ?? from,
      movesTo: framed?.to ?? to,
    }
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
