import type { ProjectState } from '@pendolo/api'
import { panned } from '@pendolo/core/mix'
import { clockOf } from '@pendolo/core/project'
import { mediaUrl } from '../data/client.ts'
import { plainSounds } from '../playback/model.ts'
import type { PlaySounds } from '../playback/types.ts'

/** Both sounds together, the master a little left and the clip a little right: a flam is heard as two strokes. */
export function flamSounds(project: ProjectState, clipId: string): PlaySounds {
  const { doc, files } = project
  const both = [clockOf(doc), clipId].flatMap((id, side) => {
    const map = id ? doc.placements[id] : undefined
    const file = id ? files.find((f) => f.id === doc.clips[id]?.fileId) : undefined
    if (!id || !map || !file?.ready.sound) return []
    const [left, right] = panned(side === 0 ? -0.5 : 0.5).map((x) => (side === 0 ? 0.7 : 1) * x)
    return [{ input: { clipId: id, url: mediaUrl(file.contentKey, 'sound'), map, from: null }, left, right }]
  })
  return plainSounds(both)
}
