import { MAGNETS, STAND_INS } from '@pendolo/core/cut'
import type { SettingsEdit } from '@pendolo/core/project'
import { PROJECT_RATES } from '@pendolo/core/time'
import * as yup from 'yup'
import { type Fields, id, LEAST_LOUDNESS, MOST_LOUDNESS } from './parts.ts'

export const settingsFields: Fields<SettingsEdit> = {
  settings: {
    change: yup
      .object({
        rate: yup.string().oneOf(PROJECT_RATES),
        dropFrame: yup.boolean(),
        width: yup.number().integer().min(64).max(8192),
        height: yup.number().integer().min(64).max(8192),
        startFrame: yup.number().integer().min(0).max(100_000_000),
        magnet: yup.string().oneOf(MAGNETS),
        waits: yup.boolean(),
        lead: yup.number().integer().min(-50).max(50),
        safeAngle: id.optional(),
        shortest: yup.number().integer().min(0).max(1000),
        loudness: yup.number().min(LEAST_LOUDNESS).max(MOST_LOUDNESS).nullable(),
        lossless: yup.boolean(),
        standIn: yup.string().oneOf(STAND_INS),
      })
      .noUnknown()
      .required(),
  },
}
