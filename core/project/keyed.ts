import type { SwitchPoint } from '../cut/index.ts'
import { type Flicks, firstFrom } from '../time/index.ts'
import type { Mark } from './types.ts'

// Switch points and marks are kept as lists in their order: copying a list of thousands is quick, copying a record of as
// many is not. Patches name their entries by key, so that those of two people go together.

/** A list in order whose entries have a key each. */
interface Keyed<T> {
  readonly keyOf: (entry: T) => string
  /** The entry under a key. */
  readonly find: (list: readonly T[], key: string) => T | undefined
  /** Where an entry stands, or would stand. */
  readonly placeOf: (list: readonly T[], entry: T) => number
  /** Notes that an entry came, or went. */
  readonly noted: (list: readonly T[], key: string, entry: T | undefined) => void
}

const POINTS: Keyed<SwitchPoint> = {
  keyOf: (point) => String(point.time),
  find: (points, key) => {
    const found = points[firstFrom(points.length, (i) => points[i].time, Number(key) as Flicks)]
    return found?.time === Number(key) ? found : undefined
  },
  placeOf: (points, { time }) => firstFrom(points.length, (i) => points[i].time, time),
  noted: () => undefined,
}

/** Marks by id. It belongs to the newest state of the list: as that changes it goes along, and an older one makes it again when asked. */
const indices = new WeakMap<readonly Mark[], Map<string, Mark>>()

function indexOf(marks: readonly Mark[]): Map<string, Mark> {
  let index = indices.get(marks)
  if (!index) {
    index = new Map(marks.map((m) => [m.id, m]))
    indices.set(marks, index)
  }
  return index
}

const MARKS: Keyed<Mark> = {
  keyOf: (mark) => mark.id,
  find: (marks, id) => indexOf(marks).get(id),
  placeOf: (marks, mark) => {
    let [low, high] = [0, marks.length]
    while (low < high) {
      const middle = (low + high) >> 1
      if (inTime(marks[middle], mark) < 0) low = middle + 1
      else high = middle
    }
    return low
  },
  noted: (marks, id, mark) => {
    const index = indices.get(marks)
    if (mark) index?.set(id, mark)
    else index?.delete(id)
  },
}

/** Order of marks: by their own times, those of equal time by their ids. */
const inTime = (a: Mark, b: Mark): number => a.time - b.time || (a.id < b.id ? -1 : Number(a.id > b.id))

/** How the list at a path is kept; null for lists whose entries are known by their place. */
export function keyedAt(path: readonly (string | number)[], container: unknown): Keyed<unknown> | null {
  if (!Array.isArray(container)) return null
  if (path.length === 1 && path[0] === 'marks') return MARKS as Keyed<unknown>
  return path.length === 3 && path[0] === 'cuts' && path[2] === 'points' ? (POINTS as Keyed<unknown>) : null
}

/** Puts an entry where it belongs, in place of the one under its key. */
export function putEntry<T>(keyed: Keyed<T>, list: T[], entry: T): void {
  const key = keyed.keyOf(entry)
  const before = keyed.find(list, key)
  if (before !== undefined) list.splice(keyed.placeOf(list, before), 1)
  list.splice(keyed.placeOf(list, entry), 0, entry)
  keyed.noted(list, key, entry)
}

/** Takes the entry under a key out; nothing happens where there is none. */
export function takeEntry<T>(keyed: Keyed<T>, list: T[], key: string): void {
  const before = keyed.find(list, key)
  if (before === undefined) return
  list.splice(keyed.placeOf(list, before), 1)
  keyed.noted(list, key, undefined)
}

/** A copy of a list that can be changed. */
export function copyOfList<T>(list: readonly T[]): T[] {
  const copy = list.slice()
  const index = indices.get(list as unknown as readonly Mark[])
  if (index) {
    indices.delete(list as unknown as readonly Mark[])
    indices.set(copy as unknown as readonly Mark[], index)
  }
  return copy
}

/** The mark of this id; found at once however many there are. */
export function markOf(marks: readonly Mark[], id: string): Mark | undefined {
  return MARKS.find(marks, id)
}

/** Marks in the order in which a project keeps them. O(n log n) */
export function marksInOrder(marks: readonly Mark[]): Mark[] {
  return [...marks].sort(inTime)
}

/** Switch points in the order in which a version keeps them; of those at one time the last. O(n log n) */
export function pointsInOrder(points: readonly SwitchPoint[]): SwitchPoint[] {
  const byTime = new Map(points.map((p) => [p.time, p]))
  return [...byTime.values()].sort((a, b) => a.time - b.time)
}
