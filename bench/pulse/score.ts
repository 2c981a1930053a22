import { type MidiEvent, writeMidi } from 'midi-file'

/** A note of a made piece; times and lengths in beats. */
export interface ScoreNote {
  /** 9 is the drums, as in General MIDI. */
  readonly channel: number
  readonly pitch: number
  readonly at: number
  readonly beats: number
  readonly velocity: number
}

/** A piece as notes, with its own truth. */
export interface Score {
  readonly name: string
  readonly metre: number
  /** Beats a minute of each beat from beat 0 on. */
  readonly bpm: readonly number[]
  readonly programs: ReadonlyMap<number, number>
  readonly notes: readonly ScoreNote[]
  /** The beats that can be felt: half-open ranges of beat numbers. */
  readonly felt: readonly (readonly [number, number])[]
}

export interface Truth {
  readonly beats: number[]
  readonly downbeats: number[]
  readonly metre: number
}

const TICKS = 480

/** The piece as a Standard MIDI File, format 1. */
export function midiOf(score: Score): Uint8Array {
  const tempo: MidiEvent[] = []
  let before = 0
  const at = (tick: number) => {
    const delta = tick - before
    before = tick
    return delta
  }
  score.bpm.forEach((bpm, i) => {
    if (i === 0 || bpm !== score.bpm[i - 1]) tempo.push({ type: 'setTempo', meta: true, deltaTime: at(i * TICKS), microsecondsPerBeat: Math.round(60e6 / bpm) })
  })
  tempo.push({ type: 'endOfTrack', meta: true, deltaTime: 0 })
  const tracks = [tempo]
  for (const channel of new Set(score.notes.map((n) => n.channel))) {
    const events: { tick: number; event: MidiEvent }[] = []
    for (const n of score.notes.filter((x) => x.channel === channel)) {
      const from = Math.max(0, Math.round(n.at * TICKS))
      const to = Math.max(from + 10, Math.round((n.at + n.beats) * TICKS))
      const velocity = Math.max(1, Math.min(127, Math.round(n.velocity)))
      events.push({ tick: from, event: { type: 'noteOn', deltaTime: 0, channel, noteNumber: n.pitch, velocity } })
      events.push({ tick: to, event: { type: 'noteOff', deltaTime: 0, channel, noteNumber: n.pitch, velocity: 0 } })
    }
    events.sort((a, b) => a.tick - b.tick)
    before = 0
    const track: MidiEvent[] = [{ type: 'programChange', deltaTime: 0, channel, programNumber: score.programs.get(channel) ?? 0 }]
    for (const { tick, event } of events) track.push({ ...event, deltaTime: at(tick) })
    track.push({ type: 'endOfTrack', meta: true, deltaTime: 0 })
    tracks.push(track)
  }
  return Uint8Array.from(writeMidi({ header: { format: 1, numTracks: tracks.length, ticksPerBeat: TICKS }, tracks }))
}

/** Where the beats of the piece are, in seconds. */
export function truthOf(score: Score): Truth {
  const beats: number[] = []
  const downbeats: number[] = []
  let time = 0
  for (let i = 0; i < score.bpm.length; i++) {
    if (score.felt.some(([a, b]) => i >= a && i < b)) {
      beats.push(time)
      if (i % score.metre === 0) downbeats.push(time)
    }
    time += 60 / score.bpm[i]
  }
  return { beats, downbeats, metre: score.metre }
}
