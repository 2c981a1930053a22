import type { Flicks } from '../time/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { own } from './ids.ts'
import { clipOf, EditError } from './lookup.ts'
import { groupStripOf, stripOf } from './master.ts'
import type { Recorder } from './recorder.ts'
import { envelopeKey, type MixRange, type ProjectDoc, type Strip } from './types.ts'

/** What changes of a strip; null takes away what need not be there. */
export type StripChange = { [K in keyof Strip]?: undefined extends Strip[K] ? Strip[K] | null : Strip[K] }

/** Points of a level over time; decibels, null takes a point away. */
type LevelPoints = { time: Flicks; gainDb: number | null }[]

export type MixEdit =
  /** The strip of a clip, or of one of its channels. */
  | { type: 'strip'; clipId: string; channel?: string; change: StripChange }
  /** Makes a group, or changes its name or its strip. */
  | { type: 'group'; groupId: string; name?: string; change?: StripChange }
  /** What went to it goes where it would without. */
  | { type: 'removeGroup'; groupId: string }
  /** Sets ranges, those of the same id anew. */
  | { type: 'mixRanges'; ranges: MixRange[] }
  | { type: 'removeMixRanges'; rangeIds: string[] }
  /** Sets points of a level over time. */
  | { type: 'envelope'; clipId: string; channel?: string; points: LevelPoints }
  | { type: 'groupEnvelope'; groupId: string; points: LevelPoints }

export const mixReducers: Reducers<MixEdit> = {
  strip: drafted((doc, { clipId, channel, change }) => {
    clipOf(doc, clipId)
    if (change.group) groupOf(doc, change.group)
    doc.strips[envelopeKey(clipId, channel)] = changed(stripOf(doc, clipId, channel), change)
  }),
  group: drafted((doc, { groupId, name, change }) => {
    doc.groups ??= {}
    const known = own(doc.groups, groupId)
    if (!known && name === undefined) throw new EditError('a new group needs a name')
    if (change?.group) throw new EditError('a group goes to no other group')
    if (change?.repair) throw new EditError('a group is not repaired: repair the recordings that go to it')
    doc.groups[groupId] = { id: groupId, name: name ?? known?.name ?? '' }
    if (change) doc.strips[groupId] = changed(groupStripOf(doc, groupId), change)
  }),
  removeGroup: drafted((doc, { groupId }) => {
    groupOf(doc, groupId)
    if (doc.groups) delete doc.groups[groupId]
    delete doc.strips[groupId]
    delete doc.envelopes[groupId]
    for (const strip of Object.values(doc.strips)) if (strip.group === groupId) delete strip.group
  }),
  mixRanges: (recorder, { ranges }) => {
    for (const range of ranges) {
      clipOf(recorder.doc, range.clipId)
      if (range.to <= range.from) throw new EditError('a range must end after it begins')
      recorder.set(['mixRanges', range.id], range)
    }
  },
  removeMixRanges: (recorder, { rangeIds }) => {
    for (const id of rangeIds) if (own(recorder.doc.mixRanges, id)) recorder.remove(['mixRanges', id])
  },
  envelope: (recorder, { clipId, channel, points }) => {
    clipOf(recorder.doc, clipId)
    setPoints(recorder, envelopeKey(clipId, channel), points)
  },
  groupEnvelope: (recorder, { groupId, points }) => {
    groupOf(recorder.doc, groupId)
    setPoints(recorder, groupId, points)
  },
}

function groupOf(doc: ProjectDoc, id: string): void {
  if (!doc.groups || !own(doc.groups, id)) throw new EditError('there is no such group of sounds')
}

function changed(strip: Strip, change: StripChange): Strip {
  return Object.fromEntries(Object.entries({ ...strip, ...change }).filter(([, value]) => value !== null && value !== undefined)) as unknown as Strip
}

function setPoints(recorder: Recorder, key: string, points: LevelPoints): void {
  if (!own(recorder.doc.envelopes, key)) {
    if (points.every((p) => p.gainDb === null)) return
    recorder.set(['envelopes', key], {})
  }
  for (const { time, gainDb } of points) {
    if (gainDb === null) recorder.remove(['envelopes', key, String(time)])
    else recorder.set(['envelopes', key, String(time)], gainDb)
  }
  if (Object.keys(recorder.doc.envelopes[key]).length === 0) recorder.remove(['envelopes', key])
}
