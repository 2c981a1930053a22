import { MAX_GAIN_DB, MIN_GAIN_DB } from '@pendolo/core/mix'
import type { MixEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id } from './parts.ts'

export const mixFields: Fields<MixEdit> = {
  strip: {
    clipId: id.required(),
    change: yup
      .object({ on: yup.boolean(), mute: yup.boolean(), solo: yup.boolean(), gainDb: yup.number().min(MIN_GAIN_DB).max(MAX_GAIN_DB) })
      .noUnknown()
      .required(),
  },
}
