import Papa from 'papaparse'
import { type Counted, kindOf, type MarkEntry, type MarkSheet, MarksError, readTime, writeSeconds } from './sheet.ts'

const COLUMNS = ['time', 'end', 'kind', 'name', 'note', 'hue'] as const
type Column = (typeof COLUMNS)[number]

/** Names other programs give the same columns. */
const ALSO: Record<Column, readonly string[]> = {
  time: ['time', 'start', 'begin', 'in', 'position', 'seconds', 'timecode', 'timestamp'],
  end: ['end', 'stop', 'out', 'to'],
  kind: ['kind', 'type', 'category'],
  name: ['name', 'label', 'title', 'marker', 'text'],
  note: ['note', 'notes', 'comment', 'comments', 'description'],
  hue: ['hue'],
}

/** What a table program would take for a formula is written as text, by the apostrophe that such programs take off again. */
const FORMULA = /^[=+\-@\t\r]/
const inert = (text: string) => (FORMULA.test(text) || (text.startsWith("'") && FORMULA.test(text.replace(/^'+/, ''))) ? `'${text}` : text)
const taken = (text: string) => (text.startsWith("'") && FORMULA.test(text.replace(/^'+/, '')) ? text.slice(1) : text)

/** Comma-separated values (RFC 4180) with a header; beats and bars are rows of the kinds beat and bar. */
export function writeCsv({ marks, beats }: MarkSheet): string {
  const down = new Set(beats?.downbeats)
  const rows = [
    ...marks.map((m) => ({
      time: m.time,
      row: [writeSeconds(m.time), m.end === null ? '' : writeSeconds(m.end), m.kind, inert(m.name), inert(m.text), m.hue === null ? '' : String(m.hue)],
    })),
    ...(beats?.beats ?? []).map((t, i) => ({ time: t, row: [writeSeconds(t), '', down.has(i) ? 'bar' : 'beat', '', '', ''] })),
  ]
  rows.sort((a, b) => a.time - b.time)
  return `${Papa.unparse([[...COLUMNS], ...rows.map((r) => r.row)], { newline: '\r\n' })}\r\n`
}

/**
 * Reads CSV with a header that names at least a time; comma, semicolon and tab are told apart. Without a header the
 * columns are taken as time, end or name.
 * @param counted how times in frames count
 * @throws MarksError with the line and what is wrong in it
 */
export function readCsv(text: string, counted?: Counted): MarkSheet {
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy', delimitersToGuess: [',', ';', '\t', '|'] })
  const broken = parsed.errors.find((e) => e.type === 'Quotes')
  if (broken) throw new MarksError(`line ${(broken.row ?? 0) + 1}: a quotation mark is not closed`)
  const [first = []] = parsed.data
  if (parsed.data.length === 0) throw new MarksError('the file is empty')
  const timeIn = (written: string, line: number) => {
    try {
      return readTime(written, counted)
    } catch (error) {
      throw error instanceof MarksError ? new MarksError(`line ${line}: ${error.message}`) : error
    }
  }
  const titles = first.map((t) => t.trim().toLowerCase())
  const at = (column: Column) => titles.findIndex((t) => ALSO[column].includes(t))
  const headed = at('time') >= 0
  if (!headed && timeIn(first[0] ?? '', 1) === null) throw new MarksError(`line 1: no column is called time (or start), and "${first[0]}" is no time itself`)
  const second = parsed.data[headed ? 1 : 0]?.[1] ?? ''
  const columns: Record<Column, number> = headed
    ? { time: at('time'), end: at('end'), kind: at('kind'), name: at('name'), note: at('note'), hue: at('hue') }
    : timeIn(second, 1) === null
      ? { time: 0, end: -1, kind: -1, name: 1, note: 2, hue: -1 }
      : { time: 0, end: 1, kind: -1, name: 2, note: 3, hue: -1 }
  const marks: MarkEntry[] = []
  const beats: { time: number; down: boolean }[] = []
  for (const [i, row] of parsed.data.entries()) {
    if (headed && i === 0) continue
    const cell = (column: Column) => (columns[column] >= 0 ? (row[columns[column]] ?? '') : '')
    const time = timeIn(cell('time'), i + 1)
    if (time === null) throw new MarksError(`line ${i + 1}: "${cell('time')}" is no time; write seconds, hours:minutes:seconds or hours:minutes:seconds:frames`)
    const kind = cell('kind').trim().toLowerCase()
    if (kind === 'beat' || kind === 'bar') {
      beats.push({ time, down: kind === 'bar' })
      continue
    }
    const end = cell('end').trim() === '' ? null : timeIn(cell('end'), i + 1)
    if (end === null && cell('end').trim() !== '') throw new MarksError(`line ${i + 1}: "${cell('end')}" is no time to end at`)
    if (end !== null && end < time) throw new MarksError(`line ${i + 1}: it ends (${cell('end')}) before it begins (${cell('time')})`)
    const hue = cell('hue').trim()
    marks.push({
      time,
      end: end !== null && end > time ? end : null,
      kind: kindOf(kind),
      name: taken(cell('name')),
      text: taken(cell('note')),
      hue: /^\d+$/.test(hue) ? Number(hue) % 12 : null,
    })
  }
  beats.sort((a, b) => a.time - b.time)
  marks.sort((a, b) => a.time - b.time)
  return { marks, beats: beats.length > 0 ? { beats: beats.map((b) => b.time), downbeats: beats.flatMap((b, i) => (b.down ? [i] : [])) } : null }
}
