import type { PulseEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, stretch, time } from './parts.ts'

/** Parts that each correction of the beats cannot do without. */
const NEEDED = {
  shift: ['by'],
  double: [],
  halve: [],
  clear: ['range'],
  count: ['at', 'metre'],
  drag: ['at', 'to'],
  taps: ['taps', 'lag'],
  lock: ['range'],
  unlock: ['range'],
}
const PULSE_ACTS = Object.keys(NEEDED)
const pulse = yup
  .object({
    tempoBpm: yup.number().min(0).max(1000).required(),
    metre: yup.number().integer().min(1).max(32).required(),
    confidence: yup.number().min(0).max(1).required(),
    beats: yup.array(time.required()).max(200_000).required(),
    downbeats: yup.array(yup.number().integer().min(0).required()).max(200_000).required(),
    locked: yup.array(stretch.required()).max(10_000).optional(),
    clarity: yup.array(yup.number().min(0).max(1).required()).max(200_000).optional(),
    clarityStep: yup.number().min(0.01).max(60).optional(),
    clarityFrom: time.optional(),
    heard: yup
      .string()
      .matches(/^[\da-f]{1,64}$/)
      .optional(),
    hits: yup.array(time.required()).max(500_000).optional(),
  })
  .noUnknown()
const pulseAct = yup
  .object({
    do: yup.string().oneOf(PULSE_ACTS).required(),
    by: time.optional(),
    at: time.optional(),
    to: time.optional(),
    lag: time.optional(),
    metre: yup.number().integer().min(1).max(16).optional(),
    taps: yup.array(time.required()).max(5000).optional(),
    range: stretch.optional().default(undefined),
  })
  .noUnknown()
  .test(
    'whole',
    'this correction of the beats lacks a part',
    (act) => Object.hasOwn(NEEDED, act.do) && NEEDED[act.do as keyof typeof NEEDED].every((part) => act[part as keyof typeof act] !== undefined),
  )

export const pulseFields: Fields<PulseEdit> = {
  setPulse: { pulse: pulse.nullable().defined() },
  correctPulse: { act: pulseAct.required() },
}
