import { LOOK_BOUNDS } from '@pendolo/core/picture'
import { LAYER_KINDS, type PictureEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id, ids, length, stretch } from './parts.ts'

const shift = yup.number().min(-2).max(2)
const cutout = yup
  .object({
    x: shift.required(),
    y: shift.required(),
    scale: yup.number().min(0.1).max(10).required(),
    turn: yup.number().min(-180).max(180).required(),
    mirrored: yup.boolean().oneOf([true]).optional(),
  })
  .noUnknown()
const look = yup.object(Object.fromEntries(Object.entries(LOOK_BOUNDS).map(([key, [least, most]]) => [key, yup.number().min(least).max(most)]))).noUnknown()
const exception = stretch
  .shape({ id: id.required(), angleId: id.required(), cutout: cutout.optional().default(undefined), look: look.optional().default(undefined) })
  .noUnknown()
const part = yup.number().min(-2).max(2)
const layer = stretch
  .shape({
    id: id.required(),
    kind: yup.string().oneOf(LAYER_KINDS).required(),
    height: yup.number().integer().min(-1000).max(1000).required(),
    place: yup
      .object({ x: part.required(), y: part.required(), width: part.min(0).required(), height: part.min(0).required() })
      .noUnknown()
      .required(),
    angleId: id.optional(),
    fileId: id.optional(),
    text: yup.string().max(4000).optional(),
    fadeIn: length.optional(),
    fadeOut: length.optional(),
  })
  .noUnknown()

export const pictureFields: Fields<PictureEdit> = {
  seeAngle: { angleId: id.required(), cutout: cutout.nullable().optional().default(undefined), look: look.nullable().optional().default(undefined) },
  exceptions: { exceptions: yup.array(exception.required()).max(10_000).required() },
  removeExceptions: { exceptionIds: ids },
  layers: { cutId: id.required(), layers: yup.array(layer.required()).max(10_000).required() },
  removeLayers: { cutId: id.required(), layerIds: ids },
}
