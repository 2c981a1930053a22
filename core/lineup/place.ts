import { ANALYSIS_RATE, type BandFeatures, bandFeatures, resample, stretchFeatures } from '../signal/index.ts'
import { type CoarsePeak, CoarseReference, type CoarseResult } from './coarse.ts'
import { fitLine, type LineFit } from './fit.ts'
import { measureWindow, type WindowCache, type WindowMeasure } from './windows.ts'

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

/** All that speaks for and against a placement; what the proof panel shows. */
export interface SoundProof {
  readonly chosen: Candidate | null
  readonly rivals: Candidate[]
  /** Support of the next-best over that of the chosen, 0..1. */
  readonly rivalRatio: number
  readonly windows: { clipSeconds: number; lagMs: number; strength: number; agrees: boolean }[]
  readonly curve: number[]
  readonly curveStart: number
  readonly curveStep: number
  readonly invertedPolarity: boolean
}

export interface SoundPlacement {
  readonly verdict: Verdict
  /** Master time of clip time 0, s; with a loose verdict the best guess or null. */
  readonly startSeconds: number | null
  readonly rate: number
  /** 0..1: how far the evidence is above what chance gives. */
  readonly confidence: number
  readonly why: string
  readonly proof: SoundProof
}

export interface PlaceOptions {
  /** Speeds to try besides 1: master seconds in one clip second. */
  readonly speeds?: readonly number[]
  /** Look only near this start. */
  readonly near?: { startSeconds: number; tolerance: number }
  readonly thorough?: boolean
  /** Called between steps with the share done, 0..1; throwing stops the search. */
  readonly onProgress?: (share: number) => void
}

/** Window strength below which a peak may be chance. */
const STRONG = 8
/** A sure placement needs this many strong agreeing windows (fewer only where the clip holds fewer). */
const SURE_WINDOWS = 3
const SURE_SHARE = 0.4
/** Below this share the windows that agree may do so by chance, since many places were tried. */
const CHECK_SHARE = 0.25
const SURE_RIVAL = 0.85
/** Coarse score from which a place stands out by itself. */
const CLEAR_SCORE = 12

/** Speeds that shooting practice uses: frame rates over each other. */
export const COMMON_SPEEDS = [1.5, 2, 1.25, 1.2, 4 / 3, 25 / 24, 24 / 25, 0.5, 0.8, 2.4, 2.5, 1.1, 0.75, 2 / 3, 0.9, 3, 4] as const

/** Prepared master, shared by all clips of a line-up. */
export class SoundReference {
  readonly samples: Float32Array
  readonly coarse: CoarseReference

  /** @param samples mono at {@link ANALYSIS_RATE}, sample 0 at master time 0 */
  constructor(samples: Float32Array) {
    this.samples = samples
    this.coarse = new CoarseReference(bandFeatures(samples))
  }
}

interface Weighed {
  readonly candidate: Candidate
  readonly fit: LineFit
  readonly windows: WindowMeasure[]
}

/**
 * Places one clip on the master by its sound: a search of band features over every overlap, then many short windows
 * of phase-transform correlation at each promising place, a robust line through them for start and rate, and a
 * verdict from the evidence. Foreign material is refused: it gives no line that windows agree on.
 * @param reference the prepared master
 * @param clip mono at {@link ANALYSIS_RATE}; sample 0 is the clip's presentation time 0
 * @returns a loose verdict with the reason for silence, too short clips and foreign material
 */
