import { type Flicks, flicks, ZERO } from './flicks.ts'
import { lastUpTo } from './search.ts'

/** A run of programme time, half-open [at, at + length), that shows the master from `from` on, or nothing of it. */
export interface Run {
  readonly at: Flicks
  /** Positive. */
  readonly length: Flicks
  readonly from: Flicks | null
}

/**
 * Programme time: runs one after the other from 0 on, without holes. Each instant of it shows one instant of the master
 * or none; an instant of the master may be shown several times, or not at all.
 */
export type Runs<R extends Run = Run> = readonly R[]

/** How long the programme is. */
export function programmeLength(runs: Runs): Flicks {
  const last = runs.at(-1)
  return last ? flicks(last.at + last.length) : ZERO
}

/** The run that an instant of the programme lies in; undefined before its beginning and from its end on. O(log n). */
export function runAt<R extends Run>(runs: Runs<R>, time: Flicks): R | undefined {
  const run = runs[lastUpTo(runs.length, (i) => runs[i].at, time)]
  return run && time < run.at + run.length ? run : undefined
}

/** Master time that is shown at an instant of the programme; null where none is. O(log n). */
export function programmeToMaster(runs: Runs, time: Flicks): Flicks | null {
  const run = runAt(runs, time)
  return !run || run.from === null ? null : flicks(run.from + (time - run.at))
}

/** All instants of the programme that show an instant of the master, ascending; empty where it was left out. O(n). */
export function programmeTimesOf(runs: Runs, master: Flicks): Flicks[] {
  const out: Flicks[] = []
  for (const { at, length, from } of runs) if (from !== null && master >= from && master < from + length) out.push(flicks(at + (master - from)))
  return out
}

/** The instant of the programme that shows an instant of the master first; null where it was left out. */
export function masterToProgramme(runs: Runs, master: Flicks): Flicks | null {
  return programmeTimesOf(runs, master)[0] ?? null
}

/** The part [from, to) of a programme as a programme of its own that begins at 0. */
export function sliceRuns<R extends Run>(runs: Runs<R>, from: Flicks, to: Flicks): R[] {
  const out: R[] = []
  let at: number = ZERO
  for (const run of runs) {
    const begin = Math.max(run.at, from)
    const end = Math.min(run.at + run.length, to)
    if (end <= begin) continue
    out.push({ ...run, at: flicks(at), length: flicks(end - begin), from: run.from === null ? null : flicks(run.from + (begin - run.at)) })
    at += end - begin
  }
  return out
}
