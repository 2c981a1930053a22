import { type Counted, type MarkEntry, type MarkSheet, MarksError, readTime, writeSeconds } from './sheet.ts'

/** Label text: start, end and name a line, tabs between; a point ends where it begins. Kinds, notes and beats are not kept. */
export function writeLabels({ marks }: MarkSheet): string {
  return marks.map((m) => `${writeSeconds(m.time)}\t${writeSeconds(m.end ?? m.time)}\t${m.name.replace(/[\t\r\n]+/g, ' ')}\n`).join('')
}

/** @param counted how times in frames count @throws MarksError with the line and what is wrong in it */
export function readLabels(text: string, counted?: Counted): MarkSheet {
  const marks: MarkEntry[] = []
  for (const [i, line] of text
    .replace(/^\uFEFF/, '')
    .split(/\r\n|\n|\r/)
    .entries()) {
    // A line that begins with a backslash carries a frequency range of the label before it.
    if (line.trim() === '' || line.startsWith('\\')) continue
    const cells = line.split('\t')
    const time = readTime(cells[0], counted)
    if (time === null) throw new MarksError(`line ${i + 1}: "${cells[0]}" is no time; each line begins with seconds and a tab`)
    if (cells.length < 2) throw new MarksError(`line ${i + 1}: start, end and name are parted by tabs, and there is no tab`)
    const end = readTime(cells[1], counted)
    if (cells.length > 2 && end === null) throw new MarksError(`line ${i + 1}: "${cells[1]}" is no time to end at`)
    if (end !== null && end < time) throw new MarksError(`line ${i + 1}: it ends (${cells[1]}) before it begins (${cells[0]})`)
    const name = end === null ? cells.slice(1).join(' ') : cells.slice(2).join(' ')
    marks.push({ time, end: end !== null && end > time ? end : null, kind: 'cue', name, text: '', hue: null })
  }
  return { marks: marks.sort((a, b) => a.time - b.time), beats: null }
}
