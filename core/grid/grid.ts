/**
 * Corrections of beats and bars by hand. All are pure: they take a grid and give another, times in any one unit.
 * Beats inside a locked range are never moved, added or taken away.
 */
export interface Grid {
  /** Ascending. */
  readonly beats: readonly number[]
  /** Indices into `beats` of those that begin a bar, ascending. */
  readonly downbeats: readonly number[]
  /** Beats a bar. */
  readonly metre: number
  /** Half-open ranges that no correction changes. */
  readonly locked?: readonly Range[]
}

export interface Range {
  readonly from: number
  readonly to: number
}

export const EVERYWHERE: Range = { from: Number.NEGATIVE_INFINITY, to: Number.POSITIVE_INFINITY }

/** Beats closer than this share of the usual distance are one. */
const TOO_CLOSE = 0.35
/** A distance this many times the usual one is a pause. */
const PAUSE = 1.8

const within = (t: number, r: Range) => t >= r.from && t < r.to
const free = (grid: Grid, t: number) => !(grid.locked ?? []).some((r) => within(t, r))

interface Beat {
  readonly time: number
  readonly down: boolean
  readonly kept: boolean
}

function listed(grid: Grid, range: Range): Beat[] {
  const down = new Set(grid.downbeats)
  return grid.beats.map((time, i) => ({ time, down: down.has(i), kept: !within(time, range) || !free(grid, time) }))
}

/** Puts beats in order; where two come too close a kept one wins, else the first. */
function assembled(grid: Grid, beats: readonly Beat[]): Grid {
  const gap = TOO_CLOSE * usualDistance(grid)
  const sorted = [...beats].sort((a, b) => a.time - b.time || Number(b.kept) - Number(a.kept))
  const out: Beat[] = []
  for (const beat of sorted) {
    const before = out[out.length - 1]
    if (before && beat.time - before.time < (before.kept && beat.kept ? Number.MIN_VALUE : gap)) {
      if (beat.kept && !before.kept) out[out.length - 1] = beat
      continue
    }
    out.push(beat)
  }
  return { ...grid, beats: out.map((b) => b.time), downbeats: out.flatMap((b, i) => (b.down ? [i] : [])) }
}

/** The middle distance between beats; 0 when there are fewer than two. */
export function usualDistance(grid: Pick<Grid, 'beats'>): number {
  const distances = grid.beats.slice(1).map((t, i) => t - grid.beats[i])
  distances.sort((a, b) => a - b)
  return distances[distances.length >> 1] ?? 0
}

/** Moves the beats of a range, all by the same. */
export function shiftGrid(grid: Grid, by: number, range: Range = EVERYWHERE): Grid {
  const moved = listed(grid, range).map((b) => (b.kept || !free(grid, b.time + by) ? b : { ...b, time: b.time + by }))
  return assembled(grid, moved)
}

/** A beat between each two of a range. */
export function doubleGrid(grid: Grid, range: Range = EVERYWHERE): Grid {
  const beats = listed(grid, range)
  const pause = PAUSE * usualDistance(grid)
  const more = beats.slice(1).flatMap((b, i) => {
    const before = beats[i]
    const time = 0.5 * (before.time + b.time)
    const inside = within(before.time, range) && within(b.time, range) && free(grid, time) && b.time - before.time < pause
    return inside ? [{ time: Math.round(time), down: false, kept: false }] : []
  })
  const doubled = [...beats, ...more].sort((a, b) => a.time - b.time)
  return recounted({ ...grid, beats: doubled.map((b) => b.time), downbeats: doubled.flatMap((b, i) => (b.down ? [i] : [])) }, range)
}

/** Every other beat of a range; those that begin a bar stay. */
export function halveGrid(grid: Grid, range: Range = EVERYWHERE): Grid {
  const beats = listed(grid, range)
  const first = beats.findIndex((b) => !b.kept && b.down)
  const anchor = first >= 0 ? first : beats.findIndex((b) => !b.kept)
  const left = beats.filter((b, i) => b.kept || (i - anchor) % 2 === 0)
  return recounted({ ...grid, beats: left.map((b) => b.time), downbeats: left.flatMap((b, i) => (b.down ? [i] : [])) }, range)
}

/** Counts bars anew through a range from its first bar on, with the grid's metre. */
function recounted(grid: Grid, range: Range): Grid {
  const start = grid.downbeats.find((i) => within(grid.beats[i], range)) ?? grid.beats.findIndex((t) => within(t, range))
  return start < 0 ? grid : countFrom(grid, grid.beats[start], grid.metre, range)
}

/**
 * The beat nearest to a time begins a bar, and every `metre`-th after it, up to the end of the range or the next lock.
 * After a pause the count begins anew.
 */
export function countFrom(grid: Grid, time: number, metre: number = grid.metre, range: Range = EVERYWHERE): Grid {
  if (grid.beats.length === 0) return grid
  const start = nearestBeat(grid, time)
  const pause = PAUSE * usualDistance(grid)
  const down = new Set(grid.downbeats)
  let position = 0
  for (let i = start; i < grid.beats.length; i++) {
    if (grid.beats[i] >= range.to || !free(grid, grid.beats[i])) break
    if (i > start && grid.beats[i] - grid.beats[i - 1] > pause) position = 0
    if (position % metre === 0) down.add(i)
    else down.delete(i)
    position++
  }
  return { ...grid, metre: range === EVERYWHERE || range.from === Number.NEGATIVE_INFINITY ? metre : grid.metre, downbeats: [...down].sort((a, b) => a - b) }
}

