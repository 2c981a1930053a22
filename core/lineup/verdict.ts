import type { SumResult } from './buried.ts'
import type { LineFit } from './fit.ts'
import type { Why } from './why.ts'
import { STRONG, type WindowMeasure } from './windows.ts'

export const VERDICTS = ['sure', 'check', 'loose'] as const
export type Verdict = (typeof VERDICTS)[number]

/** A place that was weighed, chosen or not. */
export interface Candidate {
  readonly startSeconds: number
  readonly rate: number
  /** Support by the windows (see {@link LineFit.support}). */
  readonly support: number
  readonly agreeing: number
  readonly windows: number
}

/** A place with all that its windows say. */
export interface Weighed {
  readonly candidate: Candidate
  readonly fit: LineFit
  readonly windows: WindowMeasure[]
  /** Strong windows on the line that do not lie over each other. */
  readonly apart: number
}

/** What a search at one speed found, and what else speaks for and against the first of it. */
export interface Ranked {
  readonly ranked: Weighed[]
  /** How far what differs between rivals speaks for the first, standard deviations of chance; null where it does not settle it. */
  readonly settled?: number | null
  /** What is heard in the clip of other places that the first one has not, standard deviations of chance; 0 where nothing rivals it. */
  readonly left?: number
}

export interface Judged {
  readonly verdict: Verdict
  readonly why: Why
  readonly confidence: number
}

/** A sure placement needs this many strong agreeing windows (fewer only where the clip holds fewer). */
const SURE_WINDOWS = 3
/** Agreeing windows that do not lie over each other. */
const SURE_APART = 2
/** A window this strong is alike all through: a phrase of speech, not a drum hit in common. */
const UNMISTAKABLE = 100
const SURE_SHARE = 0.4
/** Of few windows, those of a short overlap, more must agree: three of seven do so by chance where music repeats. */
const FEW = 8
const SURE_SHARE_OF_FEW = 0.55
/** No two clocks of usual devices run apart by more than this; longer recordings may show it, a few seconds may not claim it. */
const USUAL_DRIFT = 120e-6
const LONG_SPAN = 60
/** Strong windows so near beside the line, as a share of those on it, and a spread on it, by which a passage played again is known. */
const NEAR_SECONDS = 0.02
const NEAR_MISSES = 0.25
const SCATTER_SECONDS = 0.00015
/** Of few windows a line leads through some of them however they lie: there so many near ones are enough. */
const NEAR_MISSES_OF_FEW = 0.5
/** What chance leaves at most of places that resemble the right one, standard deviations. */
export const LEFT_BY_CHANCE = 4
/** Below this share the windows that agree may do so by chance, since many places were tried. */
const CHECK_SHARE = 0.25
export const SURE_RIVAL = 0.85

/** How certain the first of what was found is, by rules in the order of their weight. */
export function verdictOf(result: Ranked): Judged {
  const chosen = result.ranked[0]
  if (!chosen) return { verdict: 'loose', why: [{ code: 'nothing-alike' }], confidence: 0 }
  const { agreeing, windows, support } = chosen.candidate
  const share = windows > 0 ? agreeing / windows : 0
  const rival = result.ranked[1]?.candidate.support ?? 0
  const ratio = support > 0 ? rival / support : 1
  const confidence = Math.max(0, Math.min(1, share)) * Math.max(0, Math.min(1, 2 * (1 - ratio)))
  const enough = agreeing >= Math.min(SURE_WINDOWS, windows) && windows >= 2
  if (!enough || share < CHECK_SHARE) return { verdict: 'loose', why: [{ code: 'windows-none', agreeing, windows }], confidence: Math.min(confidence, 0.1) }
  const best = Math.max(...chosen.windows.map((w, i) => (chosen.fit.agrees[i] ? w.strength : 0)))
  if (chosen.apart < SURE_APART && best < UNMISTAKABLE) return { verdict: 'loose', why: [{ code: 'one-instant' }], confidence: Math.min(confidence, 0.1) }
  if (share < SURE_SHARE) return { verdict: 'check', why: [{ code: 'windows-few', agreeing, windows }], confidence: Math.min(confidence, 0.5) }
  const drift = Math.abs(chosen.fit.drift)
  if (windows <= FEW && share < SURE_SHARE_OF_FEW)
    return { verdict: 'check', why: [{ code: 'windows-few', agreeing, windows }], confidence: Math.min(confidence, 0.5) }
  if (drift > USUAL_DRIFT && spanOf(chosen) < LONG_SPAN)
    return {
      verdict: 'check',
      why: [{ code: 'drift-unusual', ppm: Math.round(drift * 1e6), seconds: Math.round(spanOf(chosen)) }],
      confidence: Math.min(confidence, 0.5),
    }
  const scatter = scatterOf(chosen)
  const again = scatter.near >= NEAR_MISSES * agreeing && scatter.seconds > SCATTER_SECONDS
  if (again || (windows <= FEW && scatter.near >= NEAR_MISSES_OF_FEW * agreeing))
    return { verdict: 'check', why: [{ code: 'windows-scatter', agreeing, windows, ms: scatter.seconds * 1000 }], confidence: Math.min(confidence, 0.5) }
  if ((result.left ?? 0) > LEFT_BY_CHANCE)
    return { verdict: 'check', why: [{ code: 'something-left', agreeing, windows, ratio }], confidence: Math.min(confidence, 0.5) }
  if (result.settled)
    return {
      verdict: 'sure',
      why: [{ code: 'told-by-difference', agreeing, windows, ratio: Math.min(1, ratio), several: result.ranked.length > 2 }],
      confidence: 0.75,
    }
  if (ratio > SURE_RIVAL) {
    const apart = toldApart(chosen, result.ranked.slice(1))
    if (!apart) return { verdict: 'check', why: [{ code: 'two-places', ratio }], confidence: Math.min(confidence, 0.5) }
    return {
      verdict: 'sure',
      why: [{ code: 'told-by-windows', agreeing, windows, ratio, worse: apart.worse, compared: apart.windows }],
      confidence: 0.7,
    }
  }
  return { verdict: 'sure', why: [{ code: 'windows', agreeing, windows, ratio }], confidence: Math.max(confidence, 0.6) }
}

