import { type Edit, MARK_KINDS, type MarkEdit } from '@pendolo/core/project'
import { SPAN_KINDS } from '@pendolo/core/speech'
import * as yup from 'yup'
import { type Fields, hue, id, ids, stretch, time } from './parts.ts'

/** Parts were called sections once; scripts that say so go on being understood. */
const KINDS = [...MARK_KINDS, 'section'] as const

/** Marks with the kinds of today. */
export function withKindsOfToday(edit: Edit): Edit {
  const today = <T extends { kind?: string }>(one: T): T => (one.kind === 'section' ? { ...one, kind: 'part' } : one)
  if (edit.type === 'addMarks') return { ...edit, marks: edit.marks.map(today) }
  if (edit.type === 'changeMark') return { ...edit, change: today(edit.change) }
  if (edit.type === 'found') return { ...edit, kinds: edit.kinds.map((kind) => today({ kind }).kind), marks: edit.marks.map(today) }
  return edit
}

const mark = yup
  .object({
    id: id.required(),
    time: time.required(),
    kind: yup.string().oneOf(KINDS).required(),
    name: yup.string().max(120).defined(),
    hue: hue.required(),
    end: time.optional(),
    text: yup.string().max(4000).optional(),
    clipId: id.optional(),
    found: yup.boolean().oneOf([true]).optional(),
  })
  .noUnknown()

export const markFields: Fields<MarkEdit> = {
  addMarks: { marks: yup.array(mark.required()).max(10_000).required() },
  changeMark: {
    markId: id.required(),
    change: yup
      .object({ time, name: yup.string().max(120), kind: yup.string().oneOf(KINDS), hue, end: time.nullable(), text: yup.string().max(4000) })
      .noUnknown()
      .required(),
  },
  standMarks: { markIds: ids, clipId: id.nullable().defined() },
  removeMarks: { markIds: ids },
  found: {
    kinds: yup.array(yup.string().oneOf(KINDS).required()).max(KINDS.length).required(),
    marks: yup.array(mark.required()).max(20_000).required(),
    spans: yup
      .array(
        stretch
          .shape({ kind: yup.string().oneOf(SPAN_KINDS).required() })
          .noUnknown()
          .required(),
      )
      .max(100_000)
      .optional(),
  },
}
