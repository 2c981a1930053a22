import { readCsv, writeCsv } from './csv.ts'
import { readLabels, writeLabels } from './labels.ts'
import { readMidi, writeMarksMidi } from './midi.ts'
import { MARK_FORMATS, type MarkFormat, type MarkSheet, MarksError } from './sheet.ts'
import { readVtt, writeVtt } from './vtt.ts'

export { readMidi } from './midi.ts'
export { MARK_FORMATS, type MarkEntry, type MarkFormat, type MarkSheet, MarksError } from './sheet.ts'

/** @throws MarksError for an ending that no format of marks has */
export function markFormatOf(name: string): MarkFormat {
  const ending = /\.([a-z0-9]+)$/i.exec(name)?.[1].toLowerCase() ?? ''
  const format = ending === 'midi' ? 'mid' : ending === 'tsv' || ending === 'labels' ? 'txt' : MARK_FORMATS.find((f) => f === ending)
  if (!format) throw new MarksError(`marks are read and written as ${MARK_FORMATS.map((f) => `.${f}`).join(', ')}; "${name}" ends otherwise`)
  return format
}

/** @throws MarksError where the file cannot be read, with line and reason */
export function readMarks(bytes: Uint8Array, format: MarkFormat): MarkSheet {
  if (format === 'mid') return readMidi(bytes)
  let text: string
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    throw new MarksError('this file is no text in UTF-8')
  }
  return format === 'csv' ? readCsv(text) : format === 'vtt' ? readVtt(text) : readLabels(text)
}

export function writeMarks(sheet: MarkSheet, format: MarkFormat): Uint8Array {
  if (format === 'mid') return writeMarksMidi(sheet)
  return new TextEncoder().encode(format === 'csv' ? writeCsv(sheet) : format === 'vtt' ? writeVtt(sheet) : writeLabels(sheet))
}
