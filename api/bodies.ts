import { FASTEST_SPEED, SLOWEST_SPEED, WAYS } from '@pendolo/core/lineup'
import { isId } from '@pendolo/core/project'
import { LEAST_TEMPO, METRES_ASKED, MOST_TEMPO } from '@pendolo/core/pulse'
import { PROJECT_RATES } from '@pendolo/core/time'
import * as yup from 'yup'
import { id, LEAST_LOUDNESS, MOST_LOUDNESS } from './edits/parts.ts'

const name = yup.string().strict().matches(/\S/, 'give the project a name').max(120, 'names have at most 120 characters')

/** A week, as for every time of a project. */
const MOST_SECONDS = 7 * 86_400

export const newProjectBody = yup.object({ name: name.required('give the project a name') }).noUnknown()
export const gatherBody = yup
  .object({ paths: yup.array(yup.string().min(1).max(4096).required()).min(1).max(500).required() })
  .noUnknown()
  .strict()
/** The most files that can be dropped at once. */
export const MOST_DROPPED = 2000
const droppedName = yup.string().min(1).max(8192).required()
/** Dropped files by name, size and content, to be looked for where they lie. */
export const lookBody = yup
  .object({
    files: yup
      .array(
        yup
          .object({
            name: droppedName,
            size: yup.number().integer().min(0).required(),
            key: yup
              .string()
              .matches(/^[0-9a-f]{32}$/)
              .required(),
          })
          .noUnknown()
          .required(),
      )
      .min(1)
      .max(MOST_DROPPED)
      .required(),
  })
  .noUnknown()
  .strict()
/** Files that lie where they may be read, with the names they were dropped by; nothing where a drop was given up. */
export const takeBody = yup
  .object({
    files: yup
      .array(
        yup
          .object({ path: yup.string().min(1).max(4096).required(), name: droppedName })
          .noUnknown()
          .required(),
      )
      .max(MOST_DROPPED)
      .required(),
    /** Copies that were made for the drop and are not wanted any more. */
    leave: yup.array(yup.string().min(1).max(4096).required()).max(MOST_DROPPED).default([]),
  })
  .noUnknown()
export const lineUpBody = yup
  .object({
    clipIds: yup.array(id.required()).max(10_000).optional(),
    thorough: yup.boolean().default(false),
    nearSeconds: yup.number().min(-MOST_SECONDS).max(MOST_SECONDS).optional(),
    tolerance: yup.number().min(0.1).max(3600).optional(),
    ways: yup.array(yup.string().oneOf(WAYS).required()).min(1).optional(),
    /** Master seconds in one second of the clip, or `any` from a quarter to four times; left out, the speeds of shooting practice are tried. */
    speed: yup
      .mixed<number | 'any'>((v): v is number | 'any' => v === 'any' || (typeof v === 'number' && v >= SLOWEST_SPEED && v <= FASTEST_SPEED))
      .typeError(`a speed is a number from ${SLOWEST_SPEED} to ${FASTEST_SPEED}, or "any"`)
      .optional(),
  })
  .noUnknown()
/** What to look for in the master. */
export const FINDINGS = ['beats', 'parts', 'speech'] as const
export const findBody = yup
  .object({
    find: yup.string().oneOf(FINDINGS).default('beats'),
    /** About so many beats a minute, and beats a bar, as somebody says who knows the music. */
    tempoBpm: yup.number().min(LEAST_TEMPO).max(MOST_TEMPO).optional(),
    metre: yup.number().oneOf(METRES_ASKED).optional(),
    /** Clips that are somebody's microphone, or one channel of a recorder as `envelopeKey` writes it; they must be placed. */
    microphones: yup
      .array(
        yup
          .string()
          .test('microphone', 'a microphone is a clip, or a clip and one of its channels, as "clip 0.1"', (key) => {
            const [clipId, channel, ...more] = (key ?? '').split(' ')
            return isId(clipId) && more.length === 0 && (channel === undefined || /^\d{1,3}\.\d{1,3}$/.test(channel))
          })
          .required(),
      )
      .max(100)
      .default([]),
  })
  .noUnknown()
export const filmBody = yup
  .object({
    width: yup.number().integer().min(64).max(7680).required(),
    height: yup.number().integer().min(64).max(4320).required(),
    rate: yup.string().oneOf(PROJECT_RATES).required(),
    /** Version that is filmed; the one at hand where none is named. */
    cutId: id.optional(),
    /** Its sound as it was mixed, in a QuickTime file. */
    lossless: yup.boolean().optional(),
    /** Integrated loudness that its sound is brought to, LUFS; as it is balanced where none is given. */
    loudness: yup.number().min(LEAST_LOUDNESS).max(MOST_LOUDNESS).optional(),
    /** Marks of parts: each becomes a film of its own, of what the programme keeps of it. */
    parts: yup.array(id.required()).min(1).max(500).optional(),
  })
  .noUnknown()

/** Seconds over which a camera's way can be evened out. */
export const LEAST_STEADY = 0.2
export const MOST_STEADY = 10
export const steadyBody = yup
  .object({
    clipIds: yup.array(id.required()).min(1).max(10_000).required(),
    seconds: yup.number().min(LEAST_STEADY).max(MOST_STEADY).required(),
  })
  .noUnknown()

/** Ranges of the master's time that a machine cannot show as they play, flicks. */
export const prepareBody = yup
  .object({
    ranges: yup
      .array(
        yup
          .object({ cutId: id.required(), from: yup.number().integer().required(), to: yup.number().integer().required() })
          .noUnknown()
          .test('order', 'a range ends behind its beginning', ({ from, to }) => to > from)
          .required(),
      )
      .min(1)
      .max(100)
      .required(),
  })
  .noUnknown()

/** A table of colours: numbers of four bytes, little end first, as base64. */
export const tableBody = yup.object({ values: yup.string().max(1_000_000).required() }).noUnknown()

export type NewProjectBody = yup.InferType<typeof newProjectBody>
export type GatherBody = yup.InferType<typeof gatherBody>
export type LineUpBody = yup.InferType<typeof lineUpBody>
export type FindBody = yup.InferType<typeof findBody>
export type FilmBody = yup.InferType<typeof filmBody>
export type SteadyBody = yup.InferType<typeof steadyBody>
export type PrepareBody = yup.InferType<typeof prepareBody>
