import type { Mark } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, firstFrom } from '@pendolo/core/time'
import { type Geometry, xAt } from './geometry.ts'

/** Where the names of marks stand, px. */
export const FLAG_TOP = 23
export const FLAG_HEIGHT = 16
/** A name is drawn as wide as its letters take, and no wider than this, px. */
const MOST_WIDE = 220
const LETTER = 6.2

/** A mark whose name is seen. */
export interface Flag {
  readonly mark: Mark
  readonly x: number
  readonly width: number
}

/** Marks in view whose names have room, each beginning where the one before it ends. @param marks on the master, ascending */
export function flagsInView(geometry: Geometry, marks: readonly Mark[]): Flag[] {
  const { view } = geometry
  const out: Flag[] = []
  let free = Number.NEGATIVE_INFINITY
  const begin = firstFrom(marks.length, (n) => marks[n].time, (view.from - view.span * 0.2) * FLICKS_PER_SECOND)
  for (let i = begin; i < marks.length && marks[i].time < (view.from + view.span) * FLICKS_PER_SECOND; i++) {
    const x = xAt(geometry, marks[i].time / FLICKS_PER_SECOND)
    if (x < free) continue
    const width = Math.min(MOST_WIDE, Math.ceil(marks[i].name.length * LETTER) + 10)
    out.push({ mark: marks[i], x, width })
    free = x + width + 1
  }
  return out
}