export function placeBySound(reference: SoundReference, clip: Float32Array, options: PlaceOptions = {}): SoundPlacement {
  const nothing = (why: string, coarse?: CoarseResult): SoundPlacement => ({
    verdict: 'loose',
    startSeconds: null,
    rate: 1,
    confidence: 0,
    why,
    proof: proofOf(null, [], 1, coarse),
  })
  if (clip.length < 3 * ANALYSIS_RATE) return nothing('the clip has less than 3 s of sound')
  const features = bandFeatures(clip)
  if (features.levelDb.every((level) => level < -85)) return nothing('the clip is silent')
  if (reference.samples.length < 3 * ANALYSIS_RATE) return nothing('the master has less than 3 s of sound')

  let best = attempt(reference, clip, features, 1, options)
  options.onProgress?.(0.5)
  if (verdictOf(best).verdict !== 'sure' && options.speeds?.length) {
    for (const speed of promisingSpeeds(reference, features, options.speeds)) {
      const other = attempt(reference, resample(clip, speed), stretchFeatures(features, speed), speed, options)
      if ((other.ranked[0]?.candidate.support ?? 0) > (best.ranked[0]?.candidate.support ?? 0) * 1.2) best = other
      if (verdictOf(best).verdict === 'sure') break
    }
  }
  options.onProgress?.(1)
  const chosen = best.ranked[0]
  if (!chosen) return nothing('no place on the master resembles this sound', best.coarse)
  const { verdict, why, confidence } = verdictOf(best)
  return {
    verdict,
    startSeconds: chosen.candidate.startSeconds,
    rate: chosen.candidate.rate,
    confidence,
    why,
    proof: proofOf(chosen, best.ranked, best.speed, best.coarse),
  }
}

interface Attempt {
  readonly ranked: Weighed[]
  readonly coarse: CoarseResult
  readonly speed: number
}

/** @param clip the clip already brought to the master's speed */
function attempt(reference: SoundReference, clip: Float32Array, features: BandFeatures, speed: number, options: PlaceOptions): Attempt {
  const coarse = reference.coarse.search(features, options.thorough ? 24 : 14)
  const { near } = options
  const peaks: CoarsePeak[] = near ? coarse.peaks.filter((p) => Math.abs(p.startSeconds - near.startSeconds) <= near.tolerance) : coarse.peaks
  const ranked: Weighed[] = []
  const cache: WindowCache = new Map()
  // A first look with few windows, at every place or, where one place stands out, at the first few.
  const clear = peaks.length > 1 && peaks[0].score > CLEAR_SCORE && peaks[1].score < peaks[0].score * 0.5
  const firstLook = (clear && !options.thorough ? peaks.slice(0, 4) : peaks)
    .map((peak) => weigh(reference.samples, clip, peak.startSeconds, speed, 7, cache))
    .filter((w): w is Weighed => w !== null)
    .sort((a, b) => b.candidate.support - a.candidate.support)
  const best = firstLook[0]?.candidate.support ?? 0
  for (const [rank, one] of firstLook.entries()) {
    const worthIt = rank === 0 || (rank < 5 && one.candidate.support > best * 0.35)
    const start = one.candidate.startSeconds
    ranked.push((worthIt ? weigh(reference.samples, clip, start, speed, options.thorough ? 64 : 32, cache) : null) ?? one)
    options.onProgress?.(0.1 + (0.4 * (rank + 1)) / firstLook.length)
  }
  ranked.sort((a, b) => b.candidate.support - a.candidate.support)
  const apart = ranked.filter((one, i) => ranked.findIndex((other) => Math.abs(other.candidate.startSeconds - one.candidate.startSeconds) < 0.05) === i)
  return { ranked: apart, coarse, speed }
}

/**
 * Measures windows spread over the overlap and fits the line.
 * @param startSeconds master time of the clip's sample 0 by the coarse search
 */
