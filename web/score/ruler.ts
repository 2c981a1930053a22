import type { Pulse } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, firstFrom } from '@pendolo/core/time'

const STEPS = [0.04, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600]

/** Round times for a ruler, at least `least` pixels apart. */
export function ticks(from: number, span: number, width: number, least = 90): number[] {
  const step = STEPS.find((s) => (s / span) * width >= least) ?? 7200
  const out: number[] = []
  for (let t = Math.ceil(from / step) * step; t <= from + span; t += step) out.push(t)
  return out
}

export interface BarLine {
  readonly seconds: number
  /** Number of the bar that begins here; null for beats inside a bar. */
  readonly bar: number | null
}

/** Numbers of bars by the beats that begin them; made once for each state of a pulse. */
const bars = new WeakMap<Pulse, ReadonlyMap<number, number>>()

function barsOf(pulse: Pulse): ReadonlyMap<number, number> {
  let known = bars.get(pulse)
  if (!known) {
    known = new Map(pulse.downbeats.map((beat, bar) => [beat, bar + 1]))
    bars.set(pulse, known)
  }
  return known
}

/** Bar and beat lines in view; beats are left out when they would crowd. */
export function barLines(pulse: Pulse | null, from: number, span: number, width: number): BarLine[] {
  if (!pulse || pulse.beats.length === 0) return []
  const beatPixels = (60 / Math.max(1, pulse.tempoBpm) / span) * width
  const numbers = barsOf(pulse)
  const every = Math.max(1, 2 ** Math.ceil(Math.log2(Math.max(1, 34 / (beatPixels * pulse.metre)))))
  const { beats } = pulse
  const out: BarLine[] = []
  for (let i = firstFrom(beats.length, (n) => beats[n], from * FLICKS_PER_SECOND); i < beats.length; i++) {
    const seconds = beats[i] / FLICKS_PER_SECOND
    if (seconds > from + span) break
    const bar = numbers.get(i) ?? null
    if (bar === null ? beatPixels >= 7 : (bar - 1) % every === 0) out.push({ seconds, bar })
  }
  return out
}

const LEAST_LANE = 4
const MOST_LANE = 76

/** How high a lane is, px, so that as many as there are stand in the room they have; no lower than a cut can be seen. */
export function laneHeightFor(room: number, lanes: number): number {
  return Math.max(LEAST_LANE, Math.min(MOST_LANE, Math.floor(room / Math.max(1, lanes))))
}
