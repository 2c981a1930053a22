import { HUE_COUNT, isId, MOST_TIME } from '@pendolo/core/project'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import * as yup from 'yup'

/** Shapes of the edits of a subject, one for each of its types. */
export type Fields<E extends { type: string }> = { readonly [K in E['type']]: yup.ObjectShape }

/** Entries of one list or record of an edit. */
export const MOST_ENTRIES = 10_000
/** One schema for whatever names something: as a key it must not be what every object has. */
export const id = yup
  .string()
  .test('id', 'an id has 1 to 64 plain characters and is no name that every object has', (text) => text === undefined || text === null || isId(text))
export const ids = yup.array(id.required()).max(MOST_ENTRIES).required()
// Not trimmed here: nothing of an edit is changed on its way; core/project trims names.
export const name = yup.string().matches(/\S/, 'give it a name').max(120)
export const time = yup.number().integer('times are whole flicks').min(-MOST_TIME).max(MOST_TIME)
/** A positive length, at most a day. */
export const length = yup
  .number()
  .integer('times are whole flicks')
  .min(1)
  .max(86_400 * FLICKS_PER_SECOND)
export const hue = yup
  .number()
  .integer()
  .min(0)
  .max(HUE_COUNT - 1)
/** Number of a stream and of a channel in it. */
export const channelName = yup.string().matches(/^\d{1,3}\.\d{1,3}$/, 'a channel is named by the numbers of its stream and of itself in it, as 0.1')
/** A half-open range of time. */
export const stretch = yup.object({ from: time.required(), to: time.required() }).noUnknown()

/** A map from clip id to `value`; Yup has no record type, so each entry is checked by hand. */
export function recordOf(value: yup.Schema) {
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

/** Loudness that a film may be brought to, LUFS. */
export const [LEAST_LOUDNESS, MOST_LOUDNESS] = [-40, -6] as const
