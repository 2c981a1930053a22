import {
  ANALYSIS_RATE,
  type FeatureSource,
  featuresIn,
  featuresOf,
  resample,
  type SampleSource,
  sourceOf,
  stretchedFeatures,
  stretchedSource,
} from '../signal/index.ts'
import { type Sum, type SumResult, searchSum, whiteOf } from './buried.ts'
import { CoarseReference, type CoarseResult, FRAME_SECONDS } from './coarse.ts'
import { fitLine, type LineFit } from './fit.ts'
import { findJumps, type Jump } from './jumps.ts'
import type { PlaceProof } from './proof.ts'
import { leftOfRivals, settled, toldOfSums } from './rivals.ts'
import { anySpeeds, promisingSpeeds } from './speeds.ts'
import { type Candidate, type Judged, type Ranked, sumVerdict, type Verdict, verdictOf, type Weighed } from './verdict.ts'
import type { Fact, Why } from './why.ts'
import { measureWindow, STRONG, type WindowCache, type WindowMeasure } from './windows.ts'

export interface SoundPlacement {
  readonly verdict: Verdict
  /** Master time of clip time 0, s, before any jump; with a loose verdict the best guess or null. */
  readonly startSeconds: number | null
  readonly rate: number
  /** 0..1: how far the evidence is above what chance gives. */
  readonly confidence: number
  readonly why: Why
  readonly proof: PlaceProof
}

export interface PlaceOptions {
  /** Speeds to try besides 1: master seconds in one clip second. */
  readonly speeds?: readonly number[]
  /** Try any speed from a quarter to four times, where those do not fit. */
  readonly anySpeed?: boolean
  /** Take this speed and no other. */
  readonly only?: number
  /** Look only near this start. */
  readonly near?: { startSeconds: number; tolerance: number }
  readonly thorough?: boolean
  /** Called between steps with the share done, 0..1; throwing stops the search. */
  readonly onProgress?: (share: number) => void
}

/** Coarse score from which a place stands out by itself. */
const CLEAR_SCORE = 12

/** A recording as placing reads it: samples and features where they are needed. */
export interface HeardSound {
  /** Mono at {@link ANALYSIS_RATE}; sample 0 is presentation time 0. */
  readonly source: SampleSource
  readonly features: FeatureSource
}

/** @param source mono at {@link ANALYSIS_RATE}; sample 0 is presentation time 0 */
export function heardIn(source: SampleSource): HeardSound {
  return { source, features: featuresOf(source) }
}

/** {@link heardIn} for samples in memory. */
export function heard(samples: Float32Array): HeardSound {
  return heardIn(sourceOf(samples))
}

/** Prepared master, shared by all clips of a line-up. */
export class SoundReference {
  readonly source: SampleSource
  readonly coarse: CoarseReference
  #white: Int8Array | null = null

  constructor(master: HeardSound) {
    this.source = master.source
    this.coarse = new CoarseReference(master.features.read(0, master.features.frames))
  }

  /** The master as {@link searchSum} wants it; made when a clip is buried, a byte a sample. */
  get white(): Int8Array {
    this.#white ??= whiteOf(this.source)
    return this.#white
  }
}

/** Over this length, s, a clip is searched by excerpts: clocks that differ would smear one long correlation. */
const LONG_SECONDS = 480
const EXCERPT_SECONDS = 240
/** Where excerpts are taken, as shares of the clip, in the order in which they are tried. */
const EXCERPTS = [0.5, 0.12, 0.88, 0.3, 0.7, 0, 1]

/**
 * Places one clip on the master by its sound: a search of band features over every overlap, then many short windows
 * of phase-transform correlation at each promising place, a robust line through them for start and rate, and a
 * verdict from the evidence. Foreign material is refused: it gives no line that windows agree on.
 * @param reference the prepared master
 * @returns a loose verdict with the reason for silence, too short clips and foreign material
 */
