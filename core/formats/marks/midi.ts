import { type MidiData, type MidiEvent, parseMidi, writeMidi } from 'midi-file'
import { lastUpTo } from '../../time/index.ts'
import { type BeatEntries, type EntryKind, type MarkEntry, type MarkSheet, MarksError } from './sheet.ts'

/** Ticks a quarter: as fine as the format allows, so that marks between beats keep their time. */
const TICKS = 30000
/** Longest quarter that a tempo can say is 16.7 s; waiting is split into quarters of at most this. */
const LONGEST = 8
const PAUSE = 1.8
const BEGINS = 'pulse begins'
const ENDS = 'pulse ends'

const META: Record<EntryKind, 'marker' | 'cuePoint' | 'lyrics' | 'text'> = { part: 'marker', cue: 'cuePoint', phrase: 'lyrics', note: 'text' }

interface Anchor {
  readonly tick: number
  /** Microseconds from the start. */
  readonly us: number
}

const micro = (seconds: number) => Math.round(seconds * 1e6)

/**
 * Standard MIDI File, format 1 (MIDI 1.0 detailed specification): tempo map and time signatures from beats and bars, and
 * marks as markers (parts), cue points (cues), lyrics (phrases) and texts (notes). Beats are kept to the microsecond,
 * marks to a thirty-thousandth of a beat. What the standard has no event for (ends, notes, colours, times before zero) stands
 * in a sequencer-specific event beside each mark, which other programs pass over.
 */
export function writeMarksMidi({ marks, beats }: MarkSheet): Uint8Array {
  const events: { tick: number; event: MidiEvent }[] = []
  const anchors: Anchor[] = [{ tick: 0, us: 0 }]
  const say = (tick: number, event: MidiEvent) => events.push({ tick, event })
  const meta = (type: 'marker' | 'cuePoint' | 'lyrics' | 'text', tick: number, text: string) =>
    say(tick, { type, meta: true, deltaTime: 0, text: utf8(text) } as MidiEvent)
  /** Quarters of one tempo up to a time. */
  const go = (us: number, quarters: number) => {
    const { tick, us: from } = anchors[anchors.length - 1]
    let done = from
    for (let q = 1; q <= quarters; q++) {
      const next = from + Math.round(((us - from) * q) / quarters)
      say(tick + (q - 1) * TICKS, { type: 'setTempo', meta: true, deltaTime: 0, microsecondsPerBeat: Math.max(1, next - done) })
      anchors.push({ tick: tick + q * TICKS, us: next })
      done = next
    }
  }
  const waited = (us: number) => {
    const gap = us - anchors[anchors.length - 1].us
    if (gap > 0) go(us, Math.max(1, Math.ceil(gap / 1e6 / LONGEST)))
  }
  const list = beats?.beats.filter((t) => t >= 0) ?? []
  const skipped = (beats?.beats.length ?? 0) - list.length
  const down = new Set(beats?.downbeats.map((i) => i - skipped))
  const distances = list.slice(1).map((t, i) => t - list[i])
  const usual = [...distances].sort((a, b) => a - b)[distances.length >> 1] ?? 0
  let bar = 0
  for (const [i, t] of list.entries()) {
    const pause = i > 0 && distances[i - 1] > PAUSE * usual
    if (i === 0 || pause) {
      if (pause) meta('text', anchors[anchors.length - 1].tick, ENDS)
      waited(micro(t))
      meta('text', anchors[anchors.length - 1].tick, BEGINS)
    } else go(micro(t), 1)
    let next = i + 1
    while (next < list.length && !down.has(next)) next++
    if ((down.has(i) || i === 0) && next - i !== bar && next < list.length) {
      bar = next - i
      say(anchors[anchors.length - 1].tick, {
        type: 'timeSignature',
        meta: true,
        deltaTime: 0,
        numerator: Math.min(255, bar),
        denominator: 4,
        metronome: 24,
        thirtyseconds: 8,
      })
    }
  }
  if (list.length > 0) meta('text', anchors[anchors.length - 1].tick, ENDS)
  const last = marks.reduce((most, m) => Math.max(most, m.time), 0)
  waited(micro(last))
  const tickOf = (us: number) => {
    let k = anchors.length - 1
    while (k > 0 && anchors[k].us > us) k--
    const [a, b] = [anchors[k], anchors[k + 1]]
    return b ? Math.round(a.tick + ((us - a.us) / (b.us - a.us)) * (b.tick - a.tick)) : a.tick
  }
  for (const m of marks) {
    const tick = tickOf(micro(Math.max(0, m.time)))
    meta(META[m.kind], tick, m.name)
    const more = besides(m)
    if (more)
      say(tick, { type: 'sequencerSpecific', meta: true, deltaTime: 0, data: [PRIVATE, ...new TextEncoder().encode(JSON.stringify(more))] } as MidiEvent)
  }
  const order = (e: MidiEvent) => (e.type === 'setTempo' ? 0 : e.type === 'timeSignature' ? 1 : 2)
  events.sort((a, b) => a.tick - b.tick || order(a.event) - order(b.event))
  let before = 0
  const track: MidiEvent[] = events.map(({ tick, event }) => {
    const deltaTime = tick - before
    before = tick
    return { ...event, deltaTime }
  })
  track.push({ type: 'endOfTrack', meta: true, deltaTime: 0 })
  return Uint8Array.from(writeMidi({ header: { format: 1, numTracks: 1, ticksPerBeat: TICKS }, tracks: [track] }))
}

