import type { ProgrammeEdit } from '@pendolo/core/project'
import * as yup from 'yup'
import { type Fields, id, length, time } from './parts.ts'

const text = yup.string().max(1000)
const fade = length.optional()
const ends = { from: time.nullable().defined(), to: time.nullable().defined() }
const PIECES = {
  range: yup.object({ id: id.required(), kind: yup.string().required(), fade, ...ends }).noUnknown(),
  version: yup.object({ id: id.required(), kind: yup.string().required(), fade, cutId: id.required(), ...ends }).noUnknown(),
  card: yup.object({ id: id.required(), kind: yup.string().required(), fade, length: length.required(), text: text.optional() }).noUnknown(),
}
const unknownPiece = yup.object({ kind: yup.string().oneOf(Object.keys(PIECES)).required() })
const piece = yup.lazy((given) => {
  const kind = given && typeof given === 'object' && 'kind' in given ? String(given.kind) : ''
  return (Object.hasOwn(PIECES, kind) ? PIECES[kind as keyof typeof PIECES] : unknownPiece).required()
})

const range = { cutId: id.required(), from: time.required(), to: time.required() }

export const programmeFields: Fields<ProgrammeEdit> = {
  keep: { start: time.nullable().optional(), end: time.nullable().optional(), cutId: id.optional() },
  leaveOut: range,
  bringBack: range,
  wholeMaster: { cutId: id.required() },
  addPiece: { cutId: id.required(), piece, before: id.nullable().defined() },
  changePiece: {
    cutId: id.required(),
    pieceId: id.required(),
    change: yup.object({ from: time.nullable(), to: time.nullable(), length, text: text.nullable(), fade: length.nullable() }).noUnknown().required(),
  },
  movePiece: { cutId: id.required(), pieceId: id.required(), before: id.nullable().defined() },
  removePiece: { cutId: id.required(), pieceId: id.required() },
}
