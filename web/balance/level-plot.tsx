import { type Drawn, drawnAt, type PointChange, type Stretch } from '@pendolo/core/mix'
import type { MixRange } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { useDrag } from '@use-gesture/react'
import { type MouseEvent, useEffect, useRef, useState } from 'react'
import type { PaperColours } from '../score/colours.ts'
import { type TimeView, useSize } from '../score/time-view.ts'
import { drawingOn } from './canvas.ts'
import { decibelsAt, decibelText, heightOf } from './level-scale.ts'
import { drawRange, fadeOf, fadeText, moved, partAt, type RangePart } from './range-shape.ts'

/** Within so many px a point is taken hold of. */
const CATCH = 9
interface Props {
  readonly label: string
  readonly drawn: Drawn
  readonly ranges: readonly MixRange[]
  readonly on: boolean
  readonly view: TimeView
  /** The range that is chosen, where this row is. */
  readonly range: Stretch | null
  readonly colours: PaperColours
  readonly onRange: (stretch: Stretch | null) => void
  readonly onPress: (time: Flicks, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void
  readonly onPoints: (points: PointChange[], label: string) => void
  /** A range of the row as it was changed. */
  readonly onChange: (range: MixRange, label: string) => void
}

type Grip = { point: Flicks } | { from: number } | { range: MixRange; part: RangePart }

/** What is drawn over a row's waveform: its level, and where it is silenced or let be heard; drawn by the pointer. */
export function LevelPlot({ label, drawn, ranges, on, view, range, colours, onRange, onPress, onPoints, onChange }: Props) {
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const canvas = useRef<HTMLCanvasElement>(null)
  /** A point that is being dragged: where it was, and where it is. */
  const [held, setHeld] = useState<{ was: Flicks; time: Flicks; decibels: number } | null>(null)
  /** A range whose edge or fade is being dragged, as it is now. */
  const [pulled, setPulled] = useState<{ range: MixRange; part: RangePart } | null>(null)
  const shown = held ? { ...Object.fromEntries(Object.entries(drawn).filter(([t]) => Number(t) !== held.was)), [String(held.time)]: held.decibels } : drawn
  const x = (time: number) => ((time / FLICKS_PER_SECOND - view.from) / view.span) * width
  const timeAt = (px: number) => flicks(Math.round((view.from + (px / Math.max(1, width)) * view.span) * FLICKS_PER_SECOND))
  const pointAt = (px: number, py: number): Flicks | null => {
    const near = Object.entries(drawn).find(([t, level]) => Math.abs(x(Number(t)) - px) <= CATCH && Math.abs(heightOf(level) * height - py) <= CATCH)
    return near ? flicks(Number(near[0])) : null
  }
  const inside = (clientX: number, clientY: number): [number, number] => {
    const box = (ref.current as HTMLElement).getBoundingClientRect()
    return [clientX - box.left, clientY - box.top]
  }
  const bind = useDrag(
    ({ first, last, xy, initial, tap, event, memo }): Grip => {
      const [px, py] = inside(...xy)
      if (first || !memo) {
        const begin = inside(...initial)
        const point = pointAt(...begin)
        memo = point !== null ? { point } : (partAt(ranges, x, ...begin) ?? { from: timeAt(begin[0]) })
      }
      const grip = memo as Grip
      if (tap) {
        setHeld(null)
        setPulled(null)
        if (!('point' in grip)) onPress(timeAt(px), event as unknown as MouseEvent)
        return grip
      }
      if ('from' in grip) {
        const to = timeAt(px)
        const stretch = { from: flicks(Math.min(grip.from, to)), to: flicks(Math.max(grip.from, to)) }
        if (stretch.to > stretch.from) onRange(stretch)
        return grip
      }
      if ('range' in grip) {
        const range = moved(grip.range, grip.part, timeAt(px))
        setPulled(last ? null : { range, part: grip.part })
        if (last) onChange(range, grip.part === 'from' || grip.part === 'to' ? 'move an edge' : 'fade')
        return grip
      }
      const now = { was: grip.point, time: timeAt(px), decibels: decibelsAt(py / Math.max(1, height)) }
      setHeld(last ? null : now)
      if (last) onPoints([...(now.time === now.was ? [] : [{ time: now.was, gainDb: null }]), { time: now.time, gainDb: now.decibels }], 'move a level')
      return grip
    },
    { filterTaps: true, pointer: { buttons: 1 } },
  )
  const twice = (event: MouseEvent) => {
    const [px, py] = inside(event.clientX, event.clientY)
    const point = pointAt(px, py)
    if (point !== null) onPoints([{ time: point, gainDb: null }], 'take a point away')
    else onPoints([{ time: timeAt(px), gainDb: decibelsAt(py / Math.max(1, height)) }], 'draw a level')
  }
  useEffect(() => {
    const ctx = drawingOn(canvas.current, width, height)
    if (!ctx) return
    for (const r of ranges) drawRange(ctx, pulled?.range.id === r.id ? pulled.range : r, x, height, colours)
    if (on || Object.keys(shown).length > 0) drawLevel(ctx, shown, x, timeAt, { width, height }, colours)
  })
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: what the pointer does here, keys do on the chosen rows
    <div ref={ref} className="level-plot" data-own-gestures {...bind()} onDoubleClick={twice}>
      <canvas ref={canvas} role="img" aria-label={`Level of ${label} over time`} />
      {range && <i className="chosen" style={{ left: x(range.from), width: Math.max(1, x(range.to) - x(range.from)) }} />}
      {pulled && (pulled.part === 'fadeIn' || pulled.part === 'fadeOut') && (
        <span className="level-told mono" style={{ left: Math.min(width - 70, x(pulled.part === 'fadeIn' ? pulled.range.from : pulled.range.to) + 8), top: 2 }}>
          {fadeText(fadeOf(pulled.range, pulled.part))}
        </span>
      )}
      {held && (
        <span className="level-told mono" style={{ left: Math.min(width - 70, x(held.time) + 8), top: Math.max(0, heightOf(held.decibels) * height - 20) }}>
          {decibelText(held.decibels)}
        </span>
      )}
    </div>
  )
}

function drawLevel(
  ctx: CanvasRenderingContext2D,
  drawn: Drawn,
  x: (time: number) => number,
  timeAt: (px: number) => number,
  { width, height }: { width: number; height: number },
  colours: PaperColours,
): void {
  const y = (decibels: number) => Math.max(1.5, Math.min(height - 1.5, heightOf(decibels) * height))
  const points = Object.entries(drawn)
    .map(([time, level]) => ({ time: Number(time), level }))
    .sort((a, b) => a.time - b.time)
  const seen = points.filter((p) => x(p.time) >= 0 && x(p.time) <= width)
  ctx.strokeStyle = colours.brass
  ctx.lineWidth = 1.8
  ctx.globalAlpha = points.length > 0 ? 1 : 0.45
  ctx.beginPath()
  ctx.moveTo(0, y(drawnAt(drawn, timeAt(0))))
  for (const p of seen) ctx.lineTo(x(p.time), y(p.level))
  ctx.lineTo(width, y(drawnAt(drawn, timeAt(width))))
  ctx.stroke()
  ctx.globalAlpha = 1
  ctx.fillStyle = colours.brass
  for (const p of seen) {
    ctx.beginPath()
    ctx.arc(x(p.time), y(p.level), 3.4, 0, 2 * Math.PI)
    ctx.fill()
  }
}
