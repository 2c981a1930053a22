import type { FilmStretch } from '@pendolo/core/film'
import { type Flicks, flicks } from '@pendolo/core/time'
import type { PlayClip } from './types.ts'

/** What a film shows at an instant, as a small picture of it needs it. */
export interface Glimpse {
  /** null for black, and for a card. */
  readonly clip: PlayClip | null
  readonly angleId: string | null
  /** Of the master. */
  readonly time: Flicks
}

function glimpseIn(stretch: FilmStretch, into: number, clips: readonly PlayClip[]): Glimpse {
  const time = stretch.stillAt ?? flicks((stretch.from ?? 0) + into)
  const clip = stretch.from === null ? null : clips.find((c) => c.clipId === stretch.clipId && c.start <= time && time < c.end)
  return { clip: clip ?? null, angleId: clip ? stretch.angleId : null, time }
}

/** What is shown at an instant of the film; black where it has none. */
export function glimpseInFilm(plan: readonly FilmStretch[], at: Flicks, clips: readonly PlayClip[]): Glimpse {
  const stretch = plan.find((s) => s.at <= at && at < s.at + s.length)
  return stretch ? glimpseIn(stretch, at - stretch.at, clips) : { clip: null, angleId: null, time: at }
}

/** What the film shows of an instant of the master; null where it leaves that out. */
export function glimpseOfMaster(plan: readonly FilmStretch[], time: Flicks, clips: readonly PlayClip[]): Glimpse | null {
  const stretch = plan.find(({ from, length }) => from !== null && from <= time && time < from + length)
  return stretch ? glimpseIn(stretch, time - (stretch.from as Flicks), clips) : null
}
