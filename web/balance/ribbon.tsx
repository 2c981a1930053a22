import type { FilmStretch } from '@pendolo/core/film'
import type { Stretch } from '@pendolo/core/mix'
import type { Angle } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks } from '@pendolo/core/time'
import { useDrag } from '@use-gesture/react'
import { useEffect, useRef } from 'react'
import { type TimeView, useSize } from '../score/time-view.ts'
import { angleKey } from '../ui/bob.tsx'
import { hueOf } from '../ui/theme.ts'
import { drawingOn } from './canvas.ts'

interface Props {
  readonly plan: readonly Seen[]
  readonly angles: readonly Angle[]
  readonly view: TimeView
  readonly range: Stretch | null
  readonly onRange: (stretch: Stretch) => void
  readonly onSeek: (time: Flicks) => void
}

/** A stretch of the master in which one angle is seen. */
export interface Seen extends Stretch {
  readonly angleId: string | null
}

/** What is seen one after the other, on the master's time; where the same angle goes on, as one. */
export function seenStretches(plan: readonly FilmStretch[]): Seen[] {
  const out: Seen[] = []
  for (const { from, length, angleId } of plan) {
    if (from === null) continue
    const last = out[out.length - 1]
    const to = flicks(from + length)
    if (last && last.to === from && last.angleId === angleId) out[out.length - 1] = { ...last, to }
    else out.push({ from, to, angleId })
  }
  return out
}

/** The stretch at an instant of the master. */
export const stretchAt = (seen: readonly Seen[], time: number): Stretch | null => {
  const found = seen.find((s) => s.from <= time && time < s.to)
  return found ? { from: found.from, to: found.to } : null
}

/** The cut as a ribbon: a press chooses a stretch as the range, with Shift up to it; a drag chooses freely. */
export function Ribbon({ plan, angles, view, range, onRange, onSeek }: Props) {
  const [ref, { width, height }] = useSize<HTMLDivElement>()
  const canvas = useRef<HTMLCanvasElement>(null)
  const x = (time: number) => ((time / FLICKS_PER_SECOND - view.from) / view.span) * width
  const timeAt = (clientX: number) => {
    const px = clientX - (ref.current as HTMLElement).getBoundingClientRect().left
    return flicks(Math.round((view.from + (px / Math.max(1, width)) * view.span) * FLICKS_PER_SECOND))
  }
  const bind = useDrag(
    ({ xy, initial, tap, shiftKey }) => {
      const [a, b] = [timeAt(initial[0]), timeAt(xy[0])]
      if (!tap) {
        if (a !== b) onRange({ from: flicks(Math.min(a, b)), to: flicks(Math.max(a, b)) })
        return
      }
      const stretch = stretchAt(plan, b)
      if (!stretch) return onSeek(b)
      if (shiftKey && range) onRange({ from: flicks(Math.min(range.from, stretch.from)), to: flicks(Math.max(range.to, stretch.to)) })
      else {
        onRange(stretch)
        onSeek(b)
      }
    },
    { filterTaps: true, pointer: { buttons: 1 } },
  )
  useEffect(() => {
    const ctx = drawingOn(canvas.current, width, height)
    if (!ctx) return
    ctx.font = "600 11.5px 'Instrument Sans Variable', sans-serif"
    ctx.textBaseline = 'middle'
    for (const { from, to, angleId } of plan) {
      const [a, b] = [x(from), x(to)]
      if (b < 0 || a > width) continue
      const index = angles.findIndex((angle) => angle.id === angleId)
      ctx.fillStyle = index < 0 ? '#17181b' : hueOf(angles[index].hue)
      ctx.globalAlpha = index < 0 ? 1 : 0.82
      ctx.fillRect(a, 3, Math.max(1, b - a - 1), height - 6)
      ctx.globalAlpha = 1
      if (index < 0 || b - a < 16) continue
      ctx.fillStyle = '#fff'
      ctx.fillText(angleKey(index), Math.max(4, a + 6), height / 2)
    }
  })
  return (
    <div ref={ref} className="level-plot ribbon" data-own-gestures {...bind()}>
      <canvas ref={canvas} role="img" aria-label="The cut: which angle is seen when" />
      {range && <i className="chosen" style={{ left: x(range.from), width: Math.max(1, x(range.to) - x(range.from)) }} />}
    </div>
  )
}
