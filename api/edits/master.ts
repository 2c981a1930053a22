import { MASTER_JOINS, type MasterEdit } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import * as yup from 'yup'
import { type Fields, id } from './parts.ts'

export const masterFields: Fields<MasterEdit> = {
  setMaster: { clipId: id.required() },
  masters: {
    clipIds: yup.array(id.required()).max(64).required(),
    join: yup.string().oneOf(MASTER_JOINS).optional(),
    fade: yup
      .number()
      .integer()
      .min(0)
      .max(60 * FLICKS_PER_SECOND)
      .optional(),
  },
}
