import type { Stretch, SwitchPoint } from '@pendolo/core/cut'
import type { Passage, PlannedStretch } from '@pendolo/core/film'
import type { Mark } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, firstFrom } from '@pendolo/core/time'
import { hueOf } from '../ui/theme.ts'
import type { PaperColours } from './colours.ts'
import { FLAG_HEIGHT, FLAG_TOP, flagsInView } from './flags.ts'
import { type Geometry, HEAD, HEADS_APART, inPlot, LABELS, laneMiddle, laneTop, seconds, WORDS, xAt } from './geometry.ts'
import type { ScoreLane } from './ground.ts'

/** What is drawn over it. Lists are ascending in time. */
export interface ScorePicture {
  readonly colours: PaperColours
  readonly lanes: readonly ScoreLane[]
  readonly laneOf: ReadonlyMap<string, number>
  readonly plan: readonly PlannedStretch[]
  readonly points: readonly SwitchPoint[]
  /** Where one picture gives way to another over a while. */
  readonly passages: readonly Passage[]
  readonly marks: readonly Mark[]
  readonly leftOut: readonly { readonly start: Flicks; readonly end: Flicks }[]
  readonly chosen: { readonly from: Flicks; readonly to: Flicks } | null
  /** Cuts that are chosen. */
  readonly picked: ReadonlySet<Flicks>
  /** Another version, and where it shows something else. */
  readonly compared: { readonly name: string; readonly points: readonly SwitchPoint[]; readonly differs: readonly Stretch[] } | null
  /** A stroke that is being painted, px. */
  readonly stroke: { readonly lane: number; readonly from: number; readonly to: number } | null
}

/** Draws the cut and all else that stands on the ground, which has been drawn already. */
export function drawScore(ctx: CanvasRenderingContext2D, geometry: Geometry, picture: ScorePicture, ground: CanvasImageSource): void {
  const { width, height } = geometry
  ctx.clearRect(0, 0, width, height)
  ctx.drawImage(ground, 0, 0, width, height)
  inPlot(ctx, geometry, () => {
    const { stroke } = picture
    if (stroke) {
      ctx.globalAlpha = 0.5
      ctx.fillStyle = hueOf(picture.lanes[stroke.lane].hue)
      ctx.fillRect(stroke.from, laneTop(geometry, stroke.lane) + 3, stroke.to - stroke.from, geometry.laneHeight - 6)
      ctx.globalAlpha = 1
    }
    drawCompared(ctx, geometry, picture)
    drawPicked(ctx, geometry, picture)
    drawCut(ctx, geometry, picture)
    drawPassages(ctx, geometry, picture)
    drawMarks(ctx, geometry, picture)
    drawHeads(ctx, geometry, picture)
    drawLeftOut(ctx, geometry, picture)
    drawChosen(ctx, geometry, picture)
  })
}

/** Stretches narrower than this are drawn together, px. */
const NARROW = 1.5
/** Steps of how dark a column is where stretches are drawn together. */
const SHADES = 8