export function placeBySound(reference: SoundReference, clip: HeardSound, options: PlaceOptions = {}): SoundPlacement {
  const nothing = (why: Fact, coarse?: CoarseResult): SoundPlacement => ({
    verdict: 'loose',
    startSeconds: null,
    rate: 1,
    confidence: 0,
    why: [why],
    proof: proofOf(null, [], 1, coarse),
  })
  if (clip.source.length < 3 * ANALYSIS_RATE) return nothing({ code: 'clip-short' })
  if (isSilent(clip.source)) return nothing({ code: 'clip-silent' })
  if (reference.source.length < 3 * ANALYSIS_RATE) return nothing({ code: 'master-short' })

  // Short clips are read and played at the other speed once; of long ones only the windows.
  const short = clip.source.length <= LONG_SECONDS * ANALYSIS_RATE
  const own = short ? sourceOf(clip.source.read(0, clip.source.length)) : clip.source
  const features = short ? featuresIn(clip.features.read(0, clip.features.frames)) : clip.features
  const at = (speed: number): HeardSound => {
    if (speed === 1) return { source: own, features }
    const source = short ? sourceOf(resample(own.read(0, own.length), speed)) : stretchedSource(own, speed)
    return { source, features: stretchedFeatures(features, speed) }
  }
  const { only = 1 } = options
  let best = attempt(reference, at(only), only, options)
  options.onProgress?.(0.5)
  const first = openToSum(best) ? buried(reference, at(only).source, only, options) : null
  if (first?.verdict === 'sure') return first
  if (verdictOf(best).verdict !== 'sure' && options.speeds?.length) {
    for (const speed of promisingSpeeds(reference.coarse, features, options.speeds)) {
      const other = attempt(reference, at(speed), speed, options)
      if ((other.ranked[0]?.candidate.support ?? 0) > (best.ranked[0]?.candidate.support ?? 0) * 1.2) best = other
      if (verdictOf(best).verdict === 'sure') break
    }
  }
  if (openToSum(best)) {
    const summed = buriedAtSpeeds(reference, at, first, options)
    if (summed && (summed.verdict === 'sure' || verdictOf(best).verdict === 'loose')) return summed
  }
  if (options.anySpeed && verdictOf(best).verdict !== 'sure') {
    const other = attemptAnySpeed(reference, own, at, options)
    if (other && (verdictOf(other).verdict === 'sure' || verdictOf(best).verdict === 'loose')) best = other
  }
  options.onProgress?.(1)
  const chosen = best.ranked[0]
  if (!chosen) return nothing({ code: 'nothing-alike' }, best.coarse)
  const judged = verdictOf(best)
  const jumps = judged.verdict === 'loose' ? [] : findJumps(reference.source, at(best.speed).source, { ...chosen, startSeconds: chosen.candidate.startSeconds })
  const { verdict, why, confidence } = jumps.length > 0 ? broken(judged, jumps, best.speed) : judged
  // The line is that of the longer part; the start is that of the first one.
  const earlier = jumps.reduce((sum, j) => (j.before ? sum + j.bySeconds : sum), 0)
  return {
    verdict,
    startSeconds: chosen.candidate.startSeconds - earlier,
    rate: chosen.candidate.rate,
    confidence,
    why,
    proof: {
      ...proofOf(chosen, best.ranked, best.speed, best.coarse),
      jumps: jumps.map((j) => ({ clipSeconds: j.clipSeconds / best.speed, bySeconds: j.bySeconds })),
    },
  }
}

/** Below this there is only dither, as power of full scale: −85 dB. */
const SILENT = 10 ** -8.5

/** Whether no second of a recording holds anything. */
function isSilent(source: SampleSource): boolean {
  for (let from = 0; from < source.length; from += ANALYSIS_RATE) {
    const samples = source.read(from, Math.min(source.length, from + ANALYSIS_RATE))
    let sum = 0
    for (const x of samples) sum += x * x
    if (sum >= SILENT * samples.length) return false
  }
  return true
}

/** A speed found by features is off by so much, and tried in such steps. */
const SPEED_OFF = 0.002
const SPEED_STEP = 0.0002

/** Searches at the speeds that the features promise, each brought nearer until the windows agree. */
function attemptAnySpeed(reference: SoundReference, clip: SampleSource, at: (speed: number) => HeardSound, options: PlaceOptions): Attempt | null {
  const supportOf = (one: Attempt | null) => one?.ranked[0]?.candidate.support ?? 0
  let best: Attempt | null = null
  for (const { speed, startSeconds } of anySpeeds(reference.source, clip, (share) => options.onProgress?.(0.5 + 0.4 * share))) {
    // A place is known where a window lies; at the clip's beginning the speed that is off has led it away.
    const near = options.near ?? { startSeconds, tolerance: 0.5 + SPEED_OFF * speed * (clip.length / ANALYSIS_RATE) }
    let here: Attempt | null = null
    for (let off = -SPEED_OFF; off <= SPEED_OFF; off += SPEED_STEP) {
      const one = attempt(reference, at(speed * (1 + off)), speed * (1 + off), { near })
      if (supportOf(one) > supportOf(here)) here = one
    }
    const drift = here?.ranked[0]?.fit.drift ?? 0
    const exact = (here?.speed ?? speed) * (1 + drift)
    // What was searched only near by is searched everywhere, so that its rivals are known.
    const whole = attempt(reference, at(exact), exact, options)
    if (supportOf(whole) > supportOf(best)) best = whole
    if (best && verdictOf(best).verdict === 'sure') break
  }
  return best
}