/**
 * How the strong windows lie about the line: the spread of those on it, and how many lie beside it, but near. Of one recording in
 * a room they lie on it to a fraction of a millisecond or anywhere; a passage played again lies near it, each note a little off.
 */
function scatterOf({ windows, fit }: Weighed): { seconds: number; near: number } {
  const off = (w: WindowMeasure) => w.lagSeconds - fit.offsetSeconds - fit.drift * w.clipSeconds
  const strong = windows.filter((w) => w.strength >= STRONG)
  const on = strong.filter((w) => fit.agrees[windows.indexOf(w)]).map(off)
  const near = strong.filter((w) => !fit.agrees[windows.indexOf(w)] && Math.abs(off(w)) < NEAR_SECONDS).length
  return { seconds: Math.sqrt(on.reduce((s, x) => s + x * x, 0) / Math.max(1, on.length)), near }
}

/** Clip seconds between the first and the last window on the line. */
function spanOf({ windows, fit }: Weighed): number {
  const on = windows.filter((_, i) => fit.agrees[i]).map((w) => w.clipSeconds)
  return Math.max(...on) - Math.min(...on)
}

/** Windows that two places must share to be compared, how much weaker the rival must be on the whole, and how regularly. */
const COMPARED_WINDOWS = 6
const WEAKER_BY = 0.04
const WEAKER_T = 3.3

/**
 * Where music repeats itself, rivals fit almost as well; what little differs tells them apart if it does so all along.
 * The windows of both places are compared in pairs (paired t statistic over the whole overlap).
 * @returns null when any rival cannot be told apart
 */
function toldApart(chosen: Weighed, rivals: readonly Weighed[]): { worse: number; windows: number } | null {
  let closest: { worse: number; windows: number } | null = null
  for (const rival of rivals) {
    if (rival.candidate.support < SURE_RIVAL * chosen.candidate.support) continue
    const differences: number[] = []
    for (const [i, w] of chosen.windows.entries()) {
      if (!chosen.fit.agrees[i]) continue
      const k = rival.windows.findIndex((r) => Math.abs(r.clipSeconds - w.clipSeconds) < 0.5)
      if (k >= 0) differences.push((w.strength - (rival.fit.agrees[k] ? rival.windows[k].strength : 0)) / w.strength)
    }
    const n = differences.length
    if (n < COMPARED_WINDOWS) return null
    const mean = differences.reduce((s, d) => s + d, 0) / n
    const spread = Math.sqrt(differences.reduce((s, d) => s + (d - mean) ** 2, 0) / (n - 1))
    if (mean < WEAKER_BY || mean * Math.sqrt(n) < WEAKER_T * spread) return null
    closest ??= { worse: differences.filter((d) => d > 0).length, windows: n }
  }
  return closest
}

/** A sum of all windows this high over chance is sure, or worth a look, standard deviations: millions of places were tried. */
export const SUM_SURE = 8
const SUM_CHECK = 6.8
/** So much must be left of it without the window that says most. */
const SUM_REST = 6
/** The next-best place, as a share of it. */
export const SUM_RIVAL = 0.8

/**
 * How certain the best place by the sum of all windows is.
 * @param settled whether what differs between it and its rivals speaks for it
 */
export function sumVerdict({ best, rivals }: SumResult, settled = false): Judged {
  const ratio = (rivals[0]?.strength ?? 0) / best.strength
  const windows = best.windows.length
  const why: Why = [{ code: 'sum', windows, strength: best.strength, ratio }]
  const confidence = Math.max(0, Math.min(1, (best.strength - 5) / 10)) * Math.max(0, Math.min(1, 2.5 * (1 - ratio)))
  if (best.strength < SUM_CHECK || best.rest < SUM_CHECK - 2) return { verdict: 'loose', why, confidence: Math.min(confidence, 0.1) }
  if (best.strength < SUM_SURE || best.rest < SUM_REST || (ratio > SUM_RIVAL && !settled) || Math.abs(best.rate - 1) > USUAL_DRIFT)
    return { verdict: 'check', why, confidence: Math.min(confidence, 0.5) }
  if (!settled) return { verdict: 'sure', why, confidence: Math.max(confidence, 0.6) }
  const places = rivals.filter((s) => s.strength > SUM_RIVAL * best.strength).length
  return { verdict: 'sure', why: [{ code: 'sum-told-by-difference', windows, strength: best.strength, places }], confidence: 0.75 }
}
