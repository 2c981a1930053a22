import { drafted, type Reducers } from './drawer.ts'
import { own } from './ids.ts'
import { clipOf } from './lookup.ts'
import { DEFAULT_STRIP, type Strip } from './types.ts'

export type MixEdit = { type: 'strip'; clipId: string; change: Partial<Strip> }

export const mixReducers: Reducers<MixEdit> = {
  strip: drafted((doc, { clipId, change }) => {
    clipOf(doc, clipId)
    doc.strips[clipId] = { ...(own(doc.strips, clipId) ?? { ...DEFAULT_STRIP, on: clipId === doc.masterClipId }), ...change }
  }),
}
