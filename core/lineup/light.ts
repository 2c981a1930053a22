import { correlation, powerOfTwo } from '../signal/index.ts'
import { type Rate, rateToNumber } from '../time/index.ts'
import { parabola } from './coarse.ts'
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
  readonly why: Why
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

/**
 * Places a clip without usable sound by changes of light that cameras of known place saw too: flashes, lamps, cues. All
 * lags are tried by correlation; the verdict counts events seen by both within one frame.
 * @param references cameras placed already; their light is put together on the master's time
 */
export function placeByLight(references: readonly LightReference[], clip: LightTrack, near?: { startSeconds: number; tolerance: number }): LightPlacement {
  const nothing = (why: Fact): LightPlacement => ({ verdict: 'loose', startSeconds: null, why: [why], events: 0, matched: 0, rivalRatio: 0 })
  if (references.length === 0) return nothing({ code: 'light-no-reference' })
  const own = lightEvents(clip)
  if (own.length < CHECK_EVENTS) return nothing({ code: 'light-steady', ofClip: true })
  const known = references.map((r) => lightEvents(r.track).map((e) => ({ at: r.startSeconds + r.rate * e.at, change: e.change })))
  if (known.every((events) => events.length < CHECK_EVENTS)) return nothing({ code: 'light-steady', ofClip: false })
  const clipEnd = clip.startSeconds + clip.luma.length / LIGHT_CELLS / rateToNumber(clip.rate)
  const spans = references.map((r) => [
    r.startSeconds + r.rate * r.track.startSeconds,
    r.startSeconds + r.rate * (r.track.startSeconds + r.track.luma.length / LIGHT_CELLS / rateToNumber(r.track.rate)),
  ])
  const origin = Math.min(...spans.map((s) => s[0]))
  const end = Math.max(...spans.map((s) => s[1]))
  const frame = Math.max(1 / rateToNumber(clip.rate), ...references.map((r) => 1 / rateToNumber(r.track.rate)))
  const reference = new Float32Array(Math.ceil((end - origin) * GRID) + 1)
  for (const events of known) draw(reference, events, origin, frame)
  const ours = new Float32Array(Math.ceil((clipEnd - clip.startSeconds) * GRID) + 1)
  draw(ours, own, clip.startSeconds, frame)
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
    if (near && Math.abs(origin + lag / GRID - clip.startSeconds - near.startSeconds) > near.tolerance) scores[i] = 0
  }
  const best = top(scores, () => true)
  const rival = top(scores, (i) => Math.abs(i - best) > 0.4 * GRID)
  if (!(scores[best] > 0)) return nothing({ code: 'light-nothing' })
  const guess = origin + (first + best + parabola(scores, best)) / GRID - clip.startSeconds
  const { start, matched, events } = settled(own, known, spans, guess, frame)
  const rivalRatio = Math.max(0, scores[rival] / scores[best])
  const share = events > 0 ? matched / events : 0
  // How often the references change by chance within a frame of any instant, and how many places were tried.
  const seconds = spans.reduce((s, [from, to]) => s + to - from, 0)
  const dense = Math.min(0.5, (known.reduce((s, list) => s + list.length, 0) / seconds) * 2 * frame)
  const chance = tail(events, matched, dense) * Math.max(1, (near ? 2 * near.tolerance : scores.length / GRID) / frame)
  const verdict =
    matched >= SURE_EVENTS && share >= SURE_SHARE && chance < SURE_CHANCE && rivalRatio < RIVAL
      ? 'sure'
      : matched >= CHECK_EVENTS && share >= SURE_SHARE / 2 && chance < CHECK_CHANCE && rivalRatio < 0.95
        ? 'check'
        : 'loose'
  return {
    verdict,
    startSeconds: verdict === 'loose' ? null : start,
    why:
      verdict === 'loose'
        ? [{ code: 'light-misfit', matched, events }]
        : [{ code: 'light', matched, events }, ...(rivalRatio >= RIVAL ? [{ code: 'light-rival', ratio: rivalRatio } as const] : [])],
    events,
    matched,
    rivalRatio,
  }
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

/** Counts the clip's events that a camera saw too, and moves the start to the middle of their differences. */
function settled(own: readonly LightEvent[], known: readonly LightEvent[][], spans: readonly number[][], guess: number, frame: number) {
  let start = guess
  let matched = 0
  let events = 0
  for (let round = 0; round < 3; round++) {
    const lags: number[] = []
    matched = 0
    events = 0
    for (const event of own) {
      const at = start + event.at
      const watching = known.filter((_, i) => at >= spans[i][0] && at <= spans[i][1])
      if (watching.length === 0) continue
      events++
      const partners = watching
        .map((list) =>
          list.filter((e) => e.change * event.change > 0).reduce<LightEvent | null>((a, e) => (!a || Math.abs(e.at - at) < Math.abs(a.at - at) ? e : a), null),
        )
        .filter((e): e is LightEvent => e !== null && Math.abs(e.at - at) <= frame)
      if (partners.length === 0) continue
      matched++
      for (const p of partners) lags.push(p.at - at)
    }
    if (lags.length === 0) break
    lags.sort((a, b) => a - b)
    const inner = lags.slice(Math.floor(lags.length / 4), Math.ceil((3 * lags.length) / 4))
    start += inner.reduce((s, x) => s + x, 0) / inner.length
  }
  return { start, matched, events }
}
