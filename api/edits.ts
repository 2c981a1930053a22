import { MAGNETS, STAND_INS } from '@pendolo/core/cut'
import { VERDICTS } from '@pendolo/core/lineup'
import { MAX_GAIN_DB, MIN_GAIN_DB } from '@pendolo/core/mix'
import { FRAMINGS } from '@pendolo/core/picture'
import { CLIP_STATES, type Edit, type EditType, HUE_COUNT, isId, MARK_KINDS, METHODS, MOST_TIME, PLACED_BY, POINT_KINDS } from '@pendolo/core/project'
import { SPAN_KINDS } from '@pendolo/core/speech'
import { PROJECT_RATES } from '@pendolo/core/time'
import * as yup from 'yup'

/** Entries of one list or record of an edit. */
const MOST_ENTRIES = 10_000
/** One schema for whatever names something: as a key it must not be what every object has. */
export const id = yup
  .string()
  .test('id', 'an id has 1 to 64 plain characters and is no name that every object has', (text) => text === undefined || text === null || isId(text))
const ids = yup.array(id.required()).max(MOST_ENTRIES).required()
// Not trimmed here: nothing of an edit is changed on its way; core/project trims names.
const name = yup.string().matches(/\S/, 'give it a name').max(120)
const time = yup.number().integer('times are whole flicks').min(-MOST_TIME).max(MOST_TIME)
const hue = yup
  .number()
  .integer()
  .min(0)
  .max(HUE_COUNT - 1)
const angle = yup.object({ id: id.required(), name: name.required(), hue: hue.required(), framing: yup.string().oneOf(FRAMINGS).required() }).noUnknown()
const choice = yup.object({ angleId: id.required(), clipId: id.optional() }).noUnknown()
const placement = yup
  .object({
    start: time.required(),
    rate: yup.number().min(0.1).max(10).required(),
    method: yup.string().oneOf(METHODS).required(),
    verdict: yup.string().oneOf(VERDICTS).required(),
    confidence: yup.number().min(0).max(1).required(),
    why: yup.string().max(500).defined(),
    locked: yup.boolean().required(),
    jumps: yup
      .array(yup.object({ at: time.required(), by: time.required() }).noUnknown().required())
      .max(1000)
      .optional(),
  })
  .noUnknown()
const mark = yup
  .object({
    id: id.required(),
    time: time.required(),
    kind: yup.string().oneOf(MARK_KINDS).required(),
    name: yup.string().max(120).defined(),
    hue: hue.required(),
    end: time.optional(),
    text: yup.string().max(4000).optional(),
    clipId: id.optional(),
    found: yup.boolean().oneOf([true]).optional(),
  })
  .noUnknown()
const stretch = yup.object({ from: time.required(), to: time.required() }).noUnknown()
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

/** A map from clip id to `value`; Yup has no record type, so each entry is checked by hand. */
function recordOf(value: yup.Schema) {
  return yup.lazy((given) => {
    const keys = Object.keys(given && typeof given === 'object' ? given : {})
    const fits = keys.length <= MOST_ENTRIES && keys.every(isId)
    const fields = Object.fromEntries(fits ? keys.map((key) => [key, value]) : [])
    return yup
      .object(fields)
      .required()
      .test('record', `at most ${MOST_ENTRIES} entries, each under the id of a clip`, () => fits)
  })
}

const FIELDS: Record<EditType, yup.ObjectShape> = {
  settings: {
    change: yup
      .object({
        rate: yup.string().oneOf(PROJECT_RATES),
        dropFrame: yup.boolean(),
        width: yup.number().integer().min(64).max(8192),
        height: yup.number().integer().min(64).max(8192),
        startFrame: yup.number().integer().min(0).max(100_000_000),
        magnet: yup.string().oneOf(MAGNETS),
        lead: yup.number().integer().min(-50).max(50),
        standIn: yup.string().oneOf(STAND_INS),
      })
      .noUnknown()
      .required(),
  },
  addClips: {
    angles: yup.array(angle.required()).max(1000).required(),
    clips: yup
      .array(
        yup
          .object({ id: id.required(), fileId: id.required(), angleId: id.nullable().defined(), state: yup.string().oneOf(CLIP_STATES).required() })
          .noUnknown()
          .required(),
      )
      .max(10_000)
      .required(),
  },
  setMaster: { clipId: id.required() },
  renameAngle: { angleId: id.required(), name: name.required() },
  orderAngles: { angleIds: ids },
  moveClips: {
    clipIds: ids,
    angle: yup.lazy((given) =>
      given && typeof given === 'object' && 'name' in given ? angle.required() : yup.object({ id: id.required() }).noUnknown().required(),
    ),
  },
  setAside: { clipIds: ids, aside: yup.boolean().required() },
  frameAngle: { angleId: id.required(), framing: yup.string().oneOf(FRAMINGS).required() },
  place: {
    by: yup.string().oneOf(PLACED_BY).required(),
    placements: recordOf(placement.required()),
    loose: recordOf(yup.string().max(500).defined()),
  },
  nudge: { clipIds: ids, by: time.required() },
  clipPoint: { clipId: id.required(), point: yup.string().oneOf(POINT_KINDS).required(), time: time.nullable().defined() },
  placeByPoint: { clipIds: ids, point: yup.string().oneOf(POINT_KINDS).required() },
  angleDistance: { angleId: id.required(), metres: yup.number().min(0).max(2000).required() },
  lock: { clipIds: ids, locked: yup.boolean().required() },
  accept: { clipIds: ids },
  park: { clipIds: ids, parked: yup.boolean().required() },
  setPulse: { pulse: pulse.nullable().defined() },
  correctPulse: { act: pulseAct.required() },
  addMarks: { marks: yup.array(mark.required()).max(10_000).required() },
  changeMark: {
    markId: id.required(),
    change: yup
      .object({ time, name: yup.string().max(120), kind: yup.string().oneOf(MARK_KINDS), hue, end: time.nullable(), text: yup.string().max(4000) })
      .noUnknown()
      .required(),
  },
  standMarks: { markIds: ids, clipId: id.nullable().defined() },
  removeMarks: { markIds: ids },
  found: {
    kinds: yup.array(yup.string().oneOf(MARK_KINDS).required()).max(MARK_KINDS.length).required(),
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
  strip: {
    clipId: id.required(),
    change: yup
      .object({ on: yup.boolean(), mute: yup.boolean(), solo: yup.boolean(), gainDb: yup.number().min(MIN_GAIN_DB).max(MAX_GAIN_DB) })
      .noUnknown()
      .required(),
  },
}

const SCHEMAS = Object.fromEntries(
  Object.entries(FIELDS).map(([type, fields]) => [
    type,
    yup
      .object({ type: yup.string().required(), ...fields })
      .noUnknown()
      .strict(),
  ]),
) as unknown as Record<EditType, yup.ObjectSchema<yup.AnyObject>>

/** Edits of one request. */
const MOST_EDITS = 1000

/** The outside of a request of edits; each edit has a schema of its own. */
const envelope = yup
  .object({ edits: yup.array().of(yup.mixed().required()).min(1).max(MOST_EDITS).required() })
  .noUnknown()
  .strict()

function schemaOf(edit: unknown): yup.ObjectSchema<yup.AnyObject> {
  const type = edit && typeof edit === 'object' && 'type' in edit ? String(edit.type) : ''
  return Object.hasOwn(SCHEMAS, type) ? SCHEMAS[type as EditType] : yup.object({ type: yup.string().oneOf(Object.keys(SCHEMAS)).required() }).strict()
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
        schema.required().validateSync(value, { abortEarly: false })
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
  return edits as Edit[]
}
