import { own } from './ids.ts'
import type { Angle, Clip, Cut, Placement, ProjectDoc } from './types.ts'

/** An edit that does not fit the project as it is now; the message is for people. */
export class EditError extends Error {
  readonly code = 'edit'
}

export function clipOf(doc: ProjectDoc, id: string): Clip {
  const clip = own(doc.clips, id)
  if (!clip) throw new EditError('this clip is not in the project')
  return clip
}

export function angleOf(doc: ProjectDoc, id: string): Angle {
  const angle = doc.angles.find((a) => a.id === id)
  if (!angle) throw new EditError('this angle is not in the project')
  return angle
}

export function placementOf(doc: ProjectDoc, id: string): Placement {
  const placement = own(doc.placements, id)
  if (!placement) throw new EditError('this clip has no place yet')
  return placement
}

export function cutOf(doc: ProjectDoc, id: string): Cut {
  const cut = doc.cuts.find((c) => c.id === id)
  if (!cut) throw new EditError('this version of the cut is gone')
  return cut
}

export function named(name: string, what: string): string {
  const clean = name.trim()
  if (clean === '') throw new EditError(`${what} needs a name`)
  return clean.slice(0, 120)
}
