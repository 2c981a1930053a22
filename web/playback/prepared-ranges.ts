import type { Job, PreparedResult, ProjectState } from '@pendolo/api'
import { layersOf, preparedKey } from '@pendolo/core/film'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { mediaUrl } from '../data/client.ts'
import { filmFor } from './film.ts'
import type { HeavyRange, ReadyRange } from './types.ts'

/** More than so many are not looked through at each change; the newest count. */
const MOST = 40

/** Ranges whose pictures were made for playing and are still what is seen there. */
export function readyRanges(project: ProjectState, jobs: readonly Pick<Job, 'kind' | 'state' | 'result'>[]): ReadyRange[] {
  const made = jobs.flatMap((j) => (j.kind === 'prepare' && j.state === 'done' && j.result && 'key' in j.result ? [j.result] : []))
  if (made.length === 0) return []
  const contents = new Map(project.files.map((f) => [f.id, f.contentKey]))
  const film = filmFor(project)
  const still = ({ cutId, from, to, key }: PreparedResult) =>
    project.doc.cuts.some((c) => c.id === cutId) &&
    preparedKey(project.doc, film, (id) => contents.get(id), { cutId, from: flicks(from), to: flicks(to) }) === key
  return made
    .slice(0, MOST)
    .filter(still)
    .map(({ cutId, from, to, key }) => ({ cutId, from: flicks(from), to: flicks(to), url: mediaUrl(key, 'prepared') }))
}

/** What is made reaches so far beyond what was found at most, s. */
const REACH = 10

/** A range as far as the same lies over the same picture: to the cuts around it, and to where layers and the event begin and end. */
export function widened({ doc }: ProjectState, { cutId, from, to }: HeavyRange, event: { readonly start: Flicks; readonly end: Flicks }): HeavyRange {
  const cut = doc.cuts.find((c) => c.id === cutId)
  if (!cut) return { cutId, from, to }
  const borders = [...cut.points.map((p) => p.time), ...layersOf(cut).flatMap((l) => [l.from, l.to]), event.start, event.end]
  const reach = REACH * FLICKS_PER_SECOND
  const start = borders.reduce((most, t) => (t <= from ? Math.max(most, t) : most), from - reach)
  const end = borders.reduce((least, t) => (t >= to ? Math.min(least, t) : least), to + reach)
  return { cutId, from: flicks(start), to: flicks(end) }
}
