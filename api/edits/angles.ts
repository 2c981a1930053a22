import { FRAMINGS } from '@pendolo/core/picture'
import type { AngleEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, hue, id, ids, name } from './parts.ts'

export const angle = yup.object({ id: id.required(), name: name.required(), hue: hue.required(), framing: yup.string().oneOf(FRAMINGS).required() }).noUnknown()

export const angleFields: Fields<AngleEdit> = {
  renameAngle: { angleId: id.required(), name: name.required() },
  orderAngles: { angleIds: ids },
  sideAngle: {
    angleId: id.required(),
    side: yup
      .string<'left' | 'right'>()
      .nullable()
      .defined()
      .test('side', 'left, right or neither', (s) => s === null || s === 'left' || s === 'right'),
  },
  colourAngle: { angleId: id.required(), hue: hue.required() },
  frameAngle: { angleId: id.required(), framing: yup.string().oneOf(FRAMINGS).required() },
  seeTwice: { angleId: id.required(), id: id.required(), name: name.required() },
  seeOnce: { angleId: id.required() },
  angleDistance: { angleId: id.required(), metres: yup.number().min(0).max(2000).required() },
}
