import { correlation, powerOfTwo } from '../signal/index.ts'
import { type Rate, rateToNumber } from '../time/index.ts'
import { parabola } from './coarse.ts'
import type { PlaceProof } from './proof.ts'
import { COMMON_SPEEDS } from './speeds.ts'
import type { Candidate } from './verdict.ts'
import type { Fact, Why } from './why.ts'

/** Parts of the picture whose brightness is kept, in rows and columns. */
export const LIGHT_CELLS = 16

/** How bright each part of each picture of a clip is. */
export interface LightTrack {
  readonly rate: Rate
  /** Presentation time of the first picture, s. */
  readonly startSeconds: number
  /** `frames × LIGHT_CELLS`, 0..1 (video levels, gamma as recorded). */
  readonly luma: Float32Array
}

export interface LightPlacement {
  readonly verdict: 'sure' | 'check' | 'loose'
  readonly startSeconds: number | null
  /** Master seconds in one second of the clip. */
  readonly rate: number
  readonly why: Why
  /** How each place fits, and which changes were seen by both; null where nothing could be compared. */
  readonly proof: PlaceProof | null
  /** Events of the clip in the overlap, and those that the reference saw at the same instant. */
  readonly events: number
  readonly matched: number
  readonly rivalRatio: number
}

/** Steps a second of the common time axis. */
const GRID = 120
/** Share of a frame that its picture is exposed, by the usual habit. */
const SHUTTER = 0.5
/** Brightness that is added before the logarithm: below it there is sensor noise, 0..1. */
const DARK = 0.03
/** Change over the usual spread that counts as an event. */
const EVENT = 6
/** Events that both must have seen, for sure and for a hint. */
const SURE_EVENTS = 4
const CHECK_EVENTS = 2
/** Shares of the clip's events: a closed shutter misses many a flash, so that not all can be asked for. */
const SURE_SHARE = 0.4
/** Probability that as many events coincide somewhere by chance, for sure and for a hint. */
const SURE_CHANCE = 1e-4
const CHECK_CHANCE = 0.02
const RIVAL = 0.8
const LEAST_OVERLAP_SECONDS = 4

/** A sudden change of the light as a whole. */
export interface LightEvent {
  /** s of the clip */
  readonly at: number
  /** Change of the logarithm of brightness: above 0 brighter. */
  readonly change: number
}

/** What the reference cameras saw together, on the master's time. */
export interface LightReference {
  readonly track: LightTrack
  readonly startSeconds: number
  readonly rate: number
}

/**
 * Change of light from picture to picture: the middle of the changes of all parts, so that somebody walking through
 * one corner does not count, while a flash or a lamp does.
 */
function changes(track: LightTrack): Float32Array {
  const frames = Math.floor(track.luma.length / LIGHT_CELLS)
  const out = new Float32Array(frames)
  const parts = new Float32Array(LIGHT_CELLS)
  for (let f = 1; f < frames; f++) {
    for (let c = 0; c < LIGHT_CELLS; c++) parts[c] = Math.log((track.luma[f * LIGHT_CELLS + c] + DARK) / (track.luma[(f - 1) * LIGHT_CELLS + c] + DARK))
    parts.sort()
    // The middle half of the parts.
    let sum = 0
    for (let c = LIGHT_CELLS / 4; c < (3 * LIGHT_CELLS) / 4; c++) sum += parts[c]
    out[f] = sum / (LIGHT_CELLS / 2)
  }
  return out
}

/** Changes over their usual spread in the ten seconds around, 0 where nothing stands out. */
function standing(values: Float32Array, fps: number): Float32Array {
  const out = new Float32Array(values.length)
  const half = Math.round(5 * fps)
  const step = Math.max(1, Math.round(fps))
  for (let from = 0; from < values.length; from += step) {
    const near = Array.from(values.subarray(Math.max(0, from - half), from + half), Math.abs).sort((a, b) => a - b)
    const spread = Math.max(0.004, (near[near.length >> 1] ?? 0) / 0.6745)
    for (let i = from; i < Math.min(values.length, from + step); i++) {
      const z = values[i] / spread
      out[i] = Math.abs(z) < EVENT / 2 ? 0 : Math.sign(z) * Math.min(1, Math.abs(values[i]) / 0.5 + 0.3)
    }
  }
  return out
}