/** What keeps a place from being sure that a sum over all windows can settle: too few of them agree by themselves. */
const SETTLED_BY_SUM: ReadonlySet<string> = new Set(['windows-few', 'windows-none', 'one-instant', 'nothing-alike'])

const openToSum = (one: Attempt) => verdictOf(one).why.some((w) => SETTLED_BY_SUM.has(w.code))

/** Looks for a clip under something louder, at one speed; null where even the sum of all windows tells no place. */
function buried(reference: SoundReference, clip: SampleSource, speed: number, { near }: PlaceOptions): SoundPlacement | null {
  // Ten minutes tell enough of a recording of hours.
  const most = SUMMED_SECONDS * ANALYSIS_RATE
  const from = Math.max(0, Math.floor((clip.length - most) / 2))
  const part: SampleSource = from === 0 ? clip : { length: most, read: (a, b) => clip.read(from + a, from + b) }
  const moved = from / ANALYSIS_RATE
  const summed = searchSum(reference.white, whiteOf(part), near && { ...near, startSeconds: near.startSeconds + moved })
  const told = summed && toldOfSums(reference.source, part, summed)
  const found = told ?? summed
  const judged = found && sumVerdict(found, told !== null)
  if (!found || judged?.verdict === 'loose') return null
  const candidate = (s: Sum): Candidate => ({
    startSeconds: s.startSeconds - moved * s.rate,
    rate: s.rate * speed,
    support: s.strength,
    agreeing: s.windows.filter((w) => w.strength > 0).length,
    windows: s.windows.length,
  })
  const chosen = candidate(found.best)
  return {
    ...(judged as Judged),
    startSeconds: chosen.startSeconds,
    rate: chosen.rate,
    proof: {
      chosen,
      rivals: found.rivals.slice(0, 4).map(candidate),
      rivalRatio: Math.min(1, (found.rivals[0]?.strength ?? 0) / found.best.strength),
      windows: found.best.windows.map((w) => ({ clipSeconds: (w.clipSeconds + moved) / speed, lagMs: 0, strength: w.strength, agrees: w.strength > 0 })),
      ...drawn(found, moved),
      invertedPolarity: found.best.inverted,
    },
  }
}

const drawn = ({ curve, curveStart, curveStep }: SumResult, moved: number) => ({
  curve: Array.from(curve, (v) => Math.round(v * 100) / 100),
  curveStart: curveStart - moved,
  curveStep,
})

const SUMMED_SECONDS = 600
/** Seconds of master, times speeds, that are searched for something buried without being asked to search thoroughly. */
const SPEED_SECONDS = 3600

/** The same at every other speed that shooting practice uses: buried, no coarse search tells which it may be. */
function buriedAtSpeeds(
  reference: SoundReference,
  at: (speed: number) => HeardSound,
  atFirst: SoundPlacement | null,
  options: PlaceOptions,
): SoundPlacement | null {
  const { speeds = [], thorough = false } = options
  if (!thorough && (speeds.length * reference.source.length) / ANALYSIS_RATE > SPEED_SECONDS) return atFirst
  let best = atFirst
  for (const speed of speeds) {
    const found = buried(reference, at(speed).source, speed, options)
    if (found && (found.proof.chosen?.support ?? 0) > (best?.proof.chosen?.support ?? 0)) best = found
    if (best?.verdict === 'sure') break
  }
  return best
}

/** A place found on a sound that begins later (s) than the master's time: as it is on that time, proof and all. */
export function laterBy(found: SoundPlacement, seconds: number): SoundPlacement {
  if (seconds === 0) return found
  const { proof, startSeconds } = found
  const moved = (c: Candidate): Candidate => ({ ...c, startSeconds: c.startSeconds + seconds })
  return {
    ...found,
    startSeconds: startSeconds === null ? null : startSeconds + seconds,
    proof: { ...proof, chosen: proof.chosen && moved(proof.chosen), rivals: proof.rivals.map(moved), curveStart: proof.curveStart + seconds },
  }
}

