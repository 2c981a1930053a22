import { readCsv, writeCsv } from './csv.ts'
import { readLabels, writeLabels } from './labels.ts'
import { readMidi, writeMarksMidi } from './midi.ts'
import { type Counted, MARK_FORMATS, type MarkFormat, type MarkSheet, MarksError } from './sheet.ts'
import { readVtt, writeVtt } from './vtt.ts'

export { readMidi } from './midi.ts'
export { type Counted, MARK_FORMATS, type MarkEntry, type MarkFormat, type MarkSheet, MarksError } from './sheet.ts'

/** A format of files of marks. */
interface MarkFileFormat {
  /** For menus. */
  readonly name: string
  /** Endings by which it is known; the first is written. */
  readonly endings: readonly string[]
  readonly read: (bytes: Uint8Array, counted?: Counted) => MarkSheet
  readonly write: (sheet: MarkSheet) => Uint8Array
}

function decoded(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    throw new MarksError('this file is no text in UTF-8')
  }
}

const asText = (read: (text: string, counted?: Counted) => MarkSheet, write: (sheet: MarkSheet) => string) => ({
  read: (bytes: Uint8Array, counted?: Counted) => read(decoded(bytes), counted),
  write: (sheet: MarkSheet) => new TextEncoder().encode(write(sheet)),
})

/** All of them: commands and menus derive from this list. */
export const MARK_FILES: Readonly<Record<MarkFormat, MarkFileFormat>> = {
  csv: { name: 'CSV: marks, beats and bars', endings: ['csv'], ...asText(readCsv, writeCsv) },
  vtt: { name: 'WebVTT: marks as captions', endings: ['vtt'], ...asText(readVtt, writeVtt) },
  txt: { name: 'label text: times and names', endings: ['txt', 'tsv', 'labels'], ...asText(readLabels, writeLabels) },
  mid: { name: 'MIDI: tempo map and markers', endings: ['mid', 'midi'], read: readMidi, write: writeMarksMidi },
}

/** @throws MarksError for an ending that no format of marks has */
export function markFormatOf(name: string): MarkFormat {
  const ending = /\.([a-z0-9]+)$/i.exec(name)?.[1].toLowerCase() ?? ''
  const format = MARK_FORMATS.find((f) => MARK_FILES[f].endings.includes(ending))
  if (!format) throw new MarksError(`marks are read and written as ${MARK_FORMATS.map((f) => `.${f}`).join(', ')}; "${name}" ends otherwise`)
  return format
}

/** @param counted how times in frames count @throws MarksError where the file cannot be read, with line and reason */
export function readMarks(bytes: Uint8Array, format: MarkFormat, counted?: Counted): MarkSheet {
  return MARK_FILES[format].read(bytes, counted)
}

/** Marks as a file of a format, in its own encoding; what the format has no room for is left out (docs/formats.md). */
export function writeMarks(sheet: MarkSheet, format: MarkFormat): Uint8Array {
  return MARK_FILES[format].write(sheet)
}
