import type { Choice, SwitchPoint } from '../cut/index.ts'
import type { Flicks } from '../time/index.ts'
import type { Cut, Mark, ProjectDoc } from './types.ts'

// Documents are never changed in place, so a record's sorted view holds as long as the record does.
const points = new WeakMap<object, readonly SwitchPoint[]>()
const marks = new WeakMap<object, readonly Mark[]>()

function kept<K extends object, V>(views: WeakMap<K, V>, key: K, make: () => V): V {
  let view = views.get(key)
  if (view === undefined) {
    view = make()
    views.set(key, view)
  }
  return view
}

/** Switch points of a version, ascending; made once for each state of it. O(n log n) the first time, then O(1). */
export function pointsOf(cut: Pick<Cut, 'points'>): readonly SwitchPoint[] {
  return kept(points, cut.points, () =>
    Object.entries(cut.points)
      .map(([time, choice]): SwitchPoint => ({ time: Number(time) as Flicks, ...choice }))
      .sort((a, b) => a.time - b.time),
  )
}

/** Marks of a project in the order of their own times, those of equal time in the order of their ids; made once for each state. */
export function marksOf(doc: Pick<ProjectDoc, 'marks'>): readonly Mark[] {
  return kept(marks, doc.marks, () => Object.values(doc.marks).sort((a, b) => a.time - b.time || (a.id < b.id ? -1 : 1)))
}

/** The record of a list of switch points. */
export function pointRecord(list: readonly SwitchPoint[]): Record<string, Choice> {
  return Object.fromEntries(list.map(({ time, ...choice }) => [String(time), choice]))
}

/** Changes a record of switch points in place to what a list says; entries that stay are not touched. */
export function setPoints(record: Record<string, Choice>, before: readonly SwitchPoint[], after: readonly SwitchPoint[]): void {
  const left = new Map(before.map((p) => [p.time, p]))
  for (const point of after) {
    const old = left.get(point.time)
    left.delete(point.time)
    if (old && old.angleId === point.angleId && old.clipId === point.clipId) continue
    const { time, ...choice } = point
    record[String(time)] = choice
  }
  for (const time of left.keys()) delete record[String(time)]
}
