import { MAX_GAIN_DB, MIN_GAIN_DB } from '@pendolo/core/mix'
import type { MixEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { channelName, type Fields, id, ids, length, stretch, time } from './parts.ts'

const gain = yup.number().min(MIN_GAIN_DB).max(MAX_GAIN_DB)
const range = stretch
  .shape({
    id: id.required(),
    clipId: id.required(),
    channel: channelName.optional(),
    on: yup.boolean().required(),
    fadeIn: length.optional(),
    fadeOut: length.optional(),
  })
  .noUnknown()

export const mixFields: Fields<MixEdit> = {
  strip: {
    clipId: id.required(),
    change: yup.object({ on: yup.boolean(), mute: yup.boolean(), solo: yup.boolean(), gainDb: gain }).noUnknown().required(),
  },
  mixRanges: { ranges: yup.array(range.required()).max(10_000).required() },
  removeMixRanges: { rangeIds: ids },
  envelope: {
    clipId: id.required(),
    channel: channelName.optional(),
    points: yup
      .array(yup.object({ time: time.required(), gainDb: gain.nullable().defined() }).noUnknown().required())
      .max(10_000)
      .required(),
  },
}
