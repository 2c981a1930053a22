import type { CutEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id, name, time } from './parts.ts'

const choice = yup.object({ angleId: id.required(), clipId: id.optional() }).noUnknown()

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
  keep: { start: time.nullable().optional(), end: time.nullable().optional() },
}
