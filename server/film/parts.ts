import { activeCut } from '@pendolo/core/film'
import { EditError, type Mark, marksOnMaster, type ProjectDoc } from '@pendolo/core/project'
import { type Flicks, flicks } from '@pendolo/core/time'

/** What a film is called: in a QuickTime file its sound is as it was mixed, 24 bits a sample; in an MP4 file it is AAC. */
export const FILM_ENDINGS = { aac: '.mp4', lossless: '.mov' } as const

/** What a film is of: a version, and a part of it. */
export interface Filmed {
  readonly cutId?: string
  /** Mark of the part. */
  readonly partId?: string
}

/** @throws EditError when the mark is gone or is none of a part */
export function partOf(doc: ProjectDoc, partId: string): Mark {
  const mark = marksOnMaster(doc).find((m) => m.id === partId)
  if (mark?.kind !== 'part') throw new EditError('this part is no longer marked')
  return mark
}

/**
 * The version and range of a film. A part without an end lasts until the next one begins.
 * @throws EditError when the version or the part is gone
 */
export function filmed(doc: ProjectDoc, { cutId, partId }: Filmed): { cutId: string; part?: { from: Flicks; to: Flicks } } {
  if (cutId !== undefined && !doc.cuts.some((c) => c.id === cutId)) throw new EditError('this version of the cut is gone')
  const version = cutId ?? activeCut(doc).id
  if (partId === undefined) return { cutId: version }
  const part = partOf(doc, partId)
  const next = marksOnMaster(doc).find((m) => m.kind === 'part' && m.time > part.time)
  return { cutId: version, part: { from: part.time, to: part.end ?? next?.time ?? flicks(Number.MAX_SAFE_INTEGER) } }
}
