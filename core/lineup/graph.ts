/** How one recording lies on another, measured: time of `to` = offset + rate × time of `from`. */
export interface Link {
  readonly from: string
  readonly to: string
  readonly offsetSeconds: number
  readonly rate: number
  /** How much it counts, above 0; for sound the support of the match. */
  readonly weight: number
}

export interface Place {
  readonly startSeconds: number
  readonly rate: number
}

export interface Solution {
  /** Places of all recordings that hang together with a fixed one. */
  readonly places: Map<string, Place>
  /** Links that contradict the others and were left out. */
  readonly broken: Link[]
  /** Groups that fit each other but hang on nothing fixed. */
  readonly islands: string[][]
}

/** A link that is off by more than this from what the others say is broken, s. */
const BROKEN_SECONDS = 0.02
/** Residual at which a link begins to count less, s. */
const DOUBT_SECONDS = 0.002
const ROUNDS = 12
const SWEEPS = 200

/**
 * Places recordings through each other: least squares over all links between them, with the fixed ones held, and
 * weights that fall with the residual so that one bad pair cannot bend the rest (iteratively reweighted, Cauchy weights;
 * Holland & Welsch 1977).
 * @param fixed places that are known, by recording
 */
export function solveLinks(fixed: ReadonlyMap<string, Place>, links: readonly Link[]): Solution {
  const alive = new Set(links)
  const broken: Link[] = []
  for (;;) {
    const places = spread(fixed, [...alive])
    relax(fixed, places, [...alive])
    const worst = [...alive]
      .map((link) => ({ link, off: Math.abs(residual(link, places)) }))
      .filter(({ link, off }) => off > BROKEN_SECONDS && places.has(link.from) && places.has(link.to))
      .sort((a, b) => b.off * weak(b.link) - a.off * weak(a.link))[0]
    if (!worst) return { places, broken, islands: islandsOf(places, [...alive]) }
    alive.delete(worst.link)
    broken.push(worst.link)
  }
  function weak(link: Link): number {
    return 1 / link.weight
  }
}

/** First guesses: outwards from the fixed ones, the strongest link of all next (a greatest spanning forest). */
function spread(fixed: ReadonlyMap<string, Place>, links: readonly Link[]): Map<string, Place> {
  const places = new Map(fixed)
  const order = [...links].sort((a, b) => b.weight - a.weight)
  for (;;) {
    const next = order.find((l) => places.has(l.from) !== places.has(l.to))
    if (!next) return places
    const known = places.get(next.to)
    if (known) places.set(next.from, through(next, known))
    else places.set(next.to, back(next, places.get(next.from) as Place))
  }
}

/** Place of `from` when that of `to` is known, and the other way round. */
function through(link: Link, to: Place): Place {
  return { startSeconds: to.startSeconds + to.rate * link.offsetSeconds, rate: to.rate * link.rate }
}

function back(link: Link, from: Place): Place {
  const rate = from.rate / link.rate
  return { startSeconds: from.startSeconds - rate * link.offsetSeconds, rate }
}

function residual(link: Link, places: ReadonlyMap<string, Place>): number {
  const from = places.get(link.from)
  const to = places.get(link.to)
  return from && to ? from.startSeconds - through(link, to).startSeconds : 0
}

function relax(fixed: ReadonlyMap<string, Place>, places: Map<string, Place>, links: readonly Link[]): void {
  const free = [...places.keys()].filter((id) => !fixed.has(id))
  const of = new Map(free.map((id) => [id, links.filter((l) => (l.from === id && places.has(l.to)) || (l.to === id && places.has(l.from)))]))
  for (let round = 0; round < ROUNDS; round++) {
    const weights = new Map(links.map((l) => [l, l.weight / (1 + (residual(l, places) / DOUBT_SECONDS) ** 2)]))
    // Gauss-Seidel: each recording to the weighted mean of what its neighbours say.
    for (let sweep = 0; sweep < SWEEPS; sweep++) {
      let moved = 0
      for (const id of free) {
        let start = 0
        let rate = 0
        let total = 0
        for (const link of of.get(id) ?? []) {
          const w = weights.get(link) ?? 0
          const says = link.from === id ? through(link, places.get(link.to) as Place) : back(link, places.get(link.from) as Place)
          start += w * says.startSeconds
          rate += w * says.rate
          total += w
        }
        if (total <= 0) continue
        const now = places.get(id) as Place
        moved = Math.max(moved, Math.abs(start / total - now.startSeconds))
        places.set(id, { startSeconds: start / total, rate: rate / total })
      }
      if (moved < 1e-7) break
    }
  }
}

function islandsOf(places: ReadonlyMap<string, Place>, links: readonly Link[]): string[][] {
  const groups: Set<string>[] = []
  for (const { from, to } of links) {
    if (places.has(from) || places.has(to)) continue
    const touching = groups.filter((g) => g.has(from) || g.has(to))
    const merged = new Set([from, to, ...touching.flatMap((g) => [...g])])
    for (const g of touching) groups.splice(groups.indexOf(g), 1)
    groups.push(merged)
  }
  return groups.map((g) => [...g].sort())
}