/**
 * Sudden changes of light in a clip, in order: of changes closer together than a quarter second the brightest, so that a
 * flash counts once, when it comes.
 */
export function lightEvents(track: LightTrack): LightEvent[] {
  const fps = rateToNumber(track.rate)
  const raw = changes(track)
  const strong = standing(raw, fps)
  const apart = Math.max(1, Math.round(fps / 4))
  const taken: number[] = []
  for (const sign of [1, -1]) {
    const tops: number[] = []
    for (let f = 1; f < strong.length; f++) if (strong[f] * sign > 0) tops.push(f)
    tops.sort((a, b) => Math.abs(raw[b]) - Math.abs(raw[a]))
    for (const f of tops) if (!taken.some((g) => Math.abs(g - f) <= apart)) taken.push(f)
  }
  return taken.sort((a, b) => a - b).map((f) => ({ at: track.startSeconds + timeOf(f, raw) / fps, change: raw[f] }))
}

/** Instant, in frames, of a change that shows first in frame f. */
function timeOf(f: number, raw: Float32Array): number {
  const fall = Math.min(raw[f + 1] ?? 0, raw[f + 2] ?? 0)
  // A flash lies within the exposure of its picture; with the usual shutter that is the first half.
  if (raw[f] > 0 && -fall > 0.6 * raw[f]) return f + SHUTTER / 2
  // A lamp came on between two exposures, or during one of them: then it shows in part in one and whole in the next.
  const same = (g: number) => (g > 0 && g < raw.length && raw[g] * raw[f] > 0 ? Math.abs(raw[g]) : 0)
  const before = same(f - 1)
  const after = same(f + 1)
  return f - SHUTTER / 2 + (after - before) / (before + Math.abs(raw[f]) + after)
}

/** Speeds beside 1 that are tried where none fits at 1: those of shooting practice. */
const SPEEDS: readonly number[] = [1, ...COMMON_SPEEDS]
/** A clock's drift is told from so many events over so long a stretch on, s; below, it is none. */
const DRIFT_EVENTS = 6
const DRIFT_SECONDS = 120
/** Clocks of cameras do not run apart by more. */
const MOST_DRIFT = 200e-6
/** Points of the curve that a proof keeps. */
const CURVE_POINTS = 600

/** What is compared: light of placed cameras on the master's time, and where each of them saw. */
interface Known {
  readonly events: readonly LightEvent[][]
  readonly spans: readonly (readonly [number, number])[]
  readonly frame: number
}

/**
 * Places a clip without usable sound by changes of light that cameras of known place saw too: flashes, lamps, cues. All
 * lags are tried by correlation; the verdict counts events seen by both within one frame. Where none fits at the clip's own
 * speed, the speeds of shooting practice are tried; over long stretches the drift of its clock is measured.
 * @param references cameras placed already; their light is put together on the master's time
 * @param near half the width of the stretch that is looked at, around a start, s
 * @param speeds master seconds in one second of the clip, the likeliest first
 */
