import { type Flicks, firstFrom, flicks, lastUpTo } from '../time/index.ts'
import { type Choice, CutError, firstAt, type Points, pick, pointAt, type SwitchPoint, sameChoice, spliced, within } from './points.ts'

/** A stretch of the master, half-open. */
export interface Stretch {
  readonly from: Flicks
  readonly to: Flicks
}

/** Index of the point at exactly this time. @throws CutError when there is none */
function cutAt(points: Points, time: Flicks): number {
  const index = firstAt(points, time)
  if (points[index]?.time !== time) throw new CutError('there is no cut at this place any more')
  return index
}

function checkStretch({ from, to }: Stretch): void {
  if (to <= from) throw new CutError('a range must end after it begins')
}

/** Cuts a stretch in two without changing what is seen; the cut stays until it is joined. @throws CutError before the first point and where a cut is already */
export function split(points: Points, time: Flicks): SwitchPoint[] {
  const index = pointAt(points, time)
  if (index < 0) throw new CutError('there is no stretch here yet; choose an angle first')
  if (points[index].time === time) throw new CutError('there is a cut here already')
  const { transition: _, ...choice } = pick(points[index])
  return points.toSpliced(index + 1, 0, { time, ...choice, split: true })
}

/** Removes all cuts at these times: what was seen before each goes on. @throws CutError when no cut is at one of them */
export function join(points: Points, times: readonly Flicks[]): SwitchPoint[] {
  const indices = new Set(times.map((time) => cutAt(points, time)))
  if (indices.size === 0) return [...points]
  const [first, last] = [Math.min(...indices), Math.max(...indices)]
  return spliced(
    points,
    first,
    last + 1,
    points.slice(first, last + 1).filter((_, i) => !indices.has(first + i)),
  )
}

/** Gives another choice to all stretches that begin at these times. @throws CutError when no cut is at one of them */
export function reassign(points: Points, times: readonly Flicks[], choice: Choice): SwitchPoint[] {
  const indices = times.map((time) => cutAt(points, time))
  if (indices.length === 0) return [...points]
  const [first, last] = [Math.min(...indices), Math.max(...indices)]
  const chosen = new Set(indices)
  const middle = points.slice(first, last + 1).map((p, i) => (chosen.has(first + i) ? { ...p, ...anew(p, choice) } : p))
  return spliced(points, first, last + 1, middle)
}

/** A point with another choice; how what was before gives way stays. */
function anew(point: SwitchPoint, { angleId, clipId, transition }: Choice): SwitchPoint {
  const { clipId: _, ...rest } = point
  return { ...rest, angleId, ...(clipId !== undefined && { clipId }), ...(transition && { transition }) }
}

/** Exchanges what is seen in the stretches that begin at two times; their lengths stay. @throws CutError when no cut is at one of them */
export function swap(points: Points, a: Flicks, b: Flicks): SwitchPoint[] {
  const [i, k] = [cutAt(points, a), cutAt(points, b)].sort((x, y) => x - y)
  if (i === k) throw new CutError('two different stretches are needed to swap them')
  const [first, second] = [points[i], points[k]]
  const choiceOf = ({ angleId, clipId }: SwitchPoint): Choice => ({ angleId, ...(clipId !== undefined && { clipId }) })
  const given = (point: SwitchPoint, choice: Choice): SwitchPoint => {
    const { clipId: _, ...rest } = point
    return { ...rest, ...choice }
  }
  return spliced(points, i, k + 1, [given(first, choiceOf(second)), ...points.slice(i + 1, k), given(second, choiceOf(first))])
}

/**
 * Moves the stretch that begins at `time` with both its ends; the stretches beside it give and take. Each keeps at least
 * `gap`, or what it has where that is less.
 * @throws CutError when no cut is at `time`, and for the last stretch, which has no end
 */
export function slide(points: Points, time: Flicks, by: number, gap: Flicks): SwitchPoint[] {
  const index = cutAt(points, time)
  const next = points[index + 1]
  if (!next) throw new CutError('the last stretch has no end that could be moved; move its beginning')
  const before = points[index - 1]
  const after = points[index + 2]
  const low = before ? Math.min(0, before.time + gap - time) : Number.NEGATIVE_INFINITY
  const high = after ? Math.max(0, after.time - gap - next.time) : Number.POSITIVE_INFINITY
  const moved = Math.min(Math.max(Math.round(by), low), high)
  if (moved === 0) return [...points]
  return points.toSpliced(index, 2, { ...points[index], time: flicks(time + moved) }, { ...next, time: flicks(next.time + moved) })
}

/**
 * Moves cuts by the same time, as far as all of them can go without coming nearer than `gap` to one that stays.
 * @param by flicks, to later when positive
 * @throws CutError when no cut is at one of the times
 */
export function roll(points: Points, times: readonly Flicks[], by: number, gap: Flicks): SwitchPoint[] {
  const chosen = new Set(times.map((time) => cutAt(points, time)))
  let [low, high] = [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY]
  for (const i of chosen) {
    if (i > 0 && !chosen.has(i - 1)) low = Math.max(low, Math.min(0, points[i - 1].time + gap - points[i].time))
    if (i + 1 < points.length && !chosen.has(i + 1)) high = Math.min(high, Math.max(0, points[i + 1].time - gap - points[i].time))
  }
  const moved = Math.min(Math.max(Math.round(by), low), high)
  return moved === 0 ? [...points] : points.map((p, i) => (chosen.has(i) ? { ...p, time: flicks(p.time + moved) } : p))
}