/** The cut as one line stepping between the lanes; from afar, how much of each column each lane has. */
function drawCut(ctx: CanvasRenderingContext2D, geometry: Geometry, { plan, lanes, laneOf, colours }: ScorePicture): void {
  const { view, plotWidth, laneHeight } = geometry
  const thick = Math.min(7, laneHeight / 4)
  const columns = Math.ceil(plotWidth)
  const [from, to] = [view.from * FLICKS_PER_SECOND, (view.from + view.span) * FLICKS_PER_SECOND]
  let dense: Float32Array | null = null
  const stems: [number, number, number][] = []
  let before: PlannedStretch | null = null
  for (
    let i = Math.max(
      0,
      firstFrom(plan.length, (n) => plan[n].end, from),
    );
    i < plan.length && plan[i].start < to;
    i++
  ) {
    const stretch = plan[i]
    const last: PlannedStretch | null = before
    before = stretch
    const lane = laneOf.get(stretch.angleId ?? stretch.wanted ?? '')
    if (lane === undefined) continue
    const [a, b] = [xAt(geometry, seconds(stretch.start)), xAt(geometry, seconds(stretch.end))]
    if (b - a < NARROW) {
      dense ??= new Float32Array(columns * lanes.length)
      const column = Math.max(0, Math.min(columns - 1, Math.floor(a - LABELS)))
      dense[lane * columns + column] += b - a
      continue
    }
    const y = laneMiddle(geometry, lane)
    const other = last && laneOf.get(last.angleId ?? last.wanted ?? '')
    if (last && other !== undefined && other !== null && other !== lane && last.end === stretch.start) stems.push([a, laneMiddle(geometry, other), y])
    ctx.strokeStyle = stretch.angleId ? hueOf(lanes[lane].hue) : colours.ink
    ctx.lineWidth = thick
    ctx.setLineDash(stretch.standIn ? [5, 4] : [])
    ctx.beginPath()
    ctx.moveTo(Math.max(a, LABELS - 10), y)
    ctx.lineTo(Math.min(b, LABELS + plotWidth + 10), y)
    ctx.stroke()
  }
  ctx.setLineDash([])
  ctx.strokeStyle = colours.ink
  ctx.lineWidth = 1.6
  ctx.beginPath()
  for (const [x, a, b] of stems) {
    ctx.moveTo(x, a)
    ctx.lineTo(x, b)
  }
  ctx.stroke()
  if (dense) drawDense(ctx, geometry, dense, columns, lanes, thick)
}

function drawDense(ctx: CanvasRenderingContext2D, geometry: Geometry, dense: Float32Array, columns: number, lanes: readonly ScoreLane[], thick: number): void {
  const height = Math.max(thick, geometry.laneHeight * 0.6)
  for (const [lane, { hue }] of lanes.entries()) {
    const y = laneMiddle(geometry, lane) - height / 2
    const shades = Array.from({ length: SHADES }, () => [] as number[])
    for (let column = 0; column < columns; column++) {
      const share = dense[lane * columns + column]
      if (share > 0) shades[Math.min(SHADES - 1, Math.floor(share * SHADES))].push(column)
    }
    ctx.fillStyle = hueOf(hue)
    for (const [shade, list] of shades.entries()) {
      if (list.length === 0) continue
      ctx.globalAlpha = 0.25 + (0.75 * (shade + 1)) / SHADES
      ctx.beginPath()
      for (const column of list) ctx.rect(LABELS + column, y, 1, height)
      ctx.fill()
    }
  }
  ctx.globalAlpha = 1
}

/** Where one picture gives way to another: the one tapers off, the other swells; what sinks into black or white has a gap between both. */
function drawPassages(ctx: CanvasRenderingContext2D, geometry: Geometry, { passages, lanes, laneOf, colours }: ScorePicture): void {
  const { view, plotWidth } = geometry
  const half = Math.min(7, geometry.laneHeight / 4)
  for (const { kind, at, half: lasts, before, after } of passages) {
    const [a, x, b] = [at - lasts, at, at + lasts].map((t) => xAt(geometry, t / FLICKS_PER_SECOND))
    if (b < LABELS || seconds(at) > view.from + view.span || b - a < NARROW) continue
    if (a > LABELS + plotWidth) break
    for (const { choice, from, to } of [
      { choice: before, from: x, to: b },
      { choice: after, from: x, to: a },
    ]) {
      const lane = laneOf.get(choice.angleId)
      if (lane === undefined) continue
      const y = laneMiddle(geometry, lane)
      ctx.beginPath()
      ctx.moveTo(from, y - half)
      ctx.lineTo(to, y)
      ctx.lineTo(from, y + half)
      ctx.closePath()
      ctx.fillStyle = kind === 'dissolve' ? hueOf(lanes[lane].hue) : kind === 'dip' ? '#000' : '#fff'
      ctx.fill()
      ctx.strokeStyle = colours.ink
      ctx.lineWidth = 0.75
      ctx.stroke()
    }
  }
}

/** Marks whose lines would stand nearer than this are drawn as one, px; names need more room. */
const MARKS_APART = 2
/** Nearer than this they would hide the cut: only those that are named go through the lanes, px. */
const MARKS_THROUGH = 9