export function placeByLight(
  references: readonly LightReference[],
  clip: LightTrack,
  near?: { startSeconds: number; tolerance: number },
  speeds: readonly number[] = SPEEDS,
): LightPlacement {
  const nothing = (why: Fact): LightPlacement => ({
    verdict: 'loose',
    startSeconds: null,
    rate: 1,
    why: [why],
    proof: null,
    events: 0,
    matched: 0,
    rivalRatio: 0,
  })
  if (references.length === 0) return nothing({ code: 'light-no-reference' })
  const own = lightEvents(clip)
  if (own.length < CHECK_EVENTS) return nothing({ code: 'light-steady', ofClip: true })
  const known: Known = {
    events: references.map((r) => lightEvents(r.track).map((e) => ({ at: r.startSeconds + r.rate * e.at, change: e.change }))),
    spans: references.map((r) => [
      r.startSeconds + r.rate * r.track.startSeconds,
      r.startSeconds + r.rate * (r.track.startSeconds + r.track.luma.length / LIGHT_CELLS / rateToNumber(r.track.rate)),
    ]),
    frame: Math.max(1 / rateToNumber(clip.rate), ...references.map((r) => 1 / rateToNumber(r.track.rate))),
  }
  if (known.events.every((events) => events.length < CHECK_EVENTS)) return nothing({ code: 'light-steady', ofClip: false })
  let best: LightPlacement | null = null
  for (const [i, speed] of speeds.entries()) {
    const found = placedAt(known, clip, own, speed, near ?? null, i === 0 ? 1 : speeds.length)
    // Another speed must be sure: among many, something always fits a little.
    if (found && (!best || (found.verdict === 'sure' && (best.verdict !== 'sure' || found.matched > best.matched)))) best = found
    if (best?.verdict === 'sure' && i === 0) break
  }
  return best ?? nothing({ code: 'light-nothing' })
}

/** The best place at one speed; null where nothing fits at all. @param tried how many speeds are tried, each of which may fit by chance */
function placedAt(
  { events: known, spans, frame }: Known,
  clip: LightTrack,
  events: readonly LightEvent[],
  speed: number,
  near: { startSeconds: number; tolerance: number } | null,
  tried: number,
): LightPlacement | null {
  const own = events.map((e) => ({ at: speed * e.at, change: e.change }))
  const begin = speed * clip.startSeconds
  const length = (speed * clip.luma.length) / LIGHT_CELLS / rateToNumber(clip.rate)
  const origin = Math.min(...spans.map((s) => s[0]))
  const end = Math.max(...spans.map((s) => s[1]))
  const reference = new Float32Array(Math.ceil((end - origin) * GRID) + 1)
  for (const list of known) draw(reference, list, origin, frame)
  const ours = new Float32Array(Math.ceil(length * GRID) + 1)
  draw(ours, own, begin, frame)
  const least = LEAST_OVERLAP_SECONDS * GRID
  const size = powerOfTwo(reference.length + ours.length)
  const all = correlation(reference, ours, size)
  const first = Math.min(0, least - ours.length)
  const last = Math.max(0, reference.length - least)
  const refEnergy = energies(reference)
  const ownEnergy = energies(ours)
  const scores = new Float32Array(last - first + 1)
  for (let i = 0; i < scores.length; i++) {
    const lag = first + i
    const from = Math.max(0, lag)
    const to = Math.min(reference.length, lag + ours.length)
    const both = (refEnergy[to] - refEnergy[from]) * (ownEnergy[to - lag] - ownEnergy[from - lag])
    // A single event fits any other: the floor keeps short overlaps from winning by it.
    scores[i] = all[lag < 0 ? lag + size : lag] / Math.sqrt(both + 0.05 * refEnergy[reference.length] * ownEnergy[ours.length])
    if (near && Math.abs(origin + lag / GRID - begin - near.startSeconds) > near.tolerance) scores[i] = 0
  }
  const startOf = (i: number) => origin + (first + i) / GRID - begin
  const best = top(scores, () => true)
  const rival = top(scores, (i) => Math.abs(i - best) > 0.4 * GRID)
  if (!(scores[best] > 0)) return null
  const placed = settled(own, known, spans, startOf(best + parabola(scores, best)), frame)
  const { start, matched, seen } = placed
  const rivalRatio = Math.max(0, scores[rival] / scores[best])
  const share = seen > 0 ? matched / seen : 0
  // How often the references change by chance within a frame of any instant, and how many places were tried.
  const seconds = spans.reduce((s, [from, to]) => s + to - from, 0)
  const dense = Math.min(0.5, (known.reduce((s, list) => s + list.length, 0) / seconds) * 2 * frame)
  const chance = tail(seen, matched, dense) * tried * Math.max(1, (near ? 2 * near.tolerance : scores.length / GRID) / frame)
  const verdict =
    matched >= SURE_EVENTS && share >= SURE_SHARE && chance < SURE_CHANCE && rivalRatio < RIVAL
      ? 'sure'
      : matched >= CHECK_EVENTS && share >= SURE_SHARE / 2 && chance < CHECK_CHANCE && rivalRatio < 0.95
        ? 'check'
        : 'loose'
  const other = settled(own, known, spans, startOf(rival), frame)
  const candidate = (s: number, { matched: m, seen: n }: Settled, support: number, rate: number): Candidate => ({
    startSeconds: s,
    rate,
    support,
    agreeing: m,
    windows: n,
  })
  const rate = speed * (1 + placed.drift)
  const step = Math.max(1, Math.ceil(scores.length / CURVE_POINTS))
  return {
    verdict,
    startSeconds: verdict === 'loose' ? null : start,
    rate,
    why:
      verdict === 'loose'
        ? [{ code: 'light-misfit', matched, events: seen }]
        : [{ code: 'light', matched, events: seen }, ...(rivalRatio >= RIVAL ? [{ code: 'light-rival', ratio: rivalRatio } as const] : [])],
    proof: {
      by: 'light',
      chosen: candidate(start, placed, scores[best], rate),
      rivals: scores[rival] > 0 ? [candidate(other.start, other, scores[rival], speed)] : [],
      rivalRatio,
      windows: placed.lags.map(({ at, lag, agrees }) => ({ clipSeconds: at / speed, lagMs: lag * 1000, strength: 1, agrees })),
      curve: peaksOf(scores, step),
      curveStart: startOf(0),
      curveStep: step / GRID,
      invertedPolarity: false,
    },
    events: seen,
    matched,
    rivalRatio,
  }
}

