import type { WindowMeasure } from './windows.ts'

/** Windows within this of the line agree with it, s: room reflections scatter by less, wrong places by far more. */
export const AGREE_SECONDS = 0.0008
/** What clocks differ by at most, as a ratio (crystal clocks stay within 100 ppm of each other; twice that is allowed). */
const MAX_DRIFT = 250e-6
/** Prior spread of drift and of one window's lag: keeps short clips from turning noise into drift. */
const DRIFT_SPREAD = 50e-6
const LAG_SPREAD = 0.0001

/** What is told of a drift by windows that agree better than sound can be read, s. */
const LEAST_SCATTER = 3e-6
/** A drift of fewer standard deviations is none: clocks that agree have rate 1, exactly. */
const SIGNIFICANT = 3

export interface LineFit {
  /** Correction of the start at clip time 0, s. */
  readonly offsetSeconds: number
  /** Correction of the rate: lag grows by this many seconds a clip second. */
  readonly drift: number
  /** Which windows lie on the line. */
  readonly agrees: boolean[]
  /** Sum of the agreeing windows' strengths over their spread-root: the support of this place. */
  readonly support: number
}

/**
 * Line through window lags that most of them, weighted by strength, agree with: all pairs are tried, then the
 * agreeing windows are fitted by least squares with a prior on drift (random sample consensus done exhaustively;
 * Fischler & Bolles 1981). A drift that is not told from none by these windows is 0.
 * @returns null when there is no window
 */
export function fitLine(windows: readonly WindowMeasure[], tolerance = AGREE_SECONDS): LineFit | null {
  if (windows.length === 0) return null
  let best = { score: -1, offset: 0, drift: 0 }
  const consider = (offset: number, drift: number) => {
    let score = 0
    for (const w of windows) {
      const off = Math.abs(w.lagSeconds - offset - drift * w.clipSeconds)
      if (off < tolerance) score += w.strength * (1 - 0.5 * (off / tolerance))
    }
    // Of equal lines the one with less drift is the likelier.
    score -= Math.abs(drift) * 100
    if (score > best.score) best = { score, offset, drift }
  }
  for (let i = 0; i < windows.length; i++) {
    consider(windows[i].lagSeconds, 0)
    for (let j = i + 1; j < windows.length; j++) {
      const span = windows[j].clipSeconds - windows[i].clipSeconds
      if (Math.abs(span) < 1e-6) continue
      const drift = (windows[j].lagSeconds - windows[i].lagSeconds) / span
      if (Math.abs(drift) > MAX_DRIFT) continue
      consider(windows[i].lagSeconds - drift * windows[i].clipSeconds, drift)
    }
  }
  let { offset, drift } = best
  let agrees: boolean[] = []
  for (let round = 0; round < 4; round++) {
    agrees = windows.map((w) => Math.abs(w.lagSeconds - offset - drift * w.clipSeconds) < tolerance)
    const inside = windows.filter((_, i) => agrees[i])
    if (inside.length === 0) break
    const weight = (w: WindowMeasure) => w.strength * w.strength
    const total = inside.reduce((s, w) => s + weight(w), 0)
    const meanT = inside.reduce((s, w) => s + weight(w) * w.clipSeconds, 0) / total
    const meanL = inside.reduce((s, w) => s + weight(w) * w.lagSeconds, 0) / total
    const perUnit = inside.length / total
    let tt = 0
    let tl = 0
    for (const w of inside) {
      const k = (weight(w) * perUnit) / LAG_SPREAD ** 2
      tt += k * (w.clipSeconds - meanT) ** 2
      tl += k * (w.clipSeconds - meanT) * (w.lagSeconds - meanL)
    }
    drift = tl / (tt + 1 / DRIFT_SPREAD ** 2)
    const scatter = Math.sqrt(
      inside.reduce((s, w) => s + weight(w) * perUnit * (w.lagSeconds - meanL - drift * (w.clipSeconds - meanT)) ** 2, 0) / Math.max(1, inside.length - 2),
    )
    const spread = inside.length > 2 ? Math.max(LEAST_SCATTER, Math.min(LAG_SPREAD, scatter)) : LAG_SPREAD
    if (Math.abs(drift) < SIGNIFICANT * spread * Math.sqrt(1 / (tt * LAG_SPREAD ** 2))) drift = 0
    offset = meanL - drift * meanT
  }
  const inside = windows.filter((_, i) => agrees[i])
  const support = inside.reduce((s, w) => s + w.strength, 0) / Math.sqrt(windows.length)
  return { offsetSeconds: offset, drift, agrees, support }
}
