import { type Note, type Performance, seeded } from './band.ts'

export const MASTER_RATE = 48000

export interface MasterSound {
  readonly left: Float32Array
  readonly right: Float32Array
}

const TABLE = 2048

/** One period of a tone with `count` partials falling by `tilt` a partial. */
function period(count: number, tilt: number, odd = 1): Float32Array {
  const out = new Float32Array(TABLE)
  let energy = 0
  for (let h = 1; h <= count; h++) {
    const level = h ** -tilt * (h % 2 === 0 ? odd : 1)
    energy += level * level
    for (let i = 0; i < TABLE; i++) out[i] += level * Math.sin((2 * Math.PI * h * i) / TABLE)
  }
  return out.map((x) => x / Math.sqrt(energy))
}

const SOFT = period(3, 1.6)
const BRIGHT = period(14, 0.9)
const HORN = period(7, 1.3)
const BELL = [1, 2.76, 5.4, 8.93]

/** Where each player stands, −1 left to 1 right, and how loud on the desk. */
const SEAT: Record<Note['instrument'], [number, number]> = {
  cornet: [-0.35, 0.16],
  horn: [0.1, 0.075],
  trombone: [0.35, 0.12],
  tuba: [0.15, 0.2],
  bells: [-0.6, 0.08],
  snare: [0.5, 0.2],
  kick: [0.4, 0.55],
  cymbal: [0.6, 0.12],
}

/** Renders the desk mix: band, speech, whistle, applause and the room's own quiet. @param speech mono at 48 kHz */
export function renderMaster(show: Performance, speech: Float32Array): MasterSound {
  const frames = show.seconds * MASTER_RATE
  const left = new Float32Array(frames)
  const right = new Float32Array(frames)
  const put = (i: number, x: number, pan: number) => {
    if (i < 0 || i >= frames) return
    left[i] += x * Math.sqrt((1 - pan) / 2)
    right[i] += x * Math.sqrt((1 + pan) / 2)
  }
  const random = seeded(5)
  for (const note of show.notes) renderNote(note, put, random)
  const speechFrom = show.speechAt * MASTER_RATE
  for (let i = 0; i < speech.length; i++) put(speechFrom + i, speech[i] * 0.7, -0.05)
  whistle(show.whistleAt, put, random)
  for (const { from, to } of show.applause) applaud(from, to, put, random)
  const hiss = seeded(8)
  for (let i = 0; i < frames; i++) {
    left[i] = Math.tanh(left[i] * 0.9 + 0.0006 * (hiss() - 0.5))
    right[i] = Math.tanh(right[i] * 0.9 + 0.0006 * (hiss() - 0.5))
  }
  return { left, right }
}

type Put = (index: number, value: number, pan: number) => void

function renderNote(note: Note, put: Put, random: () => number): void {
  const [pan, level] = SEAT[note.instrument]
  const from = Math.round(note.time * MASTER_RATE)
  const gain = level * note.strength
  if (note.instrument === 'kick') {
    for (let i = 0; i < 0.35 * MASTER_RATE; i++) {
      const t = i / MASTER_RATE
      put(
        from + i,
        gain * (Math.exp(-t / 0.11) * Math.sin(2 * Math.PI * (52 * t + 1.9 * (1 - Math.exp(-t / 0.03)))) + 0.2 * Math.exp(-t / 0.004) * (random() - 0.5)),
        pan,
      )
    }
  } else if (note.instrument === 'snare') {
    let low = 0
    for (let i = 0; i < 0.2 * MASTER_RATE; i++) {
      const t = i / MASTER_RATE
      const noise = random() - 0.5
      low += 0.35 * (noise - low)
      put(from + i, gain * (Math.exp(-t / 0.055) * (noise - low) * 1.5 + 0.5 * Math.exp(-t / 0.035) * Math.sin(2 * Math.PI * 190 * t)), pan)
    }
  } else if (note.instrument === 'cymbal') {
    let low = 0
    for (let i = 0; i < 1.6 * MASTER_RATE; i++) {
      const t = i / MASTER_RATE
      const noise = random() - 0.5
      low += 0.6 * (noise - low)
      put(from + i, gain * 2.2 * Math.exp(-t / 0.45) * (noise - low), pan)
    }
  } else if (note.instrument === 'bells') {
    const hz = 440 * 2 ** ((note.pitch - 69) / 12)
    for (let i = 0; i < 1.1 * MASTER_RATE; i++) {
      const t = i / MASTER_RATE
      let sum = 0
      for (const [n, ratio] of BELL.entries()) sum += (Math.exp((-t * (1 + n)) / 0.5) / (1 + n)) * Math.sin(2 * Math.PI * hz * ratio * t)
      put(from + i, gain * sum, pan)
    }
  } else blown(note, put, from, gain, pan)
}

/** Brass: brightness follows loudness, a quick attack, a little vibrato. */
function blown(note: Note, put: Put, from: number, gain: number, pan: number): void {
  const hz = 440 * 2 ** ((note.pitch - 69) / 12)
  const frames = Math.round((note.length + 0.08) * MASTER_RATE)
  const body = note.instrument === 'horn' || note.instrument === 'tuba' ? HORN : BRIGHT
  let phase = 0
  for (let i = 0; i < frames; i++) {
    const t = i / MASTER_RATE
    const attack = 1 - Math.exp(-t / 0.012)
    const release = Math.min(1, Math.max(0, (note.length + 0.08 - t) / 0.08))
    const bright = 0.25 + 0.75 * Math.exp(-t / 0.18)
    phase += ((hz * (1 + 0.003 * Math.sin(2 * Math.PI * 5.2 * t) * Math.min(1, t * 3))) / MASTER_RATE) * TABLE
    const p = phase & (TABLE - 1)
    put(from + i, gain * attack * release * (0.85 + 0.3 * Math.exp(-t / 0.06)) * (bright * body[p] + (1 - bright) * SOFT[p]), pan)
  }
}

function whistle(at: number, put: Put, random: () => number): void {
  const from = Math.round(at * MASTER_RATE)
  for (let i = 0; i < 2.6 * MASTER_RATE; i++) {
    const t = i / MASTER_RATE
    const level = Math.min(1, t / 0.15) * Math.min(1, (2.6 - t) / 0.5)
    const tone = [587, 698, 880].reduce((s, hz) => s + Math.sin(2 * Math.PI * hz * (1 + 0.004 * Math.sin(30 * t)) * t), 0)
    put(from + i, level * (0.07 * tone + 0.12 * (random() - 0.5)), 0.4)
  }
}

function applaud(from: number, to: number, put: Put, random: () => number): void {
  for (let t = from; t < to; t += 0.004 + 0.012 * random()) {
    const swell = Math.min(1, (t - from) / 0.8) * Math.min(1, (to - t) / 1.5)
    const at = Math.round(t * MASTER_RATE)
    const level = 0.16 * swell * random()
    const pan = 1.6 * (random() - 0.5)
    let band = 0
    const colour = 0.2 + 0.5 * random()
    for (let i = 0; i < 700; i++) {
      band += colour * (random() - 0.5 - band)
      put(at + i, level * Math.exp(-i / 160) * band * 4, pan)
    }
  }
}
