import { sha256 } from '@noble/hashes/sha2'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils'
import { own, type ProjectDoc, projectRate } from '../project/index.ts'
import { type Flicks, flicks, frameAt, frameStart, nextFrameStart } from '../time/index.ts'
import type { FilmResolver } from './resolver.ts'
import { Sights } from './sight.ts'

/** A range of the master's time in which a version is seen, on whole frames of the project. */
export interface PreparedRange {
  readonly cutId: string
  /** Half-open. */
  readonly from: Flicks
  readonly to: Flicks
}

/** A range made as long as the frames that it touches. */
export function wholeFrames({ settings }: Pick<ProjectDoc, 'settings'>, { cutId, from, to }: PreparedRange): PreparedRange {
  const rate = projectRate(settings)
  return { cutId, from: flicks(frameStart(frameAt(from, rate), rate)), to: nextFrameStart(to, rate) }
}

/**
 * Names what is seen of a version in a range: whatever changes a picture there changes the name, what changes others does not. By it a film of
 * the range that was made before is known to be right still.
 * @param film of the project, of any version
 * @param contentOf names the content of a file
 * @returns 32 hexadecimal digits (of SHA-256, FIPS 180-4)
 */
export function preparedKey(
  doc: ProjectDoc,
  film: FilmResolver,
  contentOf: (fileId: string) => string | undefined,
  { cutId, from, to }: PreparedRange,
): string {
  const { rate, width, height } = doc.settings
  const { stretches, passages, others, layers } = film.shownIn(cutId, from, to)
  const sights = new Sights(doc.angles, doc.exceptions)
  const shown = [...stretches, ...others].flatMap(({ angleId, clipId, start, end, stillAt }) =>
    angleId === null || clipId === null
      ? [[start, end]]
      : [[start, end, clipId, stillAt, sights.ranges(angleId, stillAt ?? start, stillAt === null ? end : flicks(stillAt + 1), clipId)]],
  )
  const clips = [...new Set([...stretches, ...others].flatMap((s) => s.clipId ?? []))].sort().flatMap((id) => {
    const clip = own(doc.clips, id)
    return clip ? [[id, doc.placements[id], clip.rate, contentOf(clip.fileId), clip.workedFileId && contentOf(clip.workedFileId)]] : []
  })
  const files = layers.map((l) => l.fileId && contentOf(l.fileId))
  const all = [VERSION, from, to, rate, width, height, shown, passages, layers, files, clips]
  return bytesToHex(sha256(utf8ToBytes(JSON.stringify(all)))).slice(0, 32)
}

/** Rises when the same project is drawn otherwise. */
const VERSION = 1
