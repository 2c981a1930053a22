import { BAND_KINDS, MAX_GAIN_DB, MIN_GAIN_DB, MOST_BANDS, MOST_HARMONICS, NOISE_BANDS } from '@pendolo/core/mix'
import type { MixEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { channelName, type Fields, id, ids, length, name, stretch, time } from './parts.ts'

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

const threshold = yup.number().min(-100).max(0)
const milliseconds = yup.number().min(0).max(5000)

const band = yup
  .object({
    kind: yup.string().oneOf(BAND_KINDS).required(),
    hz: yup.number().min(20).max(20_000).required(),
    gainDb: yup.number().min(-24).max(24).required(),
    q: yup.number().min(0.1).max(20).required(),
  })
  .noUnknown()
const gate = yup
  .object({
    thresholdDb: threshold.required(),
    rangeDb: yup.number().min(0).max(100).required(),
    attackMs: milliseconds.required(),
    holdMs: milliseconds.required(),
    releaseMs: milliseconds.required(),
  })
  .noUnknown()
const compressor = yup
  .object({
    thresholdDb: threshold.required(),
    ratio: yup.number().min(1).max(50).required(),
    kneeDb: yup.number().min(0).max(40).required(),
    attackMs: milliseconds.required(),
    releaseMs: milliseconds.required(),
    makeupDb: yup.number().min(0).max(40).required(),
  })
  .noUnknown()

const on = yup.boolean().required()
const part = (fields: Record<string, yup.Schema>) =>
  yup
    .object({ on, ...fields })
    .noUnknown()
    .optional()
    .default(undefined)
const repair = yup
  .object({
    hum: part({ hz: yup.number().min(40).max(70).required(), harmonics: yup.number().integer().min(1).max(MOST_HARMONICS).required() }),
    clicks: part({ sensitivity: yup.number().min(0).max(100).required() }),
    wind: part({ hz: yup.number().min(40).max(500).required() }),
    noise: part({
      reductionDb: yup.number().min(0).max(40).required(),
      bandsDb: yup.array(yup.number().min(-200).max(100).required()).length(NOISE_BANDS).required(),
    }),
  })
  .noUnknown()

const strip = yup
  .object({
    on: yup.boolean(),
    mute: yup.boolean(),
    solo: yup.boolean(),
    gainDb: gain,
    pan: yup.number().min(-1).max(1).nullable(),
    group: id.nullable(),
    repair: repair.nullable().default(undefined),
    highPassHz: yup.number().min(10).max(2000).nullable(),
    bands: yup.array(band.required()).max(MOST_BANDS).nullable(),
    gate: gate.nullable().default(undefined),
    compressor: compressor.nullable().default(undefined),
  })
  .noUnknown()

const points = yup
  .array(yup.object({ time: time.required(), gainDb: gain.nullable().defined() }).noUnknown().required())
  .max(10_000)
  .required()

export const mixFields: Fields<MixEdit> = {
  strip: { clipId: id.required(), channel: channelName.optional(), change: strip.required() },
  group: { groupId: id.required(), name: name.optional(), change: strip.optional().default(undefined) },
  removeGroup: { groupId: id.required() },
  mixRanges: { ranges: yup.array(range.required()).max(10_000).required() },
  removeMixRanges: { rangeIds: ids },
  envelope: { clipId: id.required(), channel: channelName.optional(), points },
  groupEnvelope: { groupId: id.required(), points },
}