/** A clip on two lines is placed in pieces, and the user is asked to look. */
function broken(judged: Judged, jumps: readonly Jump[], speed: number): Judged {
  return {
    verdict: 'check',
    confidence: Math.min(0.5, judged.confidence),
    why: [...judged.why, { code: 'pieces', jumps: jumps.map((j) => ({ atSeconds: j.clipSeconds / speed, bySeconds: j.bySeconds })) }],
  }
}

interface Attempt extends Ranked {
  readonly coarse: CoarseResult
  readonly speed: number
}

/** @param clip the clip already brought to the master's speed */
function attempt(reference: SoundReference, clip: HeardSound, speed: number, options: PlaceOptions): Attempt {
  const seconds = clip.source.length / ANALYSIS_RATE
  if (seconds <= LONG_SECONDS) return attemptAt(reference, clip, speed, options, 0, seconds)
  let best: Attempt | null = null
  for (const share of EXCERPTS) {
    const from = share * (seconds - EXCERPT_SECONDS)
    const found = attemptAt(reference, clip, speed, options, from, from + EXCERPT_SECONDS)
    if (!best || (found.ranked[0]?.candidate.support ?? 0) > (best.ranked[0]?.candidate.support ?? 0)) best = found
    if (verdictOf(best).verdict === 'sure') break
  }
  return best as Attempt
}

/** Searches the part of the clip between two of its seconds; what stands out is measured over the whole clip. */
function attemptAt(reference: SoundReference, clip: HeardSound, speed: number, options: PlaceOptions, from: number, to: number): Attempt {
  const { near } = options
  const part = clip.features.read(Math.round(from / FRAME_SECONDS), Math.ceil(to / FRAME_SECONDS))
  const moved = Math.round(from / FRAME_SECONDS) * FRAME_SECONDS
  const found = reference.coarse.search(part, options.thorough ? 24 : 14, near && { ...near, startSeconds: near.startSeconds + moved })
  const coarse = { ...found, curveStart: found.curveStart - moved, peaks: found.peaks.map((p) => ({ ...p, startSeconds: p.startSeconds - moved })) }
  const { peaks } = coarse
  const cache: WindowCache = new Map()
  const measure = (startSeconds: number, most: number, whole: boolean) =>
    weigh(
      reference.source,
      clip.source,
      { startSeconds, from: whole ? 0 : from, to: whole ? Number.POSITIVE_INFINITY : to, anchor: (from + to) / 2 },
      speed,
      most,
      cache,
    )
  const ranked: Weighed[] = []
  // A first look with few windows, at every place or, where one place stands out, at the first few.
  const clear = peaks.length > 1 && peaks[0].score > CLEAR_SCORE && peaks[1].score < peaks[0].score * 0.5
  const firstLook = (clear && !options.thorough ? peaks.slice(0, 3) : peaks)
    .map((peak) => measure(peak.startSeconds, 7, false))
    .filter((w): w is Weighed => w !== null)
    .sort((a, b) => b.candidate.support - a.candidate.support)
  const best = firstLook[0]?.candidate.support ?? 0
  for (const [rank, one] of firstLook.entries()) {
    const worthIt = rank === 0 || (rank < 5 && one.candidate.support > best * 0.35)
    // The line of the first look is known around the anchor; at the clip's beginning its drift may have led it far away.
    const around = one.candidate.startSeconds + (one.fit.drift * (from + to)) / 2
    ranked.push((worthIt ? measure(around, options.thorough ? 64 : 32, true) : null) ?? one)
    options.onProgress?.(0.1 + (0.4 * (rank + 1)) / firstLook.length)
  }
  ranked.sort((a, b) => b.candidate.support - a.candidate.support)
  const apart = ranked.filter((one, i) => ranked.findIndex((other) => Math.abs(other.candidate.startSeconds - one.candidate.startSeconds) < 0.05) === i)
  const decided = settled(reference.source, clip.source, apart, speed)
  const left = verdictOf(decided).verdict === 'sure' ? leftOfRivals(reference.source, clip.source, decided.ranked, speed) : 0
  return { ...decided, left, coarse, speed }
}

interface Stretch {
  /** Master time of the clip's sample 0 by the coarse search. */
  readonly startSeconds: number
  /** Clip seconds that windows are taken from, and the one that the start was found at. */
  readonly from: number
  readonly to: number
  readonly anchor: number
}

