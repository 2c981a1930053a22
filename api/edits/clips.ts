import { inWords, isWhy, VERDICTS, type Why } from '@pendolo/core/lineup'
import { CHANNEL_LAYOUTS } from '@pendolo/core/mix'
import { CLIP_STATES, type ClipEdit, type Edit, METHODS, PLACED_BY, POINT_KINDS } from '@pendolo/core/project'
import { PROJECT_RATES } from '@pendolo/core/time'
import * as yup from 'yup'
import { angle } from './angles.ts'
import { channelName, type Fields, id, ids, name, recordOf, time } from './parts.ts'

const rate = yup.string().test('rate', 'no frame rate that a project can have', (text) => text == null || PROJECT_RATES.some((r) => r === text))
/** Facts, or words: those of scripts that know no facts. */
const why = yup.mixed<Why>((value): value is Why => isWhy(value) || (typeof value === 'string' && value.length <= 500))

/** Places with facts as reasons, as they are kept today. */
export function withFactsOfToday(edit: Edit): Edit {
  if (edit.type !== 'place') return edit
  const today = (given: Why | string): Why => (typeof given === 'string' ? inWords(given) : given)
  const placements = Object.entries(edit.placements).map(([clipId, placement]) => [clipId, { ...placement, why: today(placement.why) }])
  const loose = Object.entries(edit.loose).map(([clipId, given]) => [clipId, today(given)])
  return { ...edit, placements: Object.fromEntries(placements), loose: Object.fromEntries(loose) }
}

const placement = yup
  .object({
    start: time.required(),
    rate: yup.number().min(0.1).max(10).required(),
    method: yup.string().oneOf(METHODS).required(),
    verdict: yup.string().oneOf(VERDICTS).required(),
    confidence: yup.number().min(0).max(1).required(),
    why: why.required(),
    locked: yup.boolean().required(),
    jumps: yup
      .array(yup.object({ at: time.required(), by: time.required() }).noUnknown().required())
      .max(1000)
      .optional(),
  })
  .noUnknown()

export const clipFields: Fields<ClipEdit> = {
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
  moveClips: {
    clipIds: ids,
    angle: yup.lazy((given) =>
      given && typeof given === 'object' && 'name' in given ? angle.required() : yup.object({ id: id.required() }).noUnknown().required(),
    ),
  },
  setAside: { clipIds: ids, aside: yup.boolean().required() },
  place: {
    by: yup.string().oneOf(PLACED_BY).required(),
    placements: recordOf(placement.required()),
    loose: recordOf(why.required()),
    proofs: yup.lazy((given) => (given === undefined ? yup.mixed().optional() : recordOf(id.required()))),
  },
  nudge: { clipIds: ids, by: time.required() },
  clipPoint: { clipId: id.required(), point: yup.string().oneOf(POINT_KINDS).required(), time: time.nullable().defined() },
  placeByPoint: { clipIds: ids, point: yup.string().oneOf(POINT_KINDS).required() },
  lock: { clipIds: ids, locked: yup.boolean().required() },
  accept: { clipIds: ids },
  park: { clipIds: ids, parked: yup.boolean().required() },
  takes: { names: recordOf(name.nullable().defined()) },
  workedFile: { clipId: id.required(), fileId: id.nullable().defined() },
  clipRate: {
    clipId: id.required(),
    rate: rate.nullable().defined(),
  },
  channel: {
    clipId: id.required(),
    channel: channelName.required(),
    change: yup
      .object({
        name: yup.string().max(120).nullable(),
        layout: yup
          .string()
          .nullable()
          .test('layout', 'no layout of a channel', (text) => text == null || CHANNEL_LAYOUTS.some((l) => l === text)),
        on: yup.boolean().nullable(),
        turned: yup.boolean().nullable(),
        delay: time.nullable(),
      })
      .noUnknown()
      .required(),
  },
}
