import type { ProjectState } from '@pendolo/api'
import { clockOf } from '@pendolo/core/project'
import { mediaUrl } from '../data/client.ts'
import type { PlaySound } from '../playback/types.ts'

/** Both sounds together, the master a little left and the clip a little right: a flam is heard as two strokes. */
export function flamSounds(project: ProjectState, clipId: string): PlaySound[] {
  const { doc, files } = project
  return [clockOf(doc), clipId].flatMap((id, side) => {
    const placement = id ? doc.placements[id] : undefined
    const file = id ? files.find((f) => f.id === doc.clips[id]?.fileId) : undefined
    if (!id || !placement || !file?.ready.sound) return []
    return [{ clipId: id, url: mediaUrl(file.contentKey, 'sound'), map: placement, gain: side === 0 ? 0.7 : 1, pan: side === 0 ? -0.5 : 0.5 }]
  })
}