/** The manufacturer's number that the standard leaves to everybody. */
const PRIVATE = 0x7d

/** What a mark has besides its time, kind and name. */
interface Besides {
  /** Length of a range, s. */
  readonly lasts?: number
  readonly note?: string
  readonly hue?: number
  /** Its time, where that lies before zero. */
  readonly at?: number
}

function besides({ time, end, text, hue }: MarkEntry): Besides | null {
  const more = { ...(end !== null && { lasts: end - time }), ...(text && { note: text }), ...(hue !== null && { hue }), ...(time < 0 && { at: time }) }
  return Object.keys(more).length > 0 ? more : null
}

/** Reads what {@link besides} wrote; of anything else nothing. */
function readBesides(event: MidiEvent): Besides | null {
  if (event.type !== 'sequencerSpecific') return null
  const [first, ...bytes] = Array.from(event.data)
  if (first !== PRIVATE) return null
  try {
    const said = JSON.parse(new TextDecoder().decode(Uint8Array.from(bytes))) as Record<string, unknown>
    const number = (value: unknown) => (typeof value === 'number' && Number.isFinite(value) ? value : undefined)
    const [lasts, hue, at] = [number(said.lasts), number(said.hue), number(said.at)]
    return {
      ...(lasts !== undefined && lasts > 0 && { lasts }),
      ...(typeof said.note === 'string' && { note: said.note }),
      ...(hue !== undefined && { hue: Math.abs(Math.round(hue)) % 12 }),
      ...(at !== undefined && at < 0 && { at }),
    }
  } catch {
    return null
  }
}

/** The library writes and reads texts byte by byte. */
const utf8 = (text: string) => unescape(encodeURIComponent(text))
const fromUtf8 = (text: string) => {
  try {
    return decodeURIComponent(escape(text))
  } catch {
    return text
  }
}

/** A MIDI file of a song: its beats, bars and marks, and when its notes begin. */
export interface Song extends MarkSheet {
  /** Seconds, ascending, one each for notes that begin together. */
  readonly notes: number[]
}

/**
 * @throws MarksError for what is no MIDI file, is cut off, or counts in film frames instead of beats
 */
