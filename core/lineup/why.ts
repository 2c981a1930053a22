/** What a fact may hold, by the name of its kind. */
interface Kinds {
  readonly text: string
  readonly number: number
  readonly flag: boolean
  readonly names: readonly string[]
  /** Instants of a recording, s, and how much is missing (positive) or too much there, s. */
  readonly jumps: readonly { readonly atSeconds: number; readonly bySeconds: number }[]
}

/** Every fact that can speak for or against a place, with what it holds; interfaces have the words. */
const FACTS = {
  /** Words as they are: of a project written before facts were kept, of somebody's own script, of a damaged file. */
  words: { text: 'text' },
  'clip-short': {},
  'clip-silent': {},
  'clip-silent-or-short': {},
  'clip-without-sound': {},
  'master-short': {},
  'master-without-sound': {},
  'not-found': {},
  'nothing-alike': {},
  /** Windows of sound that agree on the place; `ratio`: support of the next-best place over that of the chosen. */
  windows: { agreeing: 'number', windows: 'number', ratio: 'number' },
  /** All windows added up at the place; `strength`: standard deviations over what chance gives anywhere. */
  sum: { windows: 'number', strength: 'number', ratio: 'number' },
  /** The same where other places (`places` of them) have sums as high, told apart by what differs. */
  'sum-told-by-difference': { windows: 'number', strength: 'number', places: 'number' },
  'drift-unusual': { ppm: 'number', seconds: 'number' },
  'windows-few': { agreeing: 'number', windows: 'number' },
  'windows-none': { agreeing: 'number', windows: 'number' },
  'one-instant': {},
  'something-left': { agreeing: 'number', windows: 'number', ratio: 'number' },
  'windows-scatter': { agreeing: 'number', windows: 'number', ms: 'number' },
  'two-places': { ratio: 'number' },
  /** Places alike, told apart by what differs between them. */
  'told-by-difference': { agreeing: 'number', windows: 'number', ratio: 'number', several: 'flag' },
  'told-by-windows': { agreeing: 'number', windows: 'number', ratio: 'number', worse: 'number', compared: 'number' },
  pieces: { jumps: 'jumps' },
  channel: { channel: 'number' },
  /** One of places that fit alike, chosen by the facts that follow. */
  chosen: { agreeing: 'number', windows: 'number', places: 'number' },
  'near-timecode': { agreeing: 'number', windows: 'number' },
  'near-clock': { agreeing: 'number', windows: 'number' },
  'timecode-none': {},
  'timecode-no-reference': {},
  /** Rates as frames a second, 29.97 for 30000/1001. */
  'timecode-counts': { rate: 'number', drop: 'flag', other: 'text', otherRate: 'number', otherDrop: 'flag' },
  timecode: { label: 'text', origin: 'text', through: 'text', recordings: 'number' },
  'timecode-against': { others: 'number' },
  'timecode-differs': { label: 'text', origin: 'text' },
  'timecode-agrees': {},
  /** A recorder's samples since midnight against a count that runs slow. */
  'timecode-open': {},
  /** Cameras that were set together agree on one of the places that sound leaves open. */
  'timecode-together': { recordings: 'number' },
  'timecode-says': { offSeconds: 'number' },
  'timecode-late': { lateSeconds: 'number' },
  'light-late': { lateSeconds: 'number' },
  'light-no-reference': {},
  'light-steady': { ofClip: 'flag' },
  'light-nothing': {},
  'light-misfit': { matched: 'number', events: 'number' },
  light: { matched: 'number', events: 'number' },
  'light-rival': { ratio: 'number' },
  clock: { toleranceSeconds: 'number' },
  'clock-only': {},
  'first-frame': {},
  /** A single picture, which needs no place: it stands as long as it is wanted. */
  still: {},
  through: { names: 'names' },
  'through-doubtful': { names: 'names', coveredSeconds: 'number' },
  island: { names: 'names' },
  master: {},
  'master-before': {},
  'master-changed': {},
  point: { point: 'text' },
  'same-instant': {},
  exchange: { file: 'text' },
  'exchange-doubt': { file: 'text' },
  'by-hand': { how: 'text' },
  moved: {},
  accepted: {},
} as const satisfies Record<string, Record<string, keyof Kinds>>

type Shapes = typeof FACTS
export type FactCode = keyof Shapes
export type Fact<C extends FactCode = FactCode> = {
  [K in C]: { readonly code: K } & { readonly [F in keyof Shapes[K]]: Shapes[K][F] extends keyof Kinds ? Kinds[Shapes[K][F]] : never }
}[C]

/** Why something lies where it does, or nowhere: facts in the order of their weight. */
export type Why = readonly Fact[]

/** Bounds of what one fact and one reason may hold. */
const MOST_TEXT = 500
const MOST_NAMES = 400
const MOST_JUMPS = 1000
const MOST_FACTS = 40

const KIND_FITS: { readonly [K in keyof Kinds]: (value: unknown) => boolean } = {
  text: (value) => typeof value === 'string' && value.length <= MOST_TEXT,
  number: (value) => typeof value === 'number' && Number.isFinite(value),
  flag: (value) => typeof value === 'boolean',
  names: (value) => Array.isArray(value) && value.length <= MOST_NAMES && value.every((name) => KIND_FITS.text(name)),
  jumps: (value) =>
    Array.isArray(value) &&
    value.length <= MOST_JUMPS &&
    value.every(
      (jump) =>
        jump !== null && typeof jump === 'object' && Object.keys(jump).length === 2 && KIND_FITS.number(jump.atSeconds) && KIND_FITS.number(jump.bySeconds),
    ),
}

/** Whether a value is a reason: known codes, each with just what belongs to it. */
export function isWhy(value: unknown): value is Why {
  return Array.isArray(value) && value.length <= MOST_FACTS && value.every(isFact)
}

function isFact(value: unknown): value is Fact {
  if (value === null || typeof value !== 'object') return false
  const { code, ...rest } = value as Record<string, unknown>
  if (typeof code !== 'string' || !Object.hasOwn(FACTS, code)) return false
  const shape: Record<string, keyof Kinds> = FACTS[code as FactCode]
  return (
    Object.keys(rest).length === Object.keys(shape).length &&
    Object.entries(shape).every(([name, kind]) => Object.hasOwn(rest, name) && KIND_FITS[kind](rest[name]))
  )
}

/** Reasons put together; what is said already is not said again. */
export function together(...parts: readonly Why[]): Why {
  const seen = new Set<string>()
  const all = parts.flat().filter((fact) => {
    const key = JSON.stringify(fact)
    return !seen.has(key) && seen.add(key)
  })
  return all.slice(0, MOST_FACTS)
}

/** Words as a reason; none where there are none. */
export const inWords = (text: string): Why => (text === '' ? [] : [{ code: 'words', text: text.slice(0, MOST_TEXT) }])
