import { BANDS, FRAMES_PER_SECOND, type OnsetFeatures } from './onset.ts'

/** A part of the form, s; parts with the same name sound alike. */
export interface Section {
  readonly start: number
  readonly end: number
  /** A, B, C … in the order in which they are first heard. */
  readonly name: string
}

/** Where there is no pulse, a block lasts this long, s; elsewhere it is a beat. */
const BLOCK_SECONDS = 0.5
/** Blocks on each side of a border that are compared, about eight bars. */
const REACH = 32
/** Shorter parts are none, s. */
const SHORTEST_SECONDS = 7
/** A border stands out of the novelty around it by this many standard deviations. */
const STANDS_OUT = 0.9
/** Parts at least this alike have the same name, 0..1. */
const ALIKE = 0.72
/** Level differences of 6 dB weigh as much as one standard deviation of the tone. */
const LEVEL_DB = 6
/** Most blocks; a longer recording has longer blocks. */
const MOST_BLOCKS = 6000

interface Blocks {
  readonly times: number[]
  /** Pitch classes, and loudness of bands with the level; each row of unit length or centred. */
  readonly chroma: Float64Array[]
  readonly tone: Float64Array[]
}

/**
 * Parts of the form: borders where what came before and what comes after are each alike in themselves and differ from each
 * other (Foote 2000, "Automatic audio segmentation using a measure of audio novelty"), on first beats of bars where there
 * are bars; parts that repeat what was heard before get its name.
 * @param beats seconds, ascending; empty where there is no pulse
 * @param downbeats indices into `beats`
 * @returns parts that cover the recording; a single one when nothing divides it, none when it is empty
 */
export function findSections(features: OnsetFeatures, beats: readonly number[], downbeats: readonly number[]): Section[] {
  const total = features.frames / FRAMES_PER_SECOND
  if (total === 0) return []
  const blocks = blocksOf(features, blockTimes(beats, total))
  const bars = downbeats.map((i) => beats[i])
  const borders = bordersOf(blocks, noveltyOf(blocks), bars, total)
  const edges = [0, ...borders, total]
  const parts = edges.slice(1).map((end, i) => ({ start: edges[i], end }))
  return named(blocks, parts)
}

/** Starts of blocks: beats, and half seconds in between where there are none. */
function blockTimes(beats: readonly number[], total: number): number[] {
  const out: number[] = []
  const fill = (from: number, to: number) => {
    const n = Math.max(1, Math.round((to - from) / BLOCK_SECONDS))
    for (let i = 0; i < n; i++) out.push(from + ((to - from) * i) / n)
  }
  let at = 0
  for (const b of beats) {
    if (b - at > 2 * BLOCK_SECONDS + 0.6) fill(at, b)
    else if (b > at) out.push(at)
    at = b
  }
  if (total > at) fill(at, total)
  const step = Math.ceil(out.length / MOST_BLOCKS)
  return out.filter((_, i) => i % step === 0)
}

function blocksOf({ frames, chroma, bands, levelDb }: OnsetFeatures, times: number[]): Blocks {
  const rows = times.map((t, i) => {
    const from = Math.round(t * FRAMES_PER_SECOND)
    const to = Math.min(frames, Math.max(from + 1, Math.round((times[i + 1] ?? frames / FRAMES_PER_SECOND) * FRAMES_PER_SECOND)))
    const pitch = new Float64Array(12)
    const tone = new Float64Array(BANDS / 2 + 1)
    let power = 0
    for (let f = from; f < to; f++) {
      for (let p = 0; p < 12; p++) pitch[p] += chroma[f * 12 + p]
      power += 10 ** (levelDb[f] / 10)
      if (f % 2 === 0) for (let b = 0; b < BANDS; b++) tone[b >> 1] += bands[(f >> 1) * BANDS + b]
    }
    const half = Math.max(1, Math.ceil((to - from) / 2))
    for (let b = 0; b < BANDS / 2; b++) tone[b] /= half
    tone[BANDS / 2] = 10 * Math.log10(power / (to - from) + 1e-9)
    return { pitch, tone }
  })
  const spread = (k: number) => {
    const mean = rows.reduce((s, r) => s + r.tone[k], 0) / rows.length
    const deviation = Math.sqrt(rows.reduce((s, r) => s + (r.tone[k] - mean) ** 2, 0) / rows.length)
    return { mean, deviation: k === BANDS / 2 ? Math.max(LEVEL_DB, deviation) : deviation || 1 }
  }
  const spreads = Array.from({ length: BANDS / 2 + 1 }, (_, k) => spread(k))
  return {
    times,
    chroma: rows.map(({ pitch }) => unit(centred(pitch))),
    tone: rows.map(({ tone }) => tone.map((x, k) => ((x - spreads[k].mean) / spreads[k].deviation) * (k === BANDS / 2 ? 2 : 1))),
  }
}

