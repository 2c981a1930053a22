import type { Channel, ChannelLayout } from '../mix/index.ts'
import { type Flicks, flicks } from '../time/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { own } from './ids.ts'
import { clipOf, EditError, named, placementOf } from './lookup.ts'
import { isMaster } from './master.ts'
import { accept, dropUnknownChoices, moveClips, nudge, type Placing, park, place, placeByPoint, setPoint } from './places.ts'
import type { Recorder } from './recorder.ts'
import type { Angle, Clip, PictureException, PointKind, ProjectDoc } from './types.ts'

export type ClipEdit =
  | { type: 'addClips'; angles: Angle[]; clips: Clip[] }
  | { type: 'moveClips'; clipIds: string[]; angle: Angle | { id: string } }
  | { type: 'setAside'; clipIds: string[]; aside: boolean }
  | ({ type: 'place' } & Placing)
  | { type: 'nudge'; clipIds: string[]; by: Flicks }
  | { type: 'clipPoint'; clipId: string; point: PointKind; time: Flicks | null }
  | { type: 'placeByPoint'; clipIds: string[]; point: PointKind }
  | { type: 'lock'; clipIds: string[]; locked: boolean }
  | { type: 'accept'; clipIds: string[] }
  | { type: 'park'; clipIds: string[]; parked: boolean }
  /** The file that is used in the original's place; null goes back to the original. */
  | { type: 'workedFile'; clipId: string; fileId: string | null }
  /** Names of takes by clip; null where it belongs to none. */
  | { type: 'takes'; names: Record<string, string | null> }
  /** Pictures a second as "num/den", where the file says it wrongly; null goes back to what the file says. */
  | { type: 'clipRate'; clipId: string; rate: string | null }
  /** What is said of a channel; null takes back what was said, so that it is as it was found. */
  | { type: 'channel'; clipId: string; channel: string; change: ChannelChange }

interface ChannelChange {
  name?: string | null
  layout?: ChannelLayout | null
  on?: boolean | null
  turned?: boolean | null
  delay?: Flicks | null
}

/** What is seen of a clip in a way of its own goes with it where it is placed elsewhere. */
function following<E>(change: (doc: ProjectDoc, edit: E) => void): (recorder: Recorder, edit: E) => void {
  return drafted<E>((doc, edit) => {
    const own = Object.values(doc.exceptions).filter((e) => e.clipId !== undefined)
    const startOf = (e: PictureException) => doc.placements[e.clipId ?? '']?.start
    const before = own.map(startOf)
    change(doc, edit)
    for (const [i, e] of own.entries()) {
      const [from, to] = [before[i], startOf(e)]
      if (from === undefined || to === undefined || from === to) continue
      e.from = flicks(e.from + to - from)
      e.to = flicks(e.to + to - from)
    }
  })
}

export const clipReducers: Reducers<ClipEdit> = {
  addClips: drafted((doc, { angles, clips }) => addClips(doc, angles, clips)),
  moveClips: (recorder, { clipIds, angle }) => {
    recorder.draft((doc) => moveClips(doc, clipIds, angle))
    dropUnknownChoices(recorder)
  },
  setAside: drafted((doc, { clipIds, aside }) => {
    for (const id of clipIds) {
      clipOf(doc, id).state = aside ? 'aside' : 'in'
      if (aside && isMaster(doc, id)) throw new EditError('the master cannot be set aside; choose another master first')
    }
  }),
  place: following(place),
  nudge: following((doc, { clipIds, by }) => nudge(doc, clipIds, by)),
  clipPoint: drafted((doc, { clipId, point, time }) => setPoint(doc, clipId, point, time)),
  placeByPoint: following((doc, { clipIds, point }) => placeByPoint(doc, clipIds, point)),
  lock: drafted((doc, { clipIds, locked }) => {
    for (const id of clipIds) placementOf(doc, id).locked = locked
  }),
  accept: drafted((doc, { clipIds }) => accept(doc, clipIds)),
  park: drafted((doc, { clipIds, parked }) => park(doc, clipIds, parked)),
  workedFile: drafted((doc, { clipId, fileId }) => {
    const clip = clipOf(doc, clipId)
    if (fileId === null) delete clip.workedFileId
    else clip.workedFileId = fileId
  }),
  takes: drafted((doc, { names }) => {
    for (const [id, name] of Object.entries(names)) {
      const clip = clipOf(doc, id)
      if (name === null) delete clip.take
      else clip.take = named(name, 'a take')
    }
  }),
  clipRate: drafted((doc, { clipId, rate }) => {
    const clip = clipOf(doc, clipId)
    if (rate === null) delete clip.rate
    else clip.rate = rate
  }),
  channel: drafted((doc, { clipId, channel, change }) => {
    const clip = clipOf(doc, clipId)
    const { name, layout, on, turned, delay, ...rest } = { ...own(clip.channels ?? {}, channel), ...change }
    const said: Channel = {
      ...rest,
      ...(name && { name }),
      ...(layout != null && { layout }),
      ...(on != null && { on }),
      ...(turned && { turned }),
      ...(delay && { delay }),
    }
    const { [channel]: _, ...others } = clip.channels ?? {}
    const channels = Object.keys(said).length > 0 ? { ...others, [channel]: said } : others
    if (Object.keys(channels).length > 0) clip.channels = channels
    else delete clip.channels
  }),
}

function addClips(doc: ProjectDoc, angles: readonly Angle[], clips: readonly Clip[]): void {
  const known = new Set(doc.angles.map((a) => a.id))
  const twice = new Set(doc.angles.filter((a) => a.of !== undefined).map((a) => a.id))
  for (const angle of angles) {
    if (known.has(angle.id)) throw new EditError('this angle is in the project already')
    known.add(angle.id)
    doc.angles.push(angle)
  }
  for (const clip of clips) {
    if (own(doc.clips, clip.id)) throw new EditError('this clip is in the project already')
    if (clip.angleId !== null && (!known.has(clip.angleId) || twice.has(clip.angleId)))
      throw new EditError('a clip names an angle that is not in the project, or has no clips of its own')
    doc.clips[clip.id] = clip
  }
}
