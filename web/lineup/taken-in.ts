import type { ProjectState } from '@pendolo/api'
import { readOtioPlacements } from '@pendolo/core/formats'
import { clockOf, type Edit, type Placement } from '@pendolo/core/project'
import { placementFromSeconds } from '@pendolo/core/time'

export interface TakenIn {
  readonly edit: Edit | null
  readonly placed: number
  /** Clips that the file names but that are locked, and names it has that the project has not. */
  readonly locked: number
  readonly unknown: number
}

/**
 * What an exchange file of another program says of this project's clips, by their file names; its times are moved so that
 * the master lies where it lies here.
 * @throws OtioError when the text is no such file
 */
export function takeIn({ doc, files }: ProjectState, text: string, from: string): TakenIn {
  const said = new Map(readOtioPlacements(text).map((p) => [p.fileName, p]))
  const nameOf = (clipId: string) => files.find((f) => f.id === doc.clips[clipId].fileId)?.name ?? ''
  const clock = clockOf(doc)
  const master = clock === null ? undefined : said.get(nameOf(clock))
  const placements: Record<string, Placement> = {}
  let locked = 0
  const known = new Set<string>()
  for (const clip of Object.values(doc.clips)) {
    const at = said.get(nameOf(clip.id))
    if (!at || clip.state === 'aside') continue
    known.add(at.fileName)
    if (clip.id === clock) continue
    if (doc.placements[clip.id]?.locked) {
      locked++
      continue
    }
    const { start, rate } = placementFromSeconds(at.startSeconds - (master?.startSeconds ?? 0), at.rate)
    placements[clip.id] = { start, rate, method: 'exchange', verdict: 'sure', confidence: 0.9, why: [{ code: 'exchange', file: from }], locked: false }
  }
  const placed = Object.keys(placements).length
  return { edit: placed > 0 ? { type: 'place', by: 'hand', placements, loose: {} } : null, placed, locked, unknown: said.size - known.size }
}