export function readMidi(bytes: Uint8Array): Song {
  if (bytes.length < 14 || String.fromCharCode(...bytes.subarray(0, 4)) !== 'MThd') throw new MarksError('this is no MIDI file: it does not begin with MThd')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  for (let at = 0; at < bytes.length; at += 8 + view.getUint32(at + 4)) {
    if (at + 8 > bytes.length || at + 8 + view.getUint32(at + 4) > bytes.length)
      throw new MarksError(`this MIDI file is broken: it is cut off in the chunk that begins at byte ${at}`)
  }
  let midi: MidiData
  try {
    midi = parseMidi(bytes)
  } catch (error) {
    throw new MarksError(`this MIDI file is broken: ${error instanceof Error ? error.message : String(error)}`)
  }
  const ticks = midi.header.ticksPerBeat
  if (!ticks) throw new MarksError('this MIDI file counts in film frames, not in beats; write it again with ticks a beat')
  if (midi.tracks.length === 0) throw new MarksError('this MIDI file has no track')
  interface Said {
    tick: number
    event: MidiEvent
  }
  const said: Said[] = midi.tracks.flatMap((track) => {
    let tick = 0
    return track.map((event) => {
      tick += event.deltaTime
      if (!Number.isFinite(tick)) throw new MarksError('this MIDI file is broken: it is cut off in the middle of a track')
      return { tick, event }
    })
  })
  said.sort((a, b) => a.tick - b.tick)
  const anchors: (Anchor & { perBeat: number })[] = [{ tick: 0, us: 0, perBeat: 500_000 }]
  for (const { tick, event } of said) {
    if (event.type !== 'setTempo') continue
    const { tick: from, us, perBeat } = anchors[anchors.length - 1]
    if (tick === from) anchors[anchors.length - 1] = { tick, us, perBeat: event.microsecondsPerBeat }
    else anchors.push({ tick, us: us + ((tick - from) / ticks) * perBeat, perBeat: event.microsecondsPerBeat })
  }
  const secondsAt = (tick: number) => {
    const a =
      anchors[
        Math.max(
          0,
          lastUpTo(anchors.length, (i) => anchors[i].tick, tick),
        )
      ]
    return (a.us + ((tick - a.tick) / ticks) * a.perBeat) / 1e6
  }
  const marks: MarkEntry[] = []
  const notes: number[] = []
  for (const [i, { tick, event }] of said.entries()) {
    if (event.type === 'noteOn' && event.velocity > 0 && notes[notes.length - 1] !== tick) notes.push(tick)
    const kind = (Object.keys(META) as EntryKind[]).find((k) => META[k] === event.type)
    if (!kind || !('text' in event) || event.text === BEGINS || event.text === ENDS) continue
    // Lyrics of a song come syllable by syllable and are no marks; those of a file without notes are phrases.
    const next = said[i + 1]
    const { lasts, note = '', hue = null, at } = (next?.tick === tick && readBesides(next.event)) || {}
    const time = at ?? secondsAt(tick)
    marks.push({ time, end: lasts === undefined ? null : time + lasts, kind, name: fromUtf8(event.text), text: note, hue })
  }
  const wanted = notes.length > 0 ? marks.filter((m) => m.kind === 'part' || m.kind === 'cue') : marks
  wanted.sort((a, b) => a.time - b.time)
  return { marks: wanted, beats: beatsOf(said, ticks, secondsAt, notes), notes: notes.map(secondsAt) }
}

function beatsOf(said: { tick: number; event: MidiEvent }[], ticks: number, secondsAt: (tick: number) => number, notes: number[]): BeatEntries | null {
  const spans: [number, number][] = []
  for (const { tick, event } of said) {
    if (event.type !== 'text') continue
    if (event.text === BEGINS) spans.push([tick, Number.POSITIVE_INFINITY])
    else if (event.text === ENDS && spans.length > 0) spans[spans.length - 1][1] = tick
  }
  const tempo = said.some((s) => s.event.type === 'setTempo' || s.event.type === 'timeSignature')
  if (spans.length === 0) {
    if (notes.length === 0 && !tempo) return null
    spans.push([0, notes.length > 0 ? notes[notes.length - 1] : (said[said.length - 1]?.tick ?? 0)])
  }
  const signatures = said.flatMap(({ tick, event }) => {
    if (event.type !== 'timeSignature') return []
    // Six and more eighths in threes are felt in dotted quarters.
    const compound = event.denominator === 8 && event.numerator % 3 === 0 && event.numerator > 3
    return [{ tick, beats: compound ? event.numerator / 3 : event.numerator, length: (compound ? 1.5 : 4 / event.denominator) * ticks }]
  })
  const beats: number[] = []
  const downbeats: number[] = []
  let signature = { tick: 0, beats: 4, length: ticks }
  let next = 0
  for (const [from, to] of spans) {
    let inBar = 0
    for (let tick = from; tick <= to + 1 && beats.length < 200_000; tick += signature.length) {
      while (next < signatures.length && signatures[next].tick <= tick + 1) {
        signature = signatures[next++]
        inBar = 0
      }
      if (inBar % signature.beats === 0) downbeats.push(beats.length)
      beats.push(secondsAt(tick))
      inBar++
    }
  }
  return beats.length > 1 ? { beats, downbeats } : null
}
