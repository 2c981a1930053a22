import { CUTOUT_BOUNDS, LOOK_BOUNDS, TITLE_ALIGNS, TITLE_LETTERS } from '@pendolo/core/picture'
import { LAYER_KINDS, type PictureEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id, ids, length, stretch } from './parts.ts'

const bounded = ([least, most]: readonly [number, number]) => yup.number().min(least).max(most)
const edge = bounded(CUTOUT_BOUNDS.crop).required()
const cutout = yup
  .object({
    x: bounded(CUTOUT_BOUNDS.x).required(),
    y: bounded(CUTOUT_BOUNDS.y).required(),
    scale: bounded(CUTOUT_BOUNDS.scale).required(),
    turn: bounded(CUTOUT_BOUNDS.turn).required(),
    mirrored: yup.boolean().oneOf([true]).optional(),
    crop: yup
      .object({ left: edge, top: edge, right: edge, bottom: edge })
      .noUnknown()
      .optional()
      .default(undefined)
      .test('kept', 'a tenth of the picture must stay', (crop) => !crop || (crop.left + crop.right <= 0.9 && crop.top + crop.bottom <= 0.9)),
  })
  .noUnknown()
const look = yup.object(Object.fromEntries(Object.entries(LOOK_BOUNDS).map(([key, [least, most]]) => [key, yup.number().min(least).max(most)]))).noUnknown()
const exception = stretch
  .shape({
    id: id.required(),
    angleId: id.required(),
    cutout: cutout.optional().default(undefined),
    cutoutTo: cutout.optional().default(undefined),
    look: look.optional().default(undefined),
  })
  .noUnknown()
const part = yup.number().min(-2).max(2)
const colour = yup.string().matches(/^#[0-9a-f]{6}$/i, 'a colour is written #rrggbb')
const title = yup
  .object({
    letters: bounded(TITLE_LETTERS).required(),
    colour: colour.required(),
    align: yup.string().oneOf(TITLE_ALIGNS).required(),
    bold: yup.boolean().oneOf([true]).optional(),
    box: yup
      .object({ colour: colour.required(), share: yup.number().min(0).max(1).required() })
      .noUnknown()
      .optional()
      .default(undefined),
    slides: yup.boolean().oneOf([true]).optional(),
    rolls: yup.boolean().oneOf([true]).optional(),
  })
  .noUnknown()
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
    title: title.optional().default(undefined),
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
