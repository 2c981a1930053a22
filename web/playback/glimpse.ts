import type { FilmStretch } from '@pendolo/core/film'
import { type Flicks, flicks } from '@pendolo/core/time'
import type { PlayClip } from './types.ts'

/** What a film shows at an instant, as a small picture of it needs it. */
export interface Glimpse {
  /** null for black, and for a card. */
  readonly clip: PlayClip | null
  /** Of the master. */
  readonly time: Flicks
  readonly angleId: string | null
  /** Words of a card; null for all else. */
  readonly card: string | null
}

/** What is shown of a choice at an instant of the master. */
export function glimpseOf({ clipId, angleId, stillAt }: Pick<FilmStretch, 'clipId' | 'angleId' | 'stillAt'>, at: Flicks, clips: readonly PlayClip[]): Glimpse {
  const time = stillAt ?? at
  const clip = clips.find((c) => c.clipId === clipId && c.start <= time && time < c.end) ?? null
  return { clip, time, angleId: clip && angleId, card: null }
}

/** What is shown at an instant of the film; black where it has none. */
export function glimpseInFilm(plan: readonly FilmStretch[], at: Flicks, clips: readonly PlayClip[]): Glimpse {
  const stretch = plan.find((s) => s.at <= at && at < s.at + s.length)
  if (!stretch || stretch.from === null) return { clip: null, time: at, angleId: null, card: stretch ? (stretch.run.text ?? '') : null }
  return glimpseOf(stretch, flicks(stretch.from + at - stretch.at), clips)
}

/** Where an instant of the master is seen in the film; null where that leaves it out. */
export function filmTimeOf(plan: readonly FilmStretch[], time: Flicks): Flicks | null {
  const stretch = plan.find(({ from, length }) => from !== null && from <= time && time < from + length)
  return stretch ? flicks(stretch.at + time - (stretch.from as Flicks)) : null
}

/** What is seen, in a word: the angle's name, the words of a card, black. */
export function glimpseName({ angleId, card }: Glimpse, nameOf: (angleId: string) => string): string {
  return card === null ? (angleId === null ? 'black' : nameOf(angleId)) : card === '' ? 'a card' : `a card, ${card}`
}
