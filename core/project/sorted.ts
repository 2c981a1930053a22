import type { Choice, SwitchPoint } from '../cut/index.ts'
import type { Flicks } from '../time/index.ts'
import type { Cut, Mark, ProjectDoc } from './types.ts'

// Documents are never changed in place, so a record's sorted view holds as long as the record does. Only a recorder changes
// the records it has copied itself, and says so.
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

/** Tells the order of a version's points when it is known already, so that it need not be found again. */
export function keepPoints(cut: Pick<Cut, 'points'>, list: readonly SwitchPoint[]): void {
  points.set(cut.points, list)
}

/** Forgets the order of marks that are being changed. */
export function forgetMarks(doc: Pick<ProjectDoc, 'marks'>): void {
  marks.delete(doc.marks)
}