function centred(x: Float64Array): Float64Array {
  const mean = x.reduce((s, v) => s + v, 0) / x.length
  return x.map((v) => v - mean)
}

function unit(x: Float64Array): Float64Array {
  const length = Math.sqrt(x.reduce((s, v) => s + v * v, 0))
  return length > 0 ? x.map((v) => v / length) : x
}

const dot = (a: Float64Array, b: Float64Array) => {
  let sum = 0
  for (let i = 0; i < a.length; i++) sum += a[i] * b[i]
  return sum
}

/** Likeness of two blocks, −1..1: harmony and tone in equal parts. */
function likeness({ chroma, tone }: Blocks, i: number, j: number): number {
  let far = 0
  for (let k = 0; k < tone[i].length; k++) far += (tone[i][k] - tone[j][k]) ** 2
  return 0.4 * dot(chroma[i], chroma[j]) + 0.6 * (2 * Math.exp(-far / (2 * tone[i].length)) - 1)
}

/** How much both sides of each block's start are alike in themselves and unlike each other. */
function noveltyOf(blocks: Blocks): Float64Array {
  const n = blocks.times.length
  const out = new Float64Array(n)
  for (let i = 2; i < n - 1; i++) {
    const reach = Math.min(REACH, i, n - i)
    let sum = 0
    let weights = 0
    // Every third pair says as much as all.
    for (let a = 1; a <= reach; a++)
      for (let b = 1 + (a % 3); b <= reach; b += 3) {
        const w = Math.exp(-2 * ((a / REACH) ** 2 + (b / REACH) ** 2))
        const within = likeness(blocks, i - a, i - b) + likeness(blocks, i + a - 1, i + b - 1)
        sum += w * (within - 2 * likeness(blocks, i - a, i + b - 1))
        weights += 2 * w
      }
    out[i] = weights > 0 ? sum / weights : 0
  }
  return out
}

function bordersOf({ times }: Blocks, novelty: Float64Array, bars: readonly number[], total: number): number[] {
  const mean = novelty.reduce((s, v) => s + v, 0) / Math.max(1, novelty.length)
  const deviation = Math.sqrt(novelty.reduce((s, v) => s + (v - mean) ** 2, 0) / Math.max(1, novelty.length))
  const limit = Math.max(0.06, mean + STANDS_OUT * deviation)
  const tops = [...novelty.keys()].filter((i) => novelty[i] > limit && novelty[i] >= (novelty[i - 1] ?? 0) && novelty[i] > (novelty[i + 1] ?? 0))
  tops.sort((a, b) => novelty[b] - novelty[a])
  const out: number[] = []
  for (const i of tops) {
    const bar = bars.reduce((best, t) => (Math.abs(t - times[i]) < Math.abs(best - times[i]) ? t : best), Number.NEGATIVE_INFINITY)
    const at = Math.abs(bar - times[i]) < 1.2 ? bar : times[i]
    if ([0, ...out, total].every((t) => Math.abs(t - at) >= SHORTEST_SECONDS)) out.push(at)
  }
  return out.sort((a, b) => a - b)
}

