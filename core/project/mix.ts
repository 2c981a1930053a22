import type { Flicks } from '../time/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { own } from './ids.ts'
import { clipOf, EditError } from './lookup.ts'
import { stripOf } from './master.ts'
import { envelopeKey, type MixRange, type Strip } from './types.ts'

export type MixEdit =
  | { type: 'strip'; clipId: string; change: Partial<Strip> }
  /** Sets ranges, those of the same id anew. */
  | { type: 'mixRanges'; ranges: MixRange[] }
  | { type: 'removeMixRanges'; rangeIds: string[] }
  /** Sets points of a level over time; decibels, null takes a point away. */
  | { type: 'envelope'; clipId: string; channel?: string; points: { time: Flicks; gainDb: number | null }[] }

export const mixReducers: Reducers<MixEdit> = {
  strip: drafted((doc, { clipId, change }) => {
    clipOf(doc, clipId)
    doc.strips[clipId] = { ...stripOf(doc, clipId), ...change }
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
    const key = envelopeKey(clipId, channel)
    if (!own(recorder.doc.envelopes, key)) {
      if (points.every((p) => p.gainDb === null)) return
      recorder.set(['envelopes', key], {})
    }
    for (const { time, gainDb } of points) {
      if (gainDb === null) recorder.remove(['envelopes', key, String(time)])
      else recorder.set(['envelopes', key, String(time)], gainDb)
    }
    if (Object.keys(recorder.doc.envelopes[key]).length === 0) recorder.remove(['envelopes', key])
  },
}