/** Index of the beat nearest to an instant, the later one of two equally near; −1 where there are no beats. O(log n). */
export function nearestBeat(grid: Pick<Grid, 'beats'>, time: number): number {
  let low = 0
  let high = grid.beats.length - 1
  while (low < high) {
    const middle = (low + high) >> 1
    if (grid.beats[middle] < time) low = middle + 1
    else high = middle
  }
  return low > 0 && time - grid.beats[low - 1] < grid.beats[low] - time ? low - 1 : low
}

/** A beat dragged to a time; the beats around follow, those farther away less, up to a bar's length on each side. */
export function dragBeat(grid: Grid, index: number, to: number): Grid {
  const from = grid.beats[index]
  if (from === undefined || !free(grid, from)) return grid
  const reach = Math.max(1, grid.metre)
  const beats = [...grid.beats]
  const room = usualDistance(grid) * TOO_CLOSE
  const by = to - from
  for (let i = Math.max(0, index - reach); i <= Math.min(beats.length - 1, index + reach); i++) {
    const share = 1 - Math.abs(i - index) / (reach + 1)
    if (free(grid, beats[i])) beats[i] = Math.round(grid.beats[i] + by * share)
  }
  // No beat passes another or a locked one.
  for (let i = index + 1; i < beats.length && free(grid, grid.beats[i]); i++) beats[i] = Math.max(beats[i], Math.ceil(beats[i - 1] + room))
  for (let i = index - 1; i >= 0 && free(grid, grid.beats[i]); i--) beats[i] = Math.min(beats[i], Math.floor(beats[i + 1] - room))
  const sorted = beats.every((t, i) => (i === 0 || t > beats[i - 1]) && (free(grid, grid.beats[i]) ? free(grid, t) : t === grid.beats[i]))
  return sorted ? { ...grid, beats } : grid
}

/** Takes the beats of a range away, where there is no pulse. */
export function clearBeats(grid: Grid, range: Range): Grid {
  return assembled(
    grid,
    listed(grid, range).filter((b) => b.kept),
  )
}

/**
 * Fits a stretch to taps: the stretch from the first tap to the last gets one beat a tap, evened out by a straight line
 * through each few taps, since a person's single taps scatter by 10 to 30 ms. The touch lag is taken off before.
 * @param taps at least four, ascending
 */
export function tapStretch(grid: Grid, taps: readonly number[], lag = 0): Grid {
  if (taps.length < 4) return grid
  const meant = taps.map((t) => t - lag)
  const reach = Math.min(4, Math.floor((meant.length - 1) / 2))
  const smooth = meant.map((_, i) => {
    const from = Math.max(0, Math.min(i - reach, meant.length - 1 - 2 * reach))
    const part = meant.slice(from, from + 2 * reach + 1)
    const middle = (part.length - 1) / 2
    const mean = part.reduce((s, x) => s + x, 0) / part.length
    const slope = part.reduce((s, x, k) => s + (k - middle) * (x - mean), 0) / part.reduce((s, _x, k) => s + (k - middle) ** 2, 0)
    return Math.round(mean + slope * (i - from - middle))
  })
  const distance = (smooth[smooth.length - 1] - smooth[0]) / (smooth.length - 1)
  const range = { from: smooth[0] - distance / 2, to: smooth[smooth.length - 1] + distance / 2 }
  const rest = listed(grid, range).filter((b) => b.kept)
  const own = smooth.filter((t) => free(grid, t)).map((time) => ({ time, down: false, kept: false }))
  const was = grid.downbeats.map((i) => grid.beats[i]).filter((t) => within(t, range))
  const fitted = assembled({ ...grid, beats: smooth }, [...rest, ...own])
  const anchor = was[0] ?? smooth[0]
  return countFrom(fitted, anchor, grid.metre, { from: range.from, to: range.to })
}

/** Locks or unlocks a range; ranges that touch become one. */
export function lockStretch(grid: Grid, range: Range, locked: boolean): Grid {
  const cut = (grid.locked ?? []).flatMap((r) => {
    if (r.to <= range.from || r.from >= range.to) return [r]
    return [...(r.from < range.from ? [{ from: r.from, to: range.from }] : []), ...(r.to > range.to ? [{ from: range.to, to: r.to }] : [])]
  })
  const all = (locked ? [...cut, range] : cut).sort((a, b) => a.from - b.from)
  const joined: Range[] = []
  for (const r of all) {
    const before = joined[joined.length - 1]
    if (before && r.from <= before.to) joined[joined.length - 1] = { from: before.from, to: Math.max(before.to, r.to) }
    else joined.push(r)
  }
  return { ...grid, locked: joined }
}

/** A grid found anew, with what is locked in the one before kept as it was. */
export function keepLocked(before: Grid, found: Grid): Grid {
  const locked = before.locked ?? []
  if (locked.length === 0) return found
  const inLock = (t: number) => locked.some((r) => within(t, r))
  const own = listed(before, EVERYWHERE).filter((b) => inLock(b.time))
  const others = listed(found, EVERYWHERE).filter((b) => !inLock(b.time))
  return { ...assembled({ ...found, locked }, [...own.map((b) => ({ ...b, kept: true })), ...others]), locked }
}
