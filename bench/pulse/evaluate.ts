import { existsSync, readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { findPulse, PULSE_RATE } from '../../core/pulse/index.ts'
import type { Half, Kept } from './pieces.ts'

/** Beats before this are left out, as usual in such comparisons, seconds. */
const FROM = 5
const TOLERANCE = 0.07

export interface Scores {
  readonly f: number
  /** Share of beats right in phase and period, at the level played, and at double, half or off-beat as well. */
  readonly cmlt: number
  readonly amlt: number
  readonly bars: number
  /** Median distance of beats that are matched, seconds. */
  readonly median: number
}

function matched(truth: number[], said: number[]): number[] {
  const distances: number[] = []
  let j = 0
  for (const t of truth) {
    while (j < said.length && said[j] < t - TOLERANCE) j++
    if (j < said.length && Math.abs(said[j] - t) <= TOLERANCE) distances.push(Math.abs(said[j++] - t))
  }
  return distances
}

function fMeasure(truth: number[], said: number[]): number {
  return truth.length + said.length === 0 ? 1 : (2 * matched(truth, said).length) / (truth.length + said.length)
}

/** Share of beats whose phase and period are both within 17.5 % of a beat (Davies, Degara & Plumbley 2009). */
function continuity(truth: number[], said: number[]): number {
  let right = 0
  for (let i = 1; i < said.length; i++) {
    let k = 0
    for (let j = 1; j < truth.length; j++) if (Math.abs(truth[j] - said[i]) < Math.abs(truth[k] - said[i])) k = j
    if (k === 0) continue
    const period = truth[k] - truth[k - 1]
    if (
      Math.abs(said[i] - truth[k]) < 0.175 * period &&
      Math.abs(said[i - 1] - truth[k - 1]) < 0.175 * period &&
      Math.abs(said[i] - said[i - 1] - period) < 0.175 * period
    )
      right++
  }
  return right / Math.max(1, Math.max(said.length, truth.length) - 1)
}

function levels(truth: number[]): number[][] {
  const off = truth.slice(1).map((t, i) => 0.5 * (t + truth[i]))
  return [truth, [...truth, ...off].sort((a, b) => a - b), off, truth.filter((_, i) => i % 2 === 0), truth.filter((_, i) => i % 2 === 1)]
}

export function scored(truth: { beats: number[]; downbeats: number[] }, said: { beats: number[]; downbeats: number[] }): Scores {
  const late = (times: number[]) => times.filter((t) => t >= FROM)
  const [a, b] = [late(truth.beats), late(said.beats)]
  const distances = matched(a, b).sort((x, y) => x - y)
  return {
    f: fMeasure(a, b),
    cmlt: a.length > 0 ? continuity(a, b) : b.length === 0 ? 1 : 0,
    amlt: a.length > 0 ? Math.max(...levels(a).map((level) => continuity(level, b))) : b.length === 0 ? 1 : 0,
    bars: fMeasure(late(truth.downbeats), late(said.downbeats)),
    median: distances[distances.length >> 1] ?? 0,
  }
}

/** Tracks every piece of a half and prints how well; `each` prints every piece. */
export function benchPulse(folder: string, half: Half, each = false): void {
  const told = existsSync(path.join(folder, half)) ? readdirSync(path.join(folder, half)).filter((f) => /^pieces.*\.json$/.test(f)) : []
  const kept = told.flatMap((f) => JSON.parse(readFileSync(path.join(folder, half, f), 'utf8')) as Kept[])
  const groups = new Map<string, Scores[]>()
  let seconds = 0
  const began = performance.now()
  for (const piece of kept) {
    const bytes = readFileSync(`${piece.file}.s16`)
    const samples = Float32Array.from(new Int16Array(bytes.buffer, bytes.byteOffset, bytes.length / 2), (v) => v / 32768)
    seconds += samples.length / PULSE_RATE
    const found = findPulse(samples)
    const s = scored(piece.truth, { beats: found.beats, downbeats: found.downbeats.map((i) => found.beats[i]) })
    const group = piece.name.split('-')[0]
    groups.set(group, [...(groups.get(group) ?? []), s])
    if (each)
      console.log(
        `${piece.name}: F ${s.f.toFixed(3)} CMLt ${s.cmlt.toFixed(2)} AMLt ${s.amlt.toFixed(2)} bars ${s.bars.toFixed(2)} (${found.metre}/${piece.truth.metre}) ${found.tempoBpm.toFixed(0)} bpm, ${(1000 * s.median).toFixed(1)} ms, sure ${found.confidence.toFixed(2)}`,
      )
  }
  const told2 = (name: string, list: Scores[]) => {
    const mean = (value: (s: Scores) => number) => (list.reduce((sum, s) => sum + value(s), 0) / list.length).toFixed(3)
    console.log(
      `pulse, ${half}, ${name}: ${list.length} pieces, F ${mean((s) => s.f)}, CMLt ${mean((s) => s.cmlt)}, AMLt ${mean((s) => s.amlt)}, bars F ${mean((s) => s.bars)}, median error ${mean((s) => 1000 * s.median)} ms`,
    )
  }
  for (const [name, list] of groups) told2(name, list)
  const music = [...groups].filter(([name]) => name !== 'none').flatMap(([, list]) => list)
  if (music.length > 0) told2('all music', music)
  if (seconds > 0) console.log(`pulse: 1/${(seconds / ((performance.now() - began) / 1000)).toFixed(0)} of real time`)
}
