import type { PictureSpan, Pulse } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { thumbTimes } from '../playback/thumbs.ts'
import type { PlayClip } from '../playback/types.ts'
import { hueOf } from '../ui/theme.ts'
import type { PaperColours } from './colours.ts'
import { type Geometry, HEAD, inPlot, LABELS, laneTop, seconds, WORDS, xAt } from './geometry.ts'
import { drawWave, type Wave } from './peaks.ts'
import { barLines, ticks } from './ruler.ts'

const TEXT = "11px 'JetBrains Mono Variable', monospace"

export interface ScoreLane {
  readonly id: string
  readonly hue: number
  readonly spans: readonly PictureSpan[]
  readonly waves: readonly Wave[]
  readonly pictures: readonly PlayClip[]
  /** What is said where there are no pictures at all. */
  readonly empty: string | null
}

/** The small picture of a clip at an instant of the master, if it is there. */
export type ThumbOf = (clip: PlayClip, time: Flicks) => ImageBitmap | null

/** What lies under the cut, and changes with the material and the view alone. */
export interface ScoreGround {
  readonly colours: PaperColours
  readonly lanes: readonly ScoreLane[]
  readonly pulse: Pulse | null
  readonly master: readonly Wave[]
  readonly label: (time: Flicks) => string
  /** Pictures in the lanes that are tall enough; null where they are not wanted. */
  readonly thumbOf: ThumbOf | null
}

/** Draws the ground of what is in view: ruler, waveforms and pictures. What it costs depends on the pixels, not on how long the event is. */
export function drawGround(ctx: CanvasRenderingContext2D, geometry: Geometry, ground: ScoreGround): void {
  const { width, height } = geometry
  const { colours } = ground
  ctx.clearRect(0, 0, width, height)
  ctx.fillStyle = colours.side
  ctx.fillRect(0, 0, LABELS, height)
  inPlot(ctx, geometry, () => {
    drawGrid(ctx, geometry, ground)
    for (const wave of ground.master) drawOneWave(ctx, geometry, wave, HEAD, geometry.wave - 6, colours.wave)
    for (const [lane, one] of ground.lanes.entries()) drawLane(ctx, geometry, one, lane, ground)
  })
  ctx.strokeStyle = colours.line
  ctx.lineWidth = 1
  ctx.beginPath()
  for (let lane = 1; lane <= geometry.lanes; lane++) {
    const y = Math.round(laneTop(geometry, lane)) + 0.5
    ctx.moveTo(0, y)
    ctx.lineTo(width, y)
  }
  ctx.stroke()
}

function drawGrid(ctx: CanvasRenderingContext2D, geometry: Geometry, { pulse, colours, label }: ScoreGround): void {
  const { view, plotWidth, lanesBottom } = geometry
  const bars = barLines(pulse, view.from, view.span, plotWidth)
  ctx.font = TEXT
  ctx.lineWidth = 1
  ctx.strokeStyle = colours.ink
  const line = (t: number, top: number) => {
    const x = Math.round(xAt(geometry, t)) + 0.5
    ctx.moveTo(x, top)
    ctx.lineTo(x, lanesBottom)
  }
  const strokes = (alpha: number, times: readonly number[], top: number) => {
    ctx.globalAlpha = alpha
    ctx.beginPath()
    for (const t of times) line(t, top)
    ctx.stroke()
  }
  const named = bars.length === 0 ? ticks(view.from, view.span, plotWidth) : bars.filter((b) => b.bar !== null).map((b) => b.seconds)
  strokes(bars.length === 0 ? 0.16 : 0.3, named, 22)
  strokes(
    0.11,
    bars.filter((b) => b.bar === null).map((b) => b.seconds),
    34,
  )
  ctx.globalAlpha = 1
  ctx.fillStyle = colours.quiet
  if (bars.length === 0) for (const t of named) ctx.fillText(label(flicks(Math.round(t * FLICKS_PER_SECOND))), xAt(geometry, t) + 3, 16)
  else for (const { seconds: t, bar } of bars) if (bar !== null) ctx.fillText(String(bar), xAt(geometry, t) + 3, 16)
}

function drawOneWave(ctx: CanvasRenderingContext2D, geometry: Geometry, wave: Wave, top: number, height: number, colour: string): void {
  const { view, plotWidth } = geometry
  const own = (t: number) => (t - wave.start) / wave.rate
  drawWave(ctx, wave.peaks, own(view.from), own(view.from + view.span), LABELS, top, plotWidth, height, colour)
}

let hatching: { colour: string; pattern: CanvasPattern | null } | null = null

/** Strokes where a camera saw nothing. */
function hatch(ctx: CanvasRenderingContext2D, colour: string): CanvasPattern | string {
  if (hatching?.colour !== colour) {
    const tile = document.createElement('canvas')
    tile.width = 8
    tile.height = 8
    const pen = tile.getContext('2d')
    if (pen) {
      pen.strokeStyle = colour
      pen.globalAlpha = 0.26
      pen.lineWidth = 1.2
      pen.beginPath()
      for (const shift of [-8, 0, 8]) {
        pen.moveTo(shift, 8)
        pen.lineTo(shift + 8, 0)
      }
      pen.stroke()
    }
    hatching = { colour, pattern: ctx.createPattern(tile, 'repeat') }
  }
  return hatching.pattern ?? colour
}

