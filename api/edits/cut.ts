import { TRANSITION_KINDS } from '@pendolo/core/cut'
import type { CutEdit } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import * as yup from 'yup'
import { type Fields, id, length, MOST_ENTRIES, name, time } from './parts.ts'

const transition = yup.object({ kind: yup.string().oneOf(TRANSITION_KINDS).required(), length: length.required() }).noUnknown()
/** Up to a minute, flicks. */
const fade = yup
  .number()
  .integer()
  .min(0)
  .max(60 * FLICKS_PER_SECOND)
const choice = yup.object({ angleId: id.required(), clipId: id.optional(), transition: transition.optional().default(undefined) }).noUnknown()

const times = yup.array(time.required()).max(MOST_ENTRIES).required()
const range = { cutId: id.required(), from: time.required(), to: time.required() }

export const cutFields: Fields<CutEdit> = {
  choose: { cutId: id.required(), time: time.required(), choice: choice.required(), since: time.optional() },
  paint: { cutId: id.required(), from: time.required(), to: time.required(), choice: choice.required() },
  join: { cutId: id.required(), times },
  split: { cutId: id.required(), time: time.required() },
  reassign: { cutId: id.required(), times, choice: choice.required() },
  swap: { cutId: id.required(), a: time.required(), b: time.required() },
  slide: { cutId: id.required(), time: time.required(), by: time.required() },
  roll: { cutId: id.required(), times, by: time.required() },
  alternate: { ...range, borders: times, choices: yup.array(choice.required()).max(100).required() },
  replaceAngle: { ...range, angleId: id.required(), choice: choice.required() },
  copyPattern: { ...range, beats: yup.number().integer().optional(), by: time.optional() },
  takeOver: { ...range, otherId: id.required() },
  giveWay: range,
  endPass: { ...range, back: choice.nullable().defined() },
  noteCut: { cutId: id.required(), note: yup.string().max(5000).defined() },
  acceptWarning: {
    cutId: id.required(),
    key: yup
      .string()
      .matches(/^[a-z-]+:-?[\w-]{1,60}$/, 'a warning is named by its kind and place')
      .required(),
    accepted: yup.boolean().required(),
  },
  addCut: { cutId: id.required(), name: name.required(), from: id.nullable().defined() },
  renameCut: { cutId: id.required(), name: name.required() },
  removeCut: { cutId: id.required() },
  activeCut: { cutId: id.required() },
  endFades: { cutId: id.required(), fadeIn: fade.optional(), fadeOut: fade.optional() },
  transition: { cutId: id.required(), time: time.required(), transition: transition.nullable().defined() },
}