function drawMarks(ctx: CanvasRenderingContext2D, geometry: Geometry, { marks }: ScorePicture): void {
  const { view, lanesBottom } = geometry
  ctx.font = WORDS.replace('11.5px', '11px')
  let line = Number.NEGATIVE_INFINITY
  const flags = new Map(flagsInView(geometry, marks).map((f) => [f.mark, f]))
  let until = Number.NEGATIVE_INFINITY
  const begin = firstFrom(marks.length, (n) => marks[n].time, (view.from - view.span * 0.2) * FLICKS_PER_SECOND)
  for (let i = begin; i < marks.length && seconds(marks[i].time) < view.from + view.span; i++) {
    const { time, hue, name } = marks[i]
    const flag = flags.get(marks[i])
    const x = xAt(geometry, seconds(time))
    if (x - line < MARKS_APART && !flag) continue
    const through = x - line >= MARKS_THROUGH || x >= until
    line = x
    ctx.strokeStyle = hueOf(hue)
    ctx.lineWidth = 1
    ctx.setLineDash([2, 3])
    ctx.beginPath()
    ctx.moveTo(x, 39)
    ctx.lineTo(x, through ? lanesBottom : 45)
    ctx.stroke()
    if (!flag) continue
    ctx.fillStyle = hueOf(hue)
    ctx.fillRect(x, FLAG_TOP, flag.width, FLAG_HEIGHT)
    ctx.fillStyle = '#fff'
    ctx.fillText(name, x + 5, FLAG_TOP + 12, flag.width - 8)
    until = x + flag.width + 1
  }
  ctx.setLineDash([])
}

/** Points in view that stand far enough apart to be drawn one by one. */
export function headsInView(geometry: Geometry, points: readonly SwitchPoint[]): SwitchPoint[] {
  const { view } = geometry
  const out: SwitchPoint[] = []
  let last = Number.NEGATIVE_INFINITY
  for (let i = firstFrom(points.length, (n) => points[n].time, (view.from - 0.2) * FLICKS_PER_SECOND); i < points.length; i++) {
    const t = seconds(points[i].time)
    if (t > view.from + view.span + 0.2) break
    const x = xAt(geometry, t)
    const next = points[i + 1]
    const room = Math.min(x - last, next ? xAt(geometry, seconds(next.time)) - x : Number.POSITIVE_INFINITY)
    last = x
    if (room >= HEADS_APART) out.push(points[i])
  }
  return out
}

/** Where another version shows something else is lit, and what it shows there is a thin line in its lane. */
function drawCompared(ctx: CanvasRenderingContext2D, geometry: Geometry, { compared, lanes, laneOf, colours }: ScorePicture): void {
  if (!compared) return
  const { view, plotWidth, lanesTop, lanesBottom } = geometry
  const { points, differs, name } = compared
  const within = (t: number) => Math.max(LABELS, Math.min(LABELS + plotWidth, xAt(geometry, seconds(t))))
  let named = false
  for (
    let i = Math.max(
      0,
      firstFrom(differs.length, (n) => differs[n].to, view.from * FLICKS_PER_SECOND),
    );
    i < differs.length && seconds(differs[i].from) < view.from + view.span;
    i++
  ) {
    const [a, b] = [within(differs[i].from), within(differs[i].to)]
    ctx.fillStyle = colours.brass
    ctx.globalAlpha = 0.16
    ctx.fillRect(a, lanesTop, Math.max(1, b - a), lanesBottom - lanesTop)
    ctx.globalAlpha = 1
    if (!named && b - a > 70) {
      ctx.font = WORDS
      ctx.fillStyle = colours.ink
      ctx.fillText(`${name} differs`, a + 4, lanesTop + 12, b - a - 8)
      named = true
    }
    const first = Math.max(0, firstFrom(points.length, (n) => points[n].time, differs[i].from + 1) - 1)
    for (let k = first; k < points.length && points[k].time < differs[i].to; k++) {
      const lane = laneOf.get(points[k].angleId)
      if (lane === undefined) continue
      const [from, to] = [within(Math.max(points[k].time, differs[i].from)), within(Math.min(points[k + 1]?.time ?? differs[i].to, differs[i].to))]
      if (to - from < 1) continue
      ctx.strokeStyle = hueOf(lanes[lane].hue)
      ctx.lineWidth = 2
      ctx.beginPath()
      ctx.moveTo(from, laneMiddle(geometry, lane) + Math.min(8, geometry.laneHeight / 3))
      ctx.lineTo(to, laneMiddle(geometry, lane) + Math.min(8, geometry.laneHeight / 3))
      ctx.stroke()
    }
  }
}

