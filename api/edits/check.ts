import { EDIT_TYPES, type Edit } from '@pendolo/core/project'
import * as yup from 'yup'
import { angleFields } from './angles.ts'
import { clipFields, withFactsOfToday } from './clips.ts'
import { cutFields } from './cut.ts'
import { markFields, withKindsOfToday } from './marks.ts'
import { masterFields } from './master.ts'
import { mixFields } from './mix.ts'
import { type Fields, MOST_ENTRIES } from './parts.ts'
import { pictureFields } from './picture.ts'
import { programmeFields } from './programme.ts'
import { pulseFields } from './pulse.ts'
import { settingsFields } from './settings.ts'

/** One drawer a subject, as in core/project. */
const FIELDS: Fields<Edit> = {
  ...settingsFields,
  ...clipFields,
  ...masterFields,
  ...angleFields,
  ...pulseFields,
  ...markFields,
  ...cutFields,
  ...programmeFields,
  ...mixFields,
  ...pictureFields,
}

const SCHEMAS: ReadonlyMap<string, yup.ObjectSchema<yup.AnyObject>> = new Map(
  EDIT_TYPES.map((type) => [
    type,
    yup
      .object({ type: yup.string().required(), ...FIELDS[type] })
      .noUnknown()
      .strict()
      .required(),
  ]),
)

/** Edits of one request. */
const MOST_EDITS = 1000

/** The outside of a request of edits; each edit has a schema of its own. */
const envelope = yup
  .object({ edits: yup.array().of(yup.mixed().required()).min(1).max(MOST_EDITS).required() })
  .noUnknown()
  .strict()

/** Of what has no type that is known. */
const UNKNOWN = yup
  .object({ type: yup.string().oneOf(EDIT_TYPES).required() })
  .strict()
  .required()

function schemaOf(edit: unknown): yup.ObjectSchema<yup.AnyObject> {
  const type = edit && typeof edit === 'object' && 'type' in edit ? String(edit.type) : ''
  return SCHEMAS.get(type) ?? UNKNOWN
}

/** Entries of a long list that are checked in one go. */
const AT_ONCE = 100

/** Faults that are told of one piece. */
const MOST_TOLD = 20

type Path = readonly string[]

/** Lists in an edit, or in an object of it, that are too long to be checked in one go. */
function longLists(edit: Record<string, unknown>): { path: Path; list: readonly unknown[] }[] {
  const inside = (value: unknown, path: Path): { path: Path; list: readonly unknown[] }[] => {
    if (Array.isArray(value)) return value.length > AT_ONCE ? [{ path, list: value }] : []
    if (path.length >= 2 || typeof value !== 'object' || value === null) return []
    return Object.entries(value).flatMap(([key, below]) => inside(below, [...path, key]))
  }
  return inside(edit, [])
}

function withLists(edit: Record<string, unknown>, lists: readonly { path: Path; list: readonly unknown[] }[]): Record<string, unknown> {
  const out = { ...edit }
  for (const { path, list } of lists) {
    const [first, second] = path
    if (second === undefined) out[first] = list
    else out[first] = { ...(out[first] as object), [second]: list }
  }
  return out
}

/** The greatest length that a schema allows a list. */
function mostOf(schema: yup.ObjectSchema<yup.AnyObject>, path: Path): number {
  const found = yup.reach(schema, path.join('.')) as yup.Schema
  const max = found.describe({}).type === 'array' ? (found.describe({}) as yup.SchemaInnerTypeDescription).tests.find((t) => t.name === 'max') : undefined
  return Number(max?.params?.max ?? MOST_ENTRIES)
}

/**
 * Checks the body of a request of edits. Long lists are checked piece by piece, and others get their turn in between.
 * @param rest called between pieces: may wait until others had their turn
 * @throws yup.ValidationError with all that is wrong in the first edit, or the first piece of one, that is not right
 */
export async function checkEdits(body: unknown, rest: () => Promise<void>): Promise<Edit[]> {
  const { edits } = envelope.validateSync(body ?? {}, { abortEarly: false })
  for (const [n, edit] of edits.entries()) {
    const schema = schemaOf(edit)
    const check = (value: unknown, from: number) => {
      try {
        schema.validateSync(value, { abortEarly: false })
      } catch (error) {
        if (!(error instanceof yup.ValidationError)) throw error
        const placed = error.errors.map((words) => words.replace(/\[(\d+)\]/, (_, at) => `[${Number(at) + from}]`))
        const words = [...new Set(placed)].slice(0, MOST_TOLD).join('; ')
        throw new yup.ValidationError(edits.length > 1 ? `edit ${n + 1}: ${words}` : words)
      }
    }
    const lists = edit && typeof edit === 'object' ? longLists(edit as Record<string, unknown>) : []
    if (lists.length === 0) check(edit, 0)
    else {
      for (const { path, list } of lists)
        if (Object.hasOwn(schema.fields, path[0]) && list.length > mostOf(schema, path))
          throw new yup.ValidationError(`${path.join('.')} has more than ${mostOf(schema, path)} entries`)
      const longest = Math.max(...lists.map((l) => l.list.length))
      for (let at = 0; at < longest; at += AT_ONCE) {
        const pieces = lists.map(({ path, list }) => ({ path, list: list.slice(at, at + AT_ONCE) }))
        check(withLists(edit as Record<string, unknown>, pieces), at)
        await rest()
      }
    }
    await rest()
  }
  return (edits as Edit[]).map((edit) => withFactsOfToday(withKindsOfToday(edit)))
}
