import { TRANSITION_KINDS } from '@pendolo/core/cut'
import type { CutEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id, length, name, time } from './parts.ts'

const transition = yup.object({ kind: yup.string().oneOf(TRANSITION_KINDS).required(), length: length.required() }).noUnknown()
const choice = yup.object({ angleId: id.required(), clipId: id.optional(), transition: transition.optional().default(undefined) }).noUnknown()

export const cutFields: Fields<CutEdit> = {
  choose: { cutId: id.required(), time: time.required(), choice: choice.required(), since: time.optional() },
  reassign: { cutId: id.required(), time: time.required(), choice: choice.required() },
  paint: { cutId: id.required(), from: time.required(), to: time.required(), choice: choice.required() },
  roll: { cutId: id.required(), time: time.required(), to: time.required() },
  join: { cutId: id.required(), time: time.required() },
  addCut: { cutId: id.required(), name: name.required(), from: id.nullable().defined() },
  renameCut: { cutId: id.required(), name: name.required() },
  removeCut: { cutId: id.required() },
  activeCut: { cutId: id.required() },
  transition: { cutId: id.required(), time: time.required(), transition: transition.nullable().defined() },
}