/** Names parts by the best way one can be laid along another: verses come back with the same harmonies in the same order. */
function named(blocks: Blocks, parts: { start: number; end: number }[]): Section[] {
  const ranges = parts.map(({ start, end }) => {
    const first = blocks.times.findIndex((t) => t >= start - 1e-6)
    const last = blocks.times.findIndex((t) => t >= end - 1e-6)
    return { first, count: (last < 0 ? blocks.times.length : last) - first }
  })
  const alike = (a: { first: number; count: number }, b: { first: number; count: number }) => {
    const [short, long] = a.count <= b.count ? [a, b] : [b, a]
    if (short.count === 0 || long.count > 3 * short.count) return 0
    let best = 0
    for (let shift = 0; shift <= Math.min(long.count - short.count, 16); shift++) {
      let sum = 0
      for (let i = 0; i < short.count; i++) sum += likeness(blocks, short.first + i, long.first + shift + i)
      best = Math.max(best, sum / short.count)
    }
    return (best + 1) / 2
  }
  const names: number[] = []
  let count = 0
  for (const [i, range] of ranges.entries()) {
    const scores = ranges.slice(0, i).map((other) => alike(range, other))
    const best = scores.indexOf(Math.max(...scores, 0))
    names.push(best >= 0 && scores[best] >= ALIKE ? names[best] : count++)
  }
  return parts.map((p, i) => ({ ...p, name: letters(names[i]) }))
}

function letters(n: number): string {
  return n < 26 ? String.fromCharCode(65 + n) : letters(Math.floor(n / 26) - 1) + letters(n % 26)
}

/** A loud moment begins after this much quieter time, s, and rises above it by so many dB. */
const QUIETER_SECONDS = 1.6
const RISE_DB = 7
/** It is among the loud ones of the recording, dB below the loudest half second. */
const BELOW_LOUDEST_DB = 12
/** Loud moments are this far apart, s. */
const APART_SECONDS = 8

/**
 * Moments at which it suddenly becomes loud and stays so: a drop, a tutti, the first bar after a break.
 * @returns seconds, ascending; on the strong onset where the loudness rises
 */
export function loudMoments({ frames, levelDb, strength }: OnsetFeatures): number[] {
  const sums = new Float64Array(frames + 1)
  for (let i = 0; i < frames; i++) sums[i + 1] = sums[i] + 10 ** (levelDb[i] / 10)
  const mean = (from: number, to: number) => {
    const [a, b] = [Math.max(0, from), Math.min(frames, to)]
    return b > a ? 10 * Math.log10((sums[b] - sums[a]) / (b - a) + 1e-12) : -120
  }
  const half = FRAMES_PER_SECOND / 2
  const before = Math.round(QUIETER_SECONDS * FRAMES_PER_SECOND)
  let loudest = -120
  for (let i = 0; i + half <= frames; i += 10) loudest = Math.max(loudest, mean(i, i + half))
  const found: { frame: number; rise: number }[] = []
  for (let i = before; i + half <= frames; i += 5) {
    const after = mean(i, i + 2 * half)
    const rise = after - mean(i - before, i)
    if (after > loudest - BELOW_LOUDEST_DB && rise > RISE_DB && after > -60) found.push({ frame: i, rise: Math.min(rise, 25) })
  }
  found.sort((a, b) => b.rise - a.rise)
  const out: number[] = []
  for (const { frame } of found) {
    let at = frame
    for (let i = Math.max(0, frame - 15); i <= Math.min(frames - 1, frame + 15); i++) if (strength[i] > strength[at]) at = i
    const time = at / FRAMES_PER_SECOND
    if (out.every((t) => Math.abs(t - time) >= APART_SECONDS)) out.push(time)
  }
  return out.sort((a, b) => a - b)
}