/** The highest of each few values, so that no peak is lost. */
function peaksOf(values: Float32Array, step: number): number[] {
  const out: number[] = []
  for (let i = 0; i < values.length; i += step) out.push(Math.max(0, ...values.subarray(i, i + step)))
  return out
}

/** Probability of at least k successes in n tries of probability p. */
function tail(n: number, k: number, p: number): number {
  let sum = 0
  let term = (1 - p) ** n
  for (let i = 0; i <= n; i++) {
    if (i >= k) sum += term
    term *= ((n - i) / (i + 1)) * (p / (1 - p))
  }
  return Math.min(1, sum)
}

/** Each event as a hill as wide as a frame, its height by the size of the change. */
function draw(into: Float32Array, events: readonly LightEvent[], origin: number, frame: number): void {
  const reach = Math.max(2, Math.ceil(frame * GRID * 1.5))
  for (const { at, change } of events) {
    const middle = (at - origin) * GRID
    const height = Math.sign(change) * Math.min(1, 0.4 + Math.abs(change))
    for (let i = Math.floor(middle) - reach; i <= Math.ceil(middle) + reach; i++) {
      if (i < 0 || i >= into.length) continue
      const value = height * Math.exp(-0.5 * ((i - middle) / (0.5 * frame * GRID)) ** 2)
      if (Math.abs(value) > Math.abs(into[i])) into[i] = value
    }
  }
}

function energies(values: Float32Array): Float64Array {
  const out = new Float64Array(values.length + 1)
  for (let i = 0; i < values.length; i++) out[i + 1] = out[i] + values[i] * values[i]
  return out
}

function top(values: Float32Array, allowed: (i: number) => boolean): number {
  let best = -1
  for (let i = 0; i < values.length; i++) if (allowed(i) && (best < 0 || values[i] > values[best])) best = i
  return Math.max(0, best)
}

interface Settled {
  /** Where the clip begins on the master, s. */
  readonly start: number
  /** How much longer the clip's time is on the master, as a share; 0 where it cannot be told. */
  readonly drift: number
  readonly matched: number
  /** Events of the clip at instants that a camera saw. */
  readonly seen: number
  /** Of each such event: its clip time at the speed that is tried, how much later the others saw it, and whether that is within a frame; s. */
  readonly lags: readonly { readonly at: number; readonly lag: number; readonly agrees: boolean }[]
}

