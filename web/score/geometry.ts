import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { laneHeightFor } from './ruler.ts'
import type { TimeView } from './time-view.ts'

/** Room for names at the left, px. */
export const LABELS = 150
/** The numbers of bars or times, and what stands above the master in all. */
export const RULER = 22
export const HEAD = 44
/** The master's waveform: as tall as lanes of a readable height let it be. */
const [LEAST_WAVE, MOST_WAVE] = [22, 62]
/** Lanes that are lower have no names. */
export const NAMED_LANE = 10
export const OVERVIEW = 34

/** Words on the drawn score. */
export const WORDS = "11.5px 'Instrument Sans Variable', sans-serif"

export const seconds = (time: number): number => time / FLICKS_PER_SECOND

/** Where everything of the score stands, px. */
export interface Geometry {
  readonly width: number
  readonly height: number
  readonly view: TimeView
  readonly plotWidth: number
  /** Height of the master's waveform. */
  readonly wave: number
  /** Height of the band of layers between the master and the lanes; 0 where there are none. */
  readonly band: number
  readonly lanesTop: number
  readonly lanesBottom: number
  readonly laneHeight: number
  readonly lanes: number
  /** Half the height of a note-head. */
  readonly head: number
}

export function geometryOf(width: number, height: number, lanes: number, view: TimeView, band = 0): Geometry {
  const room = height - HEAD - OVERVIEW - 8 - band
  const wave = Math.max(LEAST_WAVE, Math.min(MOST_WAVE, room - lanes * NAMED_LANE))
  const lanesTop = HEAD + wave + band
  const laneHeight = laneHeightFor(room - wave, lanes)
  return {
    width,
    height,
    view,
    plotWidth: Math.max(10, width - LABELS),
    wave,
    band,
    lanesTop,
    lanesBottom: lanesTop + laneHeight * lanes,
    laneHeight,
    lanes,
    head: Math.min(5.6, laneHeight / 2),
  }
}

/** Pixel of an instant, s. */
export function xAt({ view, plotWidth }: Geometry, seconds: number): number {
  return LABELS + ((seconds - view.from) / view.span) * plotWidth
}

/** Instant under a pixel, s. */
export function secondsAt({ view, plotWidth }: Geometry, x: number): number {
  return view.from + ((x - LABELS) / plotWidth) * view.span
}

export function laneTop({ lanesTop, laneHeight }: Geometry, lane: number): number {
  return lanesTop + lane * laneHeight
}

export function laneMiddle(geometry: Geometry, lane: number): number {
  return laneTop(geometry, lane) + geometry.laneHeight / 2
}

/** What of the score lies under a pixel. */
export type Spot =
  | { readonly kind: 'labels' }
  | { readonly kind: 'ruler' }
  | { readonly kind: 'master' }
  | { readonly kind: 'below' }
  | { readonly kind: 'lane'; readonly lane: number }

export function spotAt(geometry: Geometry, x: number, y: number): Spot {
  if (x < LABELS) return { kind: 'labels' }
  if (y < RULER) return { kind: 'ruler' }
  if (y < geometry.lanesTop) return { kind: 'master' }
  const lane = Math.floor((y - geometry.lanesTop) / geometry.laneHeight)
  return lane < geometry.lanes ? { kind: 'lane', lane } : { kind: 'below' }
}

/** Note-heads nearer to each other than this are not drawn one by one, px. */
export const HEADS_APART = 7
/** How far from its middle a note-head is caught, px. */
export const CATCH = 9

/** Draws on a part of the score, right of the names. */
export function inPlot(ctx: CanvasRenderingContext2D, { height, plotWidth }: Geometry, draw: () => void): void {
  ctx.save()
  ctx.beginPath()
  ctx.rect(LABELS, 0, plotWidth, height)
  ctx.clip()
  draw()
  ctx.restore()
}