/** Takes over each other are told apart in so many rows. */
const MOST_ROWS = 4

/** The row of each of a lane's pictures: those that lie over each other are takes, each in a row of its own. */
export function takeRows(spans: readonly PictureSpan[]): { readonly span: PictureSpan; readonly row: number }[] {
  const ends: number[] = []
  return [...spans]
    .sort((a, b) => a.start - b.start)
    .map((span) => {
      const free = ends.findIndex((end) => end <= span.start)
      const row = free >= 0 ? free : Math.min(ends.length, MOST_ROWS - 1)
      ends[row] = Math.max(ends[row] ?? 0, span.end)
      return { span, row }
    })
}

/** Lanes higher than this have room for their waveforms, px. */
const WAVE_LANE = 15

/** Rows higher than this have room for pictures, px; above a waveform they take this share of it. */
const THUMB_ROW = 26
const THUMB_SHARE = 0.66

/** Pictures of a lane at steady instants, so that they stay where they are while one scrolls. */
function drawThumbs(ctx: CanvasRenderingContext2D, geometry: Geometry, clip: PlayClip, top: number, height: number, thumbOf: ThumbOf): void {
  const { view, plotWidth } = geometry
  const width = (height * 16) / 9
  const begin = Math.max(seconds(clip.start), view.from - (width / plotWidth) * view.span)
  const end = Math.min(seconds(clip.end), view.from + view.span)
  const right = Math.min(LABELS + plotWidth, xAt(geometry, seconds(clip.end)))
  for (const time of thumbTimes(begin, end, ((width + 2) / plotWidth) * view.span)) {
    const picture = thumbOf(clip, time)
    if (!picture) continue
    const x = xAt(geometry, seconds(time))
    const own = Math.min(width, (height * picture.width) / picture.height)
    const share = Math.min(1, (right - x) / own)
    if (share > 0) ctx.drawImage(picture, 0, 0, picture.width * share, picture.height, x, top, own * share, height)
  }
}

function drawLane(ctx: CanvasRenderingContext2D, geometry: Geometry, lane: ScoreLane, index: number, { colours, thumbOf }: ScoreGround): void {
  const { spans, waves, pictures, hue, empty } = lane
  const { laneHeight, plotWidth, view } = geometry
  const y = laneTop(geometry, index)
  const pad = Math.min(6, laneHeight / 4)
  if (empty !== null) {
    ctx.font = WORDS
    ctx.fillStyle = colours.quiet
    ctx.fillText(empty, LABELS + 10, y + laneHeight / 2 + 4)
    return
  }
  const takes = takeRows(spans)
  const rows = Math.max(1, ...takes.map((t) => t.row + 1))
  const bars: [number, number, number][] = []
  for (const { span, row } of takes) {
    const { start, end } = span
    if (seconds(end) <= view.from || seconds(start) >= view.from + view.span) continue
    bars.push([Math.max(LABELS, xAt(geometry, seconds(start))), Math.min(LABELS + plotWidth, xAt(geometry, seconds(end))), row])
  }
  bars.sort((a, b) => a[0] - b[0])
  ctx.fillStyle = hatch(ctx, colours.ink)
  let at = LABELS
  for (const [a, b] of [...bars, [LABELS + plotWidth, LABELS + plotWidth, 0]]) {
    if (a > at) ctx.fillRect(at, y + pad / 2, a - at, laneHeight - pad)
    at = Math.max(at, b)
  }
  ctx.fillStyle = hueOf(hue)
  ctx.globalAlpha = 0.17
  ctx.beginPath()
  // Takes of the same stretch lie one above the other.
  const high = (laneHeight - 2 * pad) / rows
  for (const [a, b, row] of bars) ctx.roundRect(a, y + pad + row * high, Math.max(1, b - a), Math.max(1, high - (rows > 1 ? 1 : 0)), 2)
  ctx.fill()
  const tall = thumbOf !== null && high >= THUMB_ROW
  if (tall) {
    ctx.globalAlpha = 1
    const share = waves.length > 0 ? THUMB_SHARE : 1
    for (const { span, row } of takes) {
      const clip = pictures.find((c) => c.clipId === span.clipId && c.start === span.start)
      if (clip && seconds(clip.end) > view.from && seconds(clip.start) < view.from + view.span)
        drawThumbs(ctx, geometry, clip, y + pad + row * high, (high - 1) * share, thumbOf)
    }
  }
  ctx.globalAlpha = tall ? 0.4 : 0.22
  if (laneHeight >= WAVE_LANE) {
    const above = tall ? (laneHeight - 2 * pad) * THUMB_SHARE : 0
    for (const wave of waves)
      if (wave.end > view.from && wave.start < view.from + view.span)
        drawOneWave(ctx, geometry, wave, y + pad + above, laneHeight - 2 * pad - above, hueOf(hue))
  }
  ctx.globalAlpha = 1
}
