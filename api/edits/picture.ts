import {
  BORDER_BOUNDS,
  CURVES,
  CUTOUT_BOUNDS,
  KEY_BOUNDS,
  LOOK_BOUNDS,
  MOST_POINTS,
  PACE_BOUNDS,
  TITLE_ALIGNS,
  TITLE_LETTERS,
  VIGNETTE_BOUNDS,
} from '@pendolo/core/picture'
import { LAYER_KINDS, type PictureEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id, ids, length, stretch } from './parts.ts'

/** Names what a table of colours holds. */
const tableId = yup.string().matches(/^[0-9a-f]{32}$/, 'a table is named by what it holds')
const bounded = ([least, most]: readonly [number, number]) => yup.number().min(least).max(most)
const cutOff = bounded(CUTOUT_BOUNDS.crop).required()
const cutout = yup
  .object({
    x: bounded(CUTOUT_BOUNDS.x).required(),
    y: bounded(CUTOUT_BOUNDS.y).required(),
    scale: bounded(CUTOUT_BOUNDS.scale).required(),
    turn: bounded(CUTOUT_BOUNDS.turn).required(),
    mirrored: yup.boolean().oneOf([true]).optional(),
    crop: yup
      .object({ left: cutOff, top: cutOff, right: cutOff, bottom: cutOff })
      .noUnknown()
      .optional()
      .default(undefined)
      .test('kept', 'a tenth of the picture must stay', (crop) => !crop || (crop.left + crop.right <= 0.9 && crop.top + crop.bottom <= 0.9)),
  })
  .noUnknown()
const vignette = yup
  .object(Object.fromEntries(Object.entries(VIGNETTE_BOUNDS).map(([key, bounds]) => [key, bounded(bounds).required()])))
  .noUnknown()
  .optional()
  .default(undefined)
const numbers = Object.fromEntries(Object.entries(LOOK_BOUNDS).map(([key, bounds]) => [key, bounded(bounds)]))
const curvePoint = yup.tuple([bounded([0, 1]).required(), bounded([0, 1]).required()])
const curve = yup
  .array(curvePoint.required())
  .min(2)
  .max(MOST_POINTS)
  .optional()
  .test('order', 'each point of a curve lies further right than the one before', (list) => !list?.some((p, i) => i > 0 && p[0] <= list[i - 1][0]))
const curves = yup
  .object(Object.fromEntries(CURVES.map((name) => [name, curve])))
  .noUnknown()
  .optional()
  .default(undefined)
const input = yup
  .object({ id: tableId.required(), name: yup.string().min(1).max(200).required() })
  .noUnknown()
  .optional()
  .default(undefined)
const look = yup.object({ input, ...numbers, curves, vignette }).noUnknown()
const exception = stretch
  .shape({
    id: id.required(),
    angleId: id.required(),
    clipId: id.optional(),
    cutout: cutout.optional().default(undefined),
    cutoutTo: cutout.optional().default(undefined),
    look: look.optional().default(undefined),
    lookTo: look.optional().default(undefined),
    pace: yup
      .object({ start: bounded(PACE_BOUNDS).required(), end: bounded(PACE_BOUNDS).required(), blends: yup.boolean().optional() })
      .noUnknown()
      .optional()
      .default(undefined),
  })
  .noUnknown()
const part = yup.number().min(-2).max(2)
const colour = yup.string().matches(/^#[0-9a-f]{6}$/i, 'a colour is written #rrggbb')
const share = yup.number().min(0).max(1)
const edge = yup
  .object({
    round: yup.number().min(0).max(0.5).required(),
    border: yup
      .object({ width: bounded(BORDER_BOUNDS).required(), colour: colour.required() })
      .noUnknown()
      .optional()
      .default(undefined),
    shadow: share.optional(),
  })
  .noUnknown()
const key = yup
  .object({
    colour: colour.required(),
    tolerance: bounded(KEY_BOUNDS.tolerance).required(),
    softness: bounded(KEY_BOUNDS.softness).required(),
    spill: bounded(KEY_BOUNDS.spill).required(),
    exposure: bounded(KEY_BOUNDS.exposure).optional(),
  })
  .noUnknown()
const title = yup
  .object({
    letters: bounded(TITLE_LETTERS).required(),
    colour: colour.required(),
    align: yup.string().oneOf(TITLE_ALIGNS).required(),
    bold: yup.boolean().oneOf([true]).optional(),
    box: yup.object({ colour: colour.required(), share: share.required() }).noUnknown().optional().default(undefined),
    slides: yup.boolean().oneOf([true]).optional(),
    rolls: yup.boolean().oneOf([true]).optional(),
  })
  .noUnknown()
const place = yup.object({ x: part.required(), y: part.required(), width: part.min(0).required(), height: part.min(0).required() }).noUnknown()
const layer = stretch
  .shape({
    id: id.required(),
    kind: yup.string().oneOf(LAYER_KINDS).required(),
    height: yup.number().integer().min(-1000).max(1000).required(),
    place: place.required(),
    placeTo: place.optional().default(undefined),
    angleId: id.optional(),
    fileId: id.optional(),
    text: yup.string().max(4000).optional(),
    title: title.optional().default(undefined),
    edge: edge.optional().default(undefined),
    key: key.optional().default(undefined),
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