/**
 * Lets choices take turns over a range: the first from its beginning, the next from each border on.
 * @param borders instants at which they change, ascending; those outside the range are not asked
 */
export function alternate(points: Points, range: Stretch, borders: readonly Flicks[], choices: readonly Choice[]): SwitchPoint[] {
  checkStretch(range)
  if (choices.length < 2) throw new CutError('two angles are needed to alternate')
  const inside = borders.slice(
    firstFrom(borders.length, (i) => borders[i], range.from + 1),
    firstFrom(borders.length, (i) => borders[i], range.to),
  )
  return within(
    points,
    range.from,
    range.to,
    [range.from, ...inside].map((time, i): SwitchPoint => ({ time, ...pick(choices[i % choices.length]) })),
  )
}

/** Shows another choice wherever an angle is seen in a range; cuts stay where they are. */
export function replaceAngle(points: Points, range: Stretch, angleId: string, choice: Choice): SwitchPoint[] {
  checkStretch(range)
  return within(
    points,
    range.from,
    range.to,
    pieceOf(points, range).map((p) => (p.angleId === angleId ? anew(p, choice) : p)),
  )
}

/** What rules in a range, as points that all lie in it. */
function pieceOf(points: Points, { from, to }: Stretch): SwitchPoint[] {
  const index = pointAt(points, from)
  const first = points[index]
  const inside = points.slice(index + 1, firstAt(points, to))
  if (!first) return inside
  return [first.time === from ? first : { time: from, ...pick(first), transition: undefined }, ...inside].map(plain)
}

function plain({ transition, ...point }: SwitchPoint): SwitchPoint {
  return transition ? { ...point, transition } : point
}

/**
 * Repeats the cuts of a range elsewhere, with the same choices.
 * @param place where an instant of the range comes to lie; must rise with it
 * @throws CutError where nothing rules in the range, or `place` does not rise
 */
export function copyPattern(points: Points, range: Stretch, place: (time: Flicks) => Flicks): SwitchPoint[] {
  checkStretch(range)
  const pattern = pieceOf(points, range)
  if (pattern.length === 0) throw new CutError('there is no cut in this range to copy')
  const target = { from: place(range.from), to: place(range.to) }
  checkStretch(target)
  const out: SwitchPoint[] = []
  for (const point of pattern) {
    const time = place(point.time)
    if (time < target.from || time >= target.to) continue
    // Cuts that fall on one frame there are the last of them.
    if (out.at(-1) && (out.at(-1) as SwitchPoint).time >= time) out.pop()
    out.push({ ...point, time })
  }
  return within(points, target.from, target.to, out)
}

/**
 * Where an instant lies when what begins with one beat is repeated from another on: as many beats behind it, and the same part
 * of the beat. Before the first and behind the last beat the nearest beat's length goes on.
 * @param beats ascending, at least two
 * @param shift beats by which the passage is moved
 * @throws CutError with fewer than two beats
 */
export function movedByBeats(beats: readonly Flicks[], time: Flicks, shift: number): Flicks {
  if (beats.length < 2) throw new CutError('there are no beats here to count by; find them in Pulse')
  const last = beats.length - 1
  const at = Math.min(
    last - 1,
    Math.max(
      0,
      lastUpTo(beats.length, (i) => beats[i], time),
    ),
  )
  const position = at + (time - beats[at]) / (beats[at + 1] - beats[at]) + shift
  const to = Math.min(last - 1, Math.max(0, Math.floor(position)))
  return flicks(Math.round(beats[to] + (position - to) * (beats[to + 1] - beats[to])))
}

/** Takes over what another version shows in a range. */
export function takeOver(points: Points, others: Points, range: Stretch): SwitchPoint[] {
  checkStretch(range)
  return within(points, range.from, range.to, pieceOf(others, range))
}

/**
 * The end of a live pass: what was chosen last holds up to the stop, and from there on rules what stood there before.
 * @param range from the last press of the pass to the stop
 * @param back what ruled at the stop before the pass; null where nothing did
 */
export function endPass(points: Points, { from, to }: Stretch, back: Choice | null): SwitchPoint[] {
  if (to <= from || pointAt(points, from) < 0) return [...points]
  const first = firstAt(points, flicks(from + 1))
  const rest = firstAt(points, to)
  // A cut that stood exactly at the stop says itself what rules from there on.
  if (points[rest]?.time === to || back === null) return spliced(points, first, rest, [])
  return spliced(points, first, rest, [plain({ time: to, ...pick(back), transition: undefined })])
}

/** The passage of a live pass that has gone by: older cuts strictly inside it give way. */
export function giveWay(points: Points, { from, to }: Stretch): SwitchPoint[] {
  const first = firstAt(points, flicks(from + 1))
  return points.toSpliced(first, Math.max(0, firstAt(points, to) - first))
}

/** Ranges in which two versions show something else, ascending; the last one is open where they differ to the end. */
export function differing(a: Points, b: Points, until: Flicks): Stretch[] {
  const out: { from: Flicks; to: Flicks }[] = []
  const times = [...new Set([...a, ...b].map((p) => p.time))].sort((x, y) => x - y).filter((time) => time < until)
  for (const [i, from] of times.entries()) {
    const [one, two] = [a[pointAt(a, from)], b[pointAt(b, from)]]
    if (one === two || (one && two && sameChoice(one, two))) continue
    const to = times[i + 1] ?? until
    const last = out.at(-1)
    if (last?.to === from) last.to = to
    else out.push({ from, to })
  }
  return out
}
