/** Material that cannot be used; the message is for people, `raw` is what the tool said. */
export class MediaError extends Error {
  readonly code = 'media'
  readonly raw: string | null

  constructor(message: string, raw: string | null = null) {
    super(message)
    this.raw = raw
  }
}

/** What the tools say when something fails, and what that means to a person; the first that fits counts. */
const MEANINGS: readonly (readonly [RegExp, string])[] = [
  [/No space left on device|Disk quota exceeded/i, 'could not be worked through: the disk is full; make room and try again'],
  [/Read-only file system|Permission denied/i, 'could not be worked through: the data folder or the file may not be written or read'],
  [/Cannot allocate memory|bad_alloc|Failed to allocate/i, 'needs more memory than it may have; make a smaller copy of it and gather that'],
  [/timed out|Input\/output error|\bEIO\b/i, 'does not come from its disk any more; look whether that is connected, then try again'],
  [/No such file or directory/i, 'is not where it was; find it again in Gather, then try again'],
  [
    /codec none|Unknown decoder|Decoder .*not found|unsupported codec|codec .* is not supported/i,
    'is stored in a way that cannot be read here; convert it to a common form (such as H.264 or WAV) and gather that',
  ],
  [/moov atom not found|End of file|truncat|partial file/i, 'is cut off: its end or its index is missing. Copy it from the card again'],
  [
    /Stream map|matches no streams|does not contain any stream/i,
    'does not hold the picture or sound that it names; it may be damaged. Copy it from the card again',
  ],
]

const DAMAGED = 'could not be read to its end; it may be damaged. Copy it from the card again'

/** The plain meaning of a tool's last lines, as the rest of a sentence that begins with the file's name. */
export function wordsFor(said: string): string {
  return MEANINGS.find(([pattern]) => pattern.test(said))?.[1] ?? DAMAGED
}