/** Chosen stretches have a brass bed in their lane. */
function drawPicked(ctx: CanvasRenderingContext2D, geometry: Geometry, { points, picked, laneOf, colours }: ScorePicture): void {
  if (picked.size === 0) return
  ctx.fillStyle = colours.brass
  ctx.globalAlpha = 0.4
  for (const [i, { time, angleId }] of points.entries()) {
    const lane = laneOf.get(angleId)
    if (lane === undefined || !picked.has(time)) continue
    const [a, b] = [xAt(geometry, seconds(time)), points[i + 1] ? xAt(geometry, seconds(points[i + 1].time)) : LABELS + geometry.plotWidth]
    const [from, to] = [Math.max(LABELS, a), Math.min(LABELS + geometry.plotWidth, b)]
    if (to > from) ctx.fillRect(from, laneTop(geometry, lane) + 2, to - from, geometry.laneHeight - 4)
  }
  ctx.globalAlpha = 1
}

function drawHeads(ctx: CanvasRenderingContext2D, geometry: Geometry, { points, laneOf, colours, picked }: ScorePicture): void {
  for (const { time, angleId, split } of headsInView(geometry, points)) {
    const lane = laneOf.get(angleId)
    if (lane === undefined) continue
    ctx.beginPath()
    ctx.ellipse(xAt(geometry, seconds(time)), laneMiddle(geometry, lane), geometry.head * 1.29, geometry.head, (-18 * Math.PI) / 180, 0, 2 * Math.PI)
    // A cut without a change is a hollow one.
    ctx.fillStyle = split ? colours.paper : colours.ink
    ctx.fill()
    if (!split && !picked.has(time)) continue
    ctx.strokeStyle = picked.has(time) ? colours.brass : colours.ink
    ctx.lineWidth = 2
    ctx.stroke()
  }
}

/** What the film leaves out: its head, its tail and removed middles. */
function drawLeftOut(ctx: CanvasRenderingContext2D, geometry: Geometry, { leftOut, colours }: ScorePicture): void {
  const { lanesBottom, plotWidth } = geometry
  for (const { start, end } of leftOut) {
    const [a, b] = [Math.max(LABELS, xAt(geometry, seconds(start))), Math.min(LABELS + plotWidth, xAt(geometry, seconds(end)))]
    if (b <= a) continue
    ctx.globalAlpha = 0.72
    ctx.fillStyle = colours.deep
    ctx.fillRect(a, HEAD, b - a, lanesBottom - HEAD)
    ctx.globalAlpha = 1
    if (b - a < 100) continue
    ctx.font = WORDS
    ctx.fillStyle = colours.quiet
    ctx.fillText('not in the film', a + 10, HEAD + 18)
  }
}

function drawChosen(ctx: CanvasRenderingContext2D, geometry: Geometry, { chosen, colours }: ScorePicture): void {
  if (!chosen) return
  const [a, b] = [xAt(geometry, seconds(chosen.from)), xAt(geometry, seconds(chosen.to))]
  ctx.fillStyle = colours.brass
  ctx.globalAlpha = 0.22
  ctx.fillRect(a, 0, b - a, geometry.lanesBottom)
  ctx.globalAlpha = 1
  ctx.fillRect(a - 1, 0, 2, geometry.lanesBottom)
  ctx.fillRect(b - 1, 0, 2, geometry.lanesBottom)
}
