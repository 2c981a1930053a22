import type { Cutout, Look } from '../picture/index.ts'
import { drafted, type Reducers } from './drawer.ts'
import { own } from './ids.ts'
import { angleOf, clipOf, cutOf, EditError } from './lookup.ts'
import type { Layer, PictureException } from './types.ts'

export type PictureEdit =
  /** What is seen of an angle's pictures, and how they are corrected; null goes back to none. */
  | { type: 'seeAngle'; angleId: string; cutout?: Cutout | null; look?: Look | null }
  /** Sets exceptions for stretches, those of the same id anew. */
  | { type: 'exceptions'; exceptions: PictureException[] }
  | { type: 'removeExceptions'; exceptionIds: string[] }
  /** Sets layers of a version, those of the same id anew. */
  | { type: 'layers'; cutId: string; layers: Layer[] }
  | { type: 'removeLayers'; cutId: string; layerIds: string[] }

/** What a layer of each kind cannot do without. */
const SHOWS = { inset: 'angleId', background: 'angleId', still: 'fileId', title: 'text' } as const

export const pictureReducers: Reducers<PictureEdit> = {
  seeAngle: drafted((doc, { angleId, cutout, look }) => {
    const angle = angleOf(doc, angleId)
    if (cutout === null) delete angle.cutout
    else if (cutout !== undefined) angle.cutout = cutout
    if (look === null) delete angle.look
    else if (look !== undefined) angle.look = look
  }),
  exceptions: (recorder, { exceptions }) => {
    for (const one of exceptions) {
      angleOf(recorder.doc, one.angleId)
      if (one.clipId !== undefined) clipOf(recorder.doc, one.clipId)
      if (one.to <= one.from) throw new EditError('a stretch must end after it begins')
      if (one.cutoutTo && !one.cutout) throw new EditError('a move needs a framing that it begins with')
      if (one.lookTo && !one.look) throw new EditError('a look that changes needs one that it begins with')
      recorder.set(['exceptions', one.id], one)
    }
  },
  removeExceptions: (recorder, { exceptionIds }) => {
    for (const id of exceptionIds) if (own(recorder.doc.exceptions, id)) recorder.remove(['exceptions', id])
  },
  layers: (recorder, { cutId, layers }) => {
    for (const layer of layers) {
      if (layer.to <= layer.from) throw new EditError('a layer must end after it begins')
      if (layer[SHOWS[layer.kind]] === undefined) throw new EditError('this layer lacks what it is to show')
      if (layer.angleId !== undefined) angleOf(recorder.doc, layer.angleId)
      recorder.set(['cuts', recorder.doc.cuts.indexOf(cutOf(recorder.doc, cutId)), 'layers', layer.id], layer)
    }
  },
  removeLayers: (recorder, { cutId, layerIds }) => {
    const cut = cutOf(recorder.doc, cutId)
    for (const id of layerIds) if (own(cut.layers, id)) recorder.remove(['cuts', recorder.doc.cuts.indexOf(cutOf(recorder.doc, cutId)), 'layers', id])
  },
}
