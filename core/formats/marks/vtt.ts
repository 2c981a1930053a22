/// <reference path="./webvtt-parser.d.ts" />
import webvtt from 'webvtt-parser'
import { kindOf, type MarkEntry, type MarkSheet, MarksError } from './sheet.ts'

/** A cue must last; a point lasts this long, s. */
const POINT = 0.001

function stamp(seconds: number): string {
  const ms = Math.round(seconds * 1000)
  const part = (value: number, digits: number) => String(value).padStart(digits, '0')
  return `${part(Math.floor(ms / 3_600_000), 2)}:${part(Math.floor(ms / 60_000) % 60, 2)}:${part(Math.floor(ms / 1000) % 60, 2)}.${part(ms % 1000, 3)}`
}

const escaped = (text: string) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;')

/**
 * WebVTT (W3C): a cue a mark, its identifier says the kind, its first line is the name, further lines the note; the
 * colour is a class. Times are kept to the millisecond, marks before zero and beats not at all.
 */
export function writeVtt({ marks }: MarkSheet): string {
  const cues = marks
    .filter((m) => m.time >= 0)
    .map((m, i) => {
      const name = escaped(m.name.replace(/\s*[\r\n]+\s*/g, ' ')) || '-'
      const note = m.text ? `\n${escaped(m.text.replace(/(\r?\n)\s*(?=\r?\n)/g, '$1').trim())}` : ''
      return `${m.kind}-${i + 1}\n${stamp(m.time)} --> ${stamp(m.end ?? m.time + POINT)}\n${m.hue === null ? name : `<c.hue${m.hue}>${name}</c>`}${note}\n`
    })
  return `WEBVTT\n\n${cues.join('\n')}`
}

/**
 * @throws MarksError with the line and what is wrong in it
 */
export function readVtt(text: string): MarkSheet {
  const { cues, errors } = new webvtt.WebVTTParser().parse(text.replace(/^\uFEFF/, ''), 'metadata')
  const [wrong] = errors
  if (wrong) throw new MarksError(`line ${wrong.line}: ${wrong.message.charAt(0).toLowerCase()}${wrong.message.slice(1)}`)
  const plain = (s: string) =>
    s
      .replace(/<[^>]*>/g, '')
      .replace(/&lt;/g, '<')
      .replace(/&gt;/g, '>')
      .replace(/&nbsp;/g, ' ')
      .replace(/&amp;/g, '&')
  // Of marks at one time our own numbers keep the order; the parser puts the longer one first.
  const number = (id: string) => Number(/-(\d+)$/.exec(id)?.[1] ?? 0)
  const marks = [...cues]
    .sort((a, b) => a.startTime - b.startTime || number(a.id) - number(b.id))
    .map((cue): MarkEntry => {
      const [name, ...rest] = cue.text.split('\n')
      const hue = /<c\.hue(\d+)>/.exec(name)
      const range = cue.endTime - cue.startTime > POINT * 1.5
      const title = plain(name)
      return {
        time: cue.startTime,
        end: range ? cue.endTime : null,
        kind: /^(cue|part|section|phrase|note)-\d+$/.test(cue.id) ? kindOf(cue.id.split('-')[0]) : 'phrase',
        name: title === '-' ? '' : title,
        text: plain(rest.join('\n')),
        hue: hue ? Number(hue[1]) % 12 : null,
      }
    })
  return { marks, beats: null }
}
