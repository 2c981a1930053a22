/** The music of Depot Night: note lists, so that every beat and bar is known. Times are seconds on the master. */
export const INSTRUMENTS = ['cornet', 'horn', 'trombone', 'tuba', 'bells', 'snare', 'kick', 'cymbal'] as const
export type Instrument = (typeof INSTRUMENTS)[number]

export interface Note {
  readonly time: number
  readonly length: number
  readonly instrument: Instrument
  /** MIDI note number; of no meaning for drums. */
  readonly pitch: number
  /** 0..1 */
  readonly strength: number
}

export interface Section {
  readonly name: string
  readonly time: number
}

export interface Performance {
  readonly seconds: number
  readonly notes: Note[]
  readonly beats: number[]
  readonly downbeats: number[]
  readonly sections: Section[]
  readonly speechAt: number
  readonly whistleAt: number
  readonly applause: { from: number; to: number }[]
  /** Instants at which all lamps of the hall flash. */
  readonly flashes: number[]
}

/** Seeded random numbers 0..1 (mulberry32). */
export function seeded(seed: number): () => number {
  let a = seed | 0
  return () => {
    a = (a + 0x6d2b79f5) | 0
    let t = Math.imul(a ^ (a >>> 15), 1 | a)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}

/** Chords as semitones above B flat with their quality, two a bar group of four. */
const MAJOR = [0, 4, 7]
const MINOR = [0, 3, 7]
const PROGRESSIONS: Record<string, [number, number[]][]> = {
  first: [
    [0, MAJOR],
    [0, MAJOR],
    [7, MAJOR],
    [7, MAJOR],
    [5, MAJOR],
    [0, MAJOR],
    [7, MAJOR],
    [0, MAJOR],
  ],
  second: [
    [5, MAJOR],
    [5, MAJOR],
    [0, MAJOR],
    [9, MINOR],
    [2, MINOR],
    [7, MAJOR],
    [0, MAJOR],
    [0, MAJOR],
  ],
  break: [
    [0, MAJOR],
    [0, MAJOR],
    [0, MAJOR],
    [0, MAJOR],
  ],
  encore: [
    [9, MINOR],
    [5, MAJOR],
    [0, MAJOR],
    [7, MAJOR],
    [9, MINOR],
    [2, MINOR],
    [7, MAJOR],
    [0, MAJOR],
  ],
}
const SCALE = [0, 2, 4, 5, 7, 9, 11]
const ROOT = 58

interface Piece {
  readonly from: number
  readonly bpm: number
  /** Progression of each eight (or four) bars. */
  readonly plan: string[]
  readonly seed: number
  /** Beats at the end over which the band slows down. */
  readonly slowing: number
}

function play(piece: Piece, notes: Note[], beats: number[], downbeats: number[], sections: Section[], names: Record<number, string>): number {
  const random = seeded(piece.seed)
  const totalBeats = piece.plan.reduce((sum, part) => sum + PROGRESSIONS[part].length * 4, 0)
  const times: number[] = []
  let time = piece.from
  for (let b = 0; b <= totalBeats; b++) {
    times.push(time)
    const slow = b > totalBeats - piece.slowing ? 1 + 0.05 * (b - (totalBeats - piece.slowing)) : 1
    // People breathe: the tempo sways by one part in a hundred over sixteen beats.
    time += (60 / piece.bpm) * slow * (1 + 0.008 * Math.sin((2 * Math.PI * b) / 16))
  }
  const at = (beat: number) => {
    const i = Math.min(times.length - 2, Math.floor(beat))
    return times[i] + (beat - i) * (times[i + 1] - times[i])
  }
  const add = (instrument: Instrument, beat: number, length: number, pitch: number, strength: number) => {
    // Players are human to within six milliseconds, except the bass drum, which everybody follows.
    const loose = instrument === 'kick' ? 0 : (random() - 0.5) * 0.008
    notes.push({ time: at(beat) + loose, length: at(beat + length) - at(beat), instrument, pitch, strength })
  }
  let bar = 0
  let degree = 7
  for (const [partIndex, part] of piece.plan.entries()) {
    if (names[partIndex]) sections.push({ name: names[partIndex], time: at(bar * 4) })
    for (const [barOfPart, [root, quality]] of PROGRESSIONS[part].entries()) {
      const beat = bar * 4
      for (let k = 0; k < 4; k++) {
        beats.push(at(beat + k))
        if (k === 0) downbeats.push(at(beat))
      }
      rhythm(part, barOfPart, beat, random, add)
      if (part !== 'break') {
        add('tuba', beat, 0.9, ROOT - 24 + root, 0.9)
        add('tuba', beat + 2, 0.9, ROOT - 24 + root + (random() < 0.5 ? 7 : -5), 0.75)
        for (const k of [1, 3]) for (const step of quality) add('horn', beat + k, 0.4, ROOT + root + step - (root > 6 ? 12 : 0), 0.5)
        if (part === 'second' || part === 'encore')
          for (const half of [0, 2]) add('trombone', beat + half, 1.8, ROOT - 12 + root + quality[(bar + half) % 3], 0.6)
        degree = melody(part, beat, root, degree, random, add)
      }
      if (part === 'encore' && barOfPart % 2 === 0) for (const k of [0, 1, 2, 3]) add('bells', beat + k + 0.5, 0.4, ROOT + 24 + root + quality[k % 3], 0.5)
      bar++
    }
  }
  add('kick', totalBeats, 1, 0, 1)
  add('cymbal', totalBeats, 2, 0, 1)
  for (const step of MAJOR) add('cornet', totalBeats, 2, ROOT + 12 + step, 0.9)
  add('tuba', totalBeats, 2, ROOT - 24, 1)
  beats.push(at(totalBeats))
  downbeats.push(at(totalBeats))
  return at(totalBeats)
}

type Add = (instrument: Instrument, beat: number, length: number, pitch: number, strength: number) => void

function rhythm(part: string, barOfPart: number, beat: number, random: () => number, add: Add): void {
  const last = barOfPart % 4 === 3
  add('kick', beat, 0.5, 0, 1)
  add('kick', beat + 2, 0.5, 0, 0.75)
  if (barOfPart === 0) add('cymbal', beat, 1.5, 0, 0.9)
  for (const k of [1, 3]) add('snare', beat + k, 0.3, 0, 0.85)
  for (let half = 0; half < 8; half++) {
    if (random() < (part === 'break' ? 0.85 : 0.5)) add('snare', beat + half / 2, 0.2, 0, half % 2 ? 0.35 : 0.45)
  }
  if (part === 'break' || last) for (let k = 0; k < 4; k++) add('snare', beat + 3 + k / 4, 0.15, 0, 0.4 + 0.12 * k)
}

function melody(part: string, beat: number, root: number, from: number, random: () => number, add: Add): number {
  let degree = from
  const rhythmOf = [
    [0, 1, 2, 3],
    [0, 1.5, 2, 3],
    [0, 0.5, 1, 2, 3, 3.5],
    [0, 2, 2.5, 3],
    [0, 1, 1.5, 2, 3],
  ][Math.floor(random() * 5)]
  for (const [i, k] of rhythmOf.entries()) {
    const next = rhythmOf[i + 1] ?? 4
    degree += Math.floor(random() * 5) - 2
    degree = Math.max(3, Math.min(13, degree))
    // Strong beats land on the chord, so that harmony can be heard.
    let semitone = 12 * Math.floor(degree / 7) + SCALE[degree % 7]
    if (k === 0) semitone = 12 * Math.floor(degree / 7) + (root % 12)
    add('cornet', beat + k, (next - k) * 0.85, ROOT + (part === 'encore' ? 2 : 0) + semitone, k % 2 === 0 ? 0.85 : 0.7)
  }
  return degree
}

/** The whole evening: a speech, a whistle, a march, applause, an encore. */
export function perform(): Performance {
  const notes: Note[] = []
  const beats: number[] = []
  const downbeats: number[] = []
  const sections: Section[] = [{ name: 'Speech', time: 4 }]
  const marchAt = 50
  const marchEnd = play(
    { from: marchAt, bpm: 116, plan: ['first', 'first', 'second', 'break', 'second'], seed: 11, slowing: 0 },
    notes,
    beats,
    downbeats,
    sections,
    { 0: 'March', 2: 'Second strain', 3: 'Drum break' },
  )
  const encoreAt = marchEnd + 9.5
  const end = play({ from: encoreAt, bpm: 132, plan: ['encore', 'first', 'encore'], seed: 23, slowing: 6 }, notes, beats, downbeats, sections, { 0: 'Encore' })
  notes.sort((a, b) => a.time - b.time)
  const whistleAt = 46
  return {
    seconds: Math.ceil(end + 9),
    notes,
    beats,
    downbeats,
    sections,
    speechAt: 4,
    whistleAt,
    applause: [
      { from: 42.6, to: 45.7 },
      { from: marchEnd + 1.2, to: encoreAt - 1.2 },
      { from: end + 1.5, to: end + 8.5 },
    ],
    flashes: [2.2, whistleAt, whistleAt + 0.4, marchAt, ...sections.slice(2).map((s) => s.time), marchEnd, end, end + 3.1, end + 3.9],
  }
}
