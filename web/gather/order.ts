import { type GatheredFile, noteText } from '@pendolo/api'
import { type Clip, clipRate, type Flag } from '@pendolo/core/project'
import { rateToNumber } from '@pendolo/core/time'
import { heardTimecode } from './facts-text.ts'

/** A clip with what the table shows of it. */
export interface Row {
  readonly clip: Clip
  readonly file: GatheredFile
  readonly angleName: string
  /** Place of its angle among those in use: its key. */
  readonly index: number
  readonly flags: readonly Flag[]
}

/** Columns of the table and what they are called. */
export const COLUMNS = {
  key: 'key',
  name: 'angle and its files',
  length: 'length',
  rate: 'rate',
  picture: 'picture',
  sound: 'sound',
  timecode: 'timecode',
  heard: 'heard as sound',
  recorded: 'recorded',
  notes: 'to note',
} as const
export type Column = keyof typeof COLUMNS

/** What the whole table is sorted by; by key: in its angles. */
export interface Order {
  readonly by: Column
  readonly down: boolean
}

export const BY_ANGLES: Order = { by: 'key', down: false }

/** What a column is sorted by; null has no place in the order and comes last. */
const VALUES: { readonly [C in Column]: (row: Row) => number | string | null } = {
  key: ({ index }) => index,
  name: ({ file }) => file.name,
  length: ({ file }) => file.facts.durationSeconds,
  rate: ({ clip, file }) => {
    const rate = clipRate(clip, file.facts)
    return rate && rateToNumber(rate)
  },
  picture: ({ file: { facts } }) => facts.video && facts.video.width * facts.video.height,
  sound: ({ file: { facts } }) => facts.audio && (facts.audio.streamChannels ?? [facts.audio.channels]).reduce((a, b) => a + b, 0),
  timecode: ({ file }) => file.facts.timecode,
  heard: ({ file }) => heardTimecode(file),
  recorded: ({ file }) => file.facts.recordedAt,
  notes: ({ file, flags }) => [...flags, ...file.notes.map(noteText)].join(' ') || null,
}

/** Rows in an order; equal ones by recording time, then by name, as people count. */
export function inOrder(rows: readonly Row[], { by, down }: Order): Row[] {
  const compare = (value: (row: Row) => number | string | null, sign: number) => (a: Row, b: Row) => {
    const [x, y] = [value(a), value(b)]
    if (x === null || y === null) return Number(x === null) - Number(y === null)
    return sign * (typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y), 'en', { numeric: true }))
  }
  const first = compare(VALUES[by], down ? -1 : 1)
  const then = [compare(VALUES.recorded, 1), compare(VALUES.name, 1)]
  return [...rows].sort((a, b) => first(a, b) || then[0](a, b) || then[1](a, b))
}