/** Fewer windows than this are no evidence. */
const FEW_WINDOWS = 4
/** Windows measured before the line through them predicts where the next ones lie. */
const TRUSTED_WINDOWS = 4
/** Clip seconds those must span before their drift is believed: else a tenth of a millisecond becomes much, far away. */
const TRUSTED_SPAN = 60

/**
 * Measures windows spread over the overlap and fits the line. Windows are taken from the anchor outwards, and each is
 * looked for where the line through those before it leads: over hours, clocks run apart by more than a window reaches.
 */
function weigh(master: SampleSource, clip: SampleSource, stretch: Stretch, speed: number, most: number, cache: WindowCache): Weighed | null {
  const { startSeconds } = stretch
  const start = startSeconds * ANALYSIS_RATE
  const from = Math.max(0, Math.ceil(-start) + 1, Math.floor(stretch.from * ANALYSIS_RATE))
  const to = Math.min(clip.length, Math.floor(master.length - start) - 1, Math.ceil(stretch.to * ANALYSIS_RATE))
  const overlap = to - from
  // 3.5 s windows; clips under 14 s get a quarter of their length, but not under 1 s.
  const length = Math.min(28000, Math.max(8000, Math.floor(overlap / 4)))
  if (overlap < length) return null
  const count = Math.max(1, Math.min(most, Math.floor((overlap - length) / (length / 2)) + 1))
  const places = Array.from({ length: count }, (_, i) => from + Math.floor(count === 1 ? (overlap - length) / 2 : ((overlap - length) * i) / (count - 1)))
  const middle = (at: number) => (at + length / 2) / ANALYSIS_RATE
  places.sort((a, b) => Math.abs(middle(a) - stretch.anchor) - Math.abs(middle(b) - stretch.anchor))
  const windows: WindowMeasure[] = []
  let line: LineFit | null = null
  const take = (at: number) => {
    const off = line ? line.offsetSeconds + line.drift * middle(at) : 0
    const found = measureWindow(master, clip, at, length, start + off * ANALYSIS_RATE, cache)
    if (!found) return
    windows.push({ ...found, lagSeconds: found.lagSeconds + off })
    if (windows.length >= TRUSTED_WINDOWS && count > 8) line = trusted(windows)
  }
  for (const at of places) take(at)
  // Pauses of speech leave few windows with sound on both sides: then it is looked between them.
  if (windows.length < FEW_WINDOWS)
    for (let at = from + Math.floor(length / 8); at + length <= to && windows.length < 2 * FEW_WINDOWS; at += Math.floor(length / 4)) take(at)
  windows.sort((a, b) => a.clipSeconds - b.clipSeconds)
  const fit = fitLine(windows)
  if (!fit) return null
  const agreeing = windows.filter((w, i) => fit.agrees[i] && w.strength >= STRONG).length
  // Windows of a short overlap lie over each other: one drum hit in common must not count three times.
  let apart = 0
  let until = Number.NEGATIVE_INFINITY
  for (const [i, w] of windows.entries()) {
    if (!fit.agrees[i] || w.strength < STRONG || w.clipSeconds < until) continue
    apart++
    until = w.clipSeconds + (0.9 * length) / ANALYSIS_RATE
  }
  return {
    fit,
    windows,
    apart,
    // clip seconds of the brought-to-speed clip are `speed` seconds of the original one
    candidate: { startSeconds: startSeconds + fit.offsetSeconds, rate: (1 + fit.drift) * speed, support: fit.support, agreeing, windows: windows.length },
  }
}

/** The line through the windows so far where it can be leant on. */
function trusted(windows: readonly WindowMeasure[]): LineFit | null {
  const strong = windows.filter((w) => w.strength >= STRONG)
  const fit = strong.length >= TRUSTED_WINDOWS ? fitLine(strong) : null
  const on = fit ? strong.filter((_, i) => fit.agrees[i]).map((w) => w.clipSeconds) : []
  return fit && on.length * 2 >= windows.length && Math.max(...on) - Math.min(...on) >= TRUSTED_SPAN ? fit : null
}

function proofOf(chosen: Weighed | null, ranked: Weighed[], speed: number, coarse?: CoarseResult): PlaceProof {
  const support = chosen?.candidate.support ?? 0
  return {
    chosen: chosen?.candidate ?? null,
    rivals: ranked.slice(1, 5).map((r) => r.candidate),
    rivalRatio: support > 0 ? Math.min(1, (ranked[1]?.candidate.support ?? 0) / support) : 0,
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
