import { writeEdl } from './edl/write.ts'
import type { Exchange } from './exchange.ts'
import { writeOtio } from './otio/write.ts'

/** A format in which a version is handed to other programs. */
export interface ExchangeFormat {
  /** What it is called by in requests and commands; the ending of its files too. */
  readonly id: string
  readonly name: string
  /** What is in it, for people. */
  readonly what: string
  readonly mediaType: string
  readonly write: (exchange: Exchange) => string
}

/** All of them: requests, commands and menus derive from this list. */
export const EXCHANGE_FORMATS: readonly ExchangeFormat[] = [
  {
    id: 'otio',
    name: 'Exchange file',
    what: 'OpenTimelineIO: every angle in its place, the master, the marks and the cut',
    mediaType: 'application/json',
    write: writeOtio,
  },
  { id: 'edl', name: 'Cut list', what: 'CMX3600-style EDL of the cut, reel names from the files', mediaType: 'text/plain', write: writeEdl },
]

/** @throws ExchangeFormatError for a name that no format has */
export function exchangeFormat(id: string): ExchangeFormat {
  const format = EXCHANGE_FORMATS.find((f) => f.id === id)
  if (!format) throw new ExchangeFormatError(`there is no format ${id}; there are ${EXCHANGE_FORMATS.map((f) => f.id).join(' and ')}`)
  return format
}

export class ExchangeFormatError extends Error {
  readonly code = 'format'
}