function weigh(master: Float32Array, clip: Float32Array, startSeconds: number, speed: number, most: number, cache: WindowCache): Weighed | null {
  const start = startSeconds * ANALYSIS_RATE
  const from = Math.max(0, Math.ceil(-start) + 1)
  const to = Math.min(clip.length, Math.floor(master.length - start) - 1)
  const overlap = to - from
  // 3.5 s windows; clips under 14 s get a quarter of their length, but not under 1 s.
  const length = Math.min(28000, Math.max(8000, Math.floor(overlap / 4)))
  if (overlap < length) return null
  const count = Math.max(1, Math.min(most, Math.floor((overlap - length) / (length / 2)) + 1))
  const windows: WindowMeasure[] = []
  for (let i = 0; i < count; i++) {
    const at = from + (count === 1 ? Math.floor((overlap - length) / 2) : Math.floor(((overlap - length) * i) / (count - 1)))
    const measure = measureWindow(master, clip, at, length, start, cache)
    if (measure) windows.push(measure)
  }
  const fit = fitLine(windows)
  if (!fit) return null
  const agreeing = windows.filter((w, i) => fit.agrees[i] && w.strength >= STRONG).length
  return {
    fit,
    windows,
    // clip seconds of the brought-to-speed clip are `speed` seconds of the original one
    candidate: { startSeconds: startSeconds + fit.offsetSeconds, rate: (1 + fit.drift) * speed, support: fit.support, agreeing, windows: windows.length },
  }
}

function verdictOf(result: Attempt): { verdict: Verdict; why: string; confidence: number } {
  const chosen = result.ranked[0]
  if (!chosen) return { verdict: 'loose', why: 'no place on the master resembles this sound', confidence: 0 }
  const { agreeing, windows, support } = chosen.candidate
  const share = windows > 0 ? agreeing / windows : 0
  const rival = result.ranked[1]?.candidate.support ?? 0
  const ratio = support > 0 ? rival / support : 1
  const confidence = Math.max(0, Math.min(1, share)) * Math.max(0, Math.min(1, 2 * (1 - ratio)))
  const windowsText = `${agreeing} of ${windows} windows agree`
  const enough = agreeing >= Math.min(SURE_WINDOWS, windows) && windows >= 2
  if (!enough || share < CHECK_SHARE)
    return { verdict: 'loose', why: `nothing on the master matches this sound (${windowsText} at the best place)`, confidence: Math.min(confidence, 0.1) }
  if (share < SURE_SHARE) return { verdict: 'check', why: `by sound, but only ${windowsText}`, confidence: Math.min(confidence, 0.5) }
  if (ratio > SURE_RIVAL)
    return { verdict: 'check', why: `by sound; two places fit almost equally (next-best ${ratio.toFixed(2)}×)`, confidence: Math.min(confidence, 0.5) }
  return { verdict: 'sure', why: `by sound; ${windowsText}, next-best place ${ratio.toFixed(2)}×`, confidence: Math.max(confidence, 0.6) }
}

/** Speeds worth the fine stage: those whose stretched features correlate best with the master. */
function promisingSpeeds(reference: SoundReference, features: BandFeatures, speeds: readonly number[]): number[] {
  return speeds
    .map((speed) => ({ speed, score: reference.coarse.search(stretchFeatures(features, speed), 1).peaks[0]?.score ?? 0 }))
    .sort((a, b) => b.score - a.score)
    .slice(0, 3)
    .map((x) => x.speed)
}

function proofOf(chosen: Weighed | null, ranked: Weighed[], speed: number, coarse?: CoarseResult): SoundProof {
  const support = chosen?.candidate.support ?? 0
  return {
    chosen: chosen?.candidate ?? null,
    rivals: ranked.slice(1, 5).map((r) => r.candidate),
    rivalRatio: support > 0 ? (ranked[1]?.candidate.support ?? 0) / support : 0,
    windows: (chosen?.windows ?? []).map((w, i) => ({
      clipSeconds: w.clipSeconds / speed,
      lagMs: (w.lagSeconds - (chosen?.fit.offsetSeconds ?? 0)) * 1000,
      strength: w.strength,
      agrees: chosen?.fit.agrees[i] ?? false,
    })),
    curve: Array.from(coarse?.curve ?? [], (v) => Math.round(v * 100) / 100),
    curveStart: coarse?.curveStart ?? 0,
    curveStep: coarse?.curveStep ?? 1,
    invertedPolarity: (chosen?.windows.reduce((s, w, i) => s + (chosen.fit.agrees[i] ? w.coherence : 0), 0) ?? 0) < 0,
  }
}