/** Times that start and drift are brought nearer by those that agree. */
const ROUNDS = 6

/** Counts the clip's events that a camera saw too, and moves the start to the middle of their differences, along the drift that they show. */
function settled(own: readonly LightEvent[], known: readonly LightEvent[][], spans: Known['spans'], guess: number, frame: number): Settled {
  let line: Line = { start: guess, drift: 0 }
  for (let round = 0; round < ROUNDS; round++) {
    const agreeing = lagsOn(line, own, known, spans, frame).filter((l) => l.agrees)
    if (agreeing.length === 0) break
    line = nearer(line, agreeing, round > 0)
  }
  const unsure = driftUnsure(
    lagsOn(line, own, known, spans, frame).filter((l) => l.agrees),
    frame,
  )
  // A drift that the changes do not tell from none is none.
  if (line.drift !== 0 && (Math.abs(line.drift) < 3 * unsure || Math.abs(line.drift) > MOST_DRIFT)) {
    line = { start: guess, drift: 0 }
    for (let round = 0; round < 3; round++) {
      const agreeing = lagsOn(line, own, known, spans, frame).filter((l) => l.agrees)
      if (agreeing.length > 0) line = nearer(line, agreeing, false)
    }
  }
  const lags = lagsOn(line, own, known, spans, frame)
  return { ...line, matched: lags.filter((l) => l.agrees).length, seen: lags.length, lags }
}

interface Line {
  readonly start: number
  readonly drift: number
}

/** What the cameras that watched say of each event of the clip, if it lay along a line. */
function lagsOn({ start, drift }: Line, own: readonly LightEvent[], known: readonly LightEvent[][], spans: Known['spans'], frame: number): Settled['lags'] {
  return own.flatMap((event) => {
    const at = start + (1 + drift) * event.at
    const watching = known.filter((_, i) => at >= spans[i][0] && at <= spans[i][1])
    if (watching.length === 0) return []
    let lag = Number.POSITIVE_INFINITY
    for (const list of watching) for (const e of list) if (e.change * event.change > 0 && Math.abs(e.at - at) < Math.abs(lag)) lag = e.at - at
    return [{ at: event.at, lag: Math.max(-1, Math.min(1, lag)), agrees: Math.abs(lag) <= frame }]
  })
}

/** The line moved to the middle of what agrees; where that reaches far enough, turned as well. */
function nearer({ start, drift }: Line, agreeing: Settled['lags'], turns: boolean): Line {
  const n = agreeing.length
  const ats = agreeing.map((l) => l.at)
  if (turns && n >= DRIFT_EVENTS && Math.max(...ats) - Math.min(...ats) >= DRIFT_SECONDS) {
    const middle = ats.reduce((s, x) => s + x, 0) / n
    const mean = agreeing.reduce((s, l) => s + l.lag, 0) / n
    const slope = agreeing.reduce((s, l) => s + (l.at - middle) * (l.lag - mean), 0) / agreeing.reduce((s, l) => s + (l.at - middle) ** 2, 0)
    return { start: start + mean - slope * middle, drift: drift + slope }
  }
  const sorted = agreeing.map((l) => l.lag).sort((a, b) => a - b)
  const inner = sorted.slice(Math.floor(n / 4), Math.ceil((3 * n) / 4))
  return { start: start + inner.reduce((s, x) => s + x, 0) / inner.length, drift }
}

/** Standard deviation of a drift that is measured by some changes, each told to a frame, evenly spread. */
function driftUnsure(agreeing: Settled['lags'], frame: number): number {
  const middle = agreeing.reduce((s, l) => s + l.at, 0) / Math.max(1, agreeing.length)
  return (
    frame /
    Math.sqrt(12) /
    Math.sqrt(
      Math.max(
        1e-9,
        agreeing.reduce((s, l) => s + (l.at - middle) ** 2, 0),
      ),
    )
  )
}
