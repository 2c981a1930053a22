/** Where an exchange file says that a source lies: timeline second = start + rate × source second. */
export interface OtioPlacement {
  /** Last part of the source's address, decoded. */
  readonly fileName: string
  readonly startSeconds: number
  readonly rate: number
  /** The source's whole address as it stands there, decoded. */
  readonly address: string
  /** Length of the source where it is told, and second of it up to which it is used. */
  readonly lastsSeconds: number | null
  readonly endsSeconds: number
}

/** Text that is no OpenTimelineIO, or none that places anything; the message is for people. */
export class OtioError extends Error {
  readonly code = 'exchange'
}

type Json = Record<string, unknown>

/** Places of the same source this close are the same, s: editors round to frames. */
const SAME_SECONDS = 0.05

/**
 * Reads from an OpenTimelineIO timeline where each source lies, so that what was lined up elsewhere need not be done
 * again, one place for each address. Clips, gaps, transitions, nested stacks and tracks and linear retimes are understood; a source that lies at
 * several places lies where most of its clips agree.
 * @throws OtioError when the text is no timeline, with what and where
 */
export function readOtioPlacements(text: string): OtioPlacement[] {
  let root: unknown
  try {
    root = JSON.parse(text)
  } catch (error) {
    throw new OtioError(`this file is no OpenTimelineIO: ${error instanceof Error ? error.message : 'it is not JSON'}`)
  }
  const timeline = object(root)
  if (!timeline || !schema(timeline).startsWith('Timeline.'))
    throw new OtioError('this file is JSON, but no OpenTimelineIO timeline: its OTIO_SCHEMA is not Timeline')
  const stack = object(timeline.tracks)
  if (!stack) throw new OtioError('the timeline has no tracks')
  const found: OtioPlacement[] = []
  walk(stack, 0, found)
  return settled(found)
}

function object(value: unknown): Json | null {
  return value !== null && typeof value === 'object' && !Array.isArray(value) ? (value as Json) : null
}

function schema(value: Json): string {
  return typeof value.OTIO_SCHEMA === 'string' ? value.OTIO_SCHEMA : ''
}

function seconds(value: unknown): number | null {
  const time = object(value)
  const [count, rate] = [Number(time?.value), Number(time?.rate)]
  return time && Number.isFinite(count) && rate > 0 ? count / rate : null
}

function rangeOf(value: unknown): { start: number; duration: number } | null {
  const range = object(value)
  const start = seconds(range?.start_time)
  const duration = seconds(range?.duration)
  return start === null || duration === null ? null : { start, duration }
}

/** Stacks and tracks in each other, deeper than any timeline: a file made to exhaust its reader. */
const DEEPEST = 100

/** @returns how long the item lasts on its track, s */
function walk(item: Json, at: number, found: OtioPlacement[], depth = 0): number {
  if (depth > DEEPEST) throw new OtioError(`this timeline holds more than ${DEEPEST} tracks within each other; it is damaged`)
  const kind = schema(item).split('.')[0]
  const own = rangeOf(item.source_range)
  if (kind === 'Clip') return clip(item, own, at, found)
  if (kind === 'Transition') return 0
  if (kind !== 'Track' && kind !== 'Stack') return own?.duration ?? 0
  // A part of a track or stack begins where its source range begins.
  const from = at - (own?.start ?? 0)
  let run = from
  let longest = 0
  for (const child of Array.isArray(item.children) ? item.children : []) {
    const one = object(child)
    if (!one) continue
    if (kind === 'Track') run += walk(one, run, found, depth + 1)
    else longest = Math.max(longest, walk(one, from, found, depth + 1))
  }
  return own?.duration ?? (kind === 'Track' ? run - from : longest)
}

function clip(item: Json, own: { start: number; duration: number } | null, at: number, found: OtioPlacement[]): number {
  const references = object(item.media_references)
  const media = object(item.media_reference) ?? object(references?.[String(item.active_media_reference_key ?? 'DEFAULT_MEDIA')])
  const available = rangeOf(media?.available_range)
  const part = own ?? available
  const duration = part?.duration ?? 0
  const address = typeof media?.target_url === 'string' ? media.target_url : ''
  const fileName = lastPart(address) || (typeof item.name === 'string' ? item.name : '')
  const effects = (Array.isArray(item.effects) ? item.effects : []).map(object).filter((e) => e !== null)
  // One picture that is held says nothing of where its clip lies.
  if (effects.some((e) => schema(e).startsWith('FreezeFrame'))) return duration
  const speed = effects.filter((e) => schema(e).startsWith('LinearTimeWarp')).reduce((product, e) => product * (Number(e.time_scalar) || 1), 1)
  if (fileName && part && speed > 0 && media && !schema(media).startsWith('MissingReference')) {
    const rate = 1 / speed
    const begins = part.start - (available?.start ?? 0)
    found.push({
      fileName,
      startSeconds: at - rate * begins,
      rate,
      address: decoded(address),
      lastsSeconds: available?.duration ?? null,
      endsSeconds: begins + part.duration * speed,
    })
  }
  return duration
}

function lastPart(address: string): string {
  return decoded(address.split(/[\\/]/).pop() ?? '')
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

function settled(found: readonly OtioPlacement[]): OtioPlacement[] {
  // Sources of one name in different folders are different recordings.
  const keyOf = (f: OtioPlacement) => f.address || f.fileName
  return [...new Set(found.map(keyOf))].map((key) => {
    const all = found.filter((f) => keyOf(f) === key)
    const near = (p: OtioPlacement) => all.filter((q) => Math.abs(q.startSeconds - p.startSeconds) <= SAME_SECONDS).length
    const most = all.reduce((a, b) => (near(b) > near(a) ? b : a))
    return { ...most, endsSeconds: Math.max(...all.map((f) => f.endsSeconds)) }
  })
}
