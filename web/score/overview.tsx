import type { PlannedStretch } from '@pendolo/core/film'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { useDrag } from '@use-gesture/react'
import { memo, useLayoutEffect, useRef } from 'react'
import { hueOf } from '../ui/theme.ts'
import { Playhead } from './playhead.tsx'
import type { TimeView } from './time-view.ts'

interface OverviewProps {
  readonly plan: readonly PlannedStretch[]
  readonly laneOf: ReadonlyMap<string, number>
  readonly hues: readonly number[]
  /** All that there is to see. */
  readonly whole: TimeView
  readonly view: TimeView
  readonly left: number
  readonly width: number
  readonly height: number
  readonly onShow: (from: number) => void
}

/** The whole event in one line, with the stretch in view as a frame that can be dragged. */
export function Overview({ plan, laneOf, hues, whole, view, left, width, height, onShow }: OverviewProps) {
  const x = (t: number) => left + ((t - whole.from) / Math.max(1, whole.span)) * width
  const bind = useDrag(
    ({ xy: [px], currentTarget }) => {
      const box = (currentTarget as HTMLElement).getBoundingClientRect()
      onShow(whole.from + ((px - box.left - left) / width) * whole.span - view.span / 2)
    },
    { pointer: { buttons: 1 }, threshold: 0 },
  )
  return (
    <div className="score-overview" data-own-gestures {...bind()} style={{ height }} aria-hidden="true">
      <span className="quiet">whole event</span>
      <Drawn plan={plan} laneOf={laneOf} hues={hues} whole={whole} left={left} width={width} height={height} />
      <i style={{ left: x(view.from), width: Math.max(4, x(view.from + view.span) - x(view.from)) }} />
      <Playhead view={whole} left={left} width={width} height={height - 6} />
    </div>
  )
}

/** Its picture, which changes only with the cut. */
const Drawn = memo(function Drawn({ plan, laneOf, hues, whole, left, width, height }: Omit<OverviewProps, 'view' | 'onShow'>) {
  const ref = useRef<HTMLCanvasElement>(null)
  useLayoutEffect(() => {
    const canvas = ref.current
    const ctx = canvas?.getContext('2d')
    if (!canvas || !ctx || width <= 0) return
    const ratio = window.devicePixelRatio
    canvas.width = Math.round(width * ratio)
    canvas.height = Math.round(height * ratio)
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
    const step = (height - 8) / Math.max(1, hues.length)
    const at = (t: number) => ((t / FLICKS_PER_SECOND - whole.from) / Math.max(1, whole.span)) * width
    for (const stretch of plan) {
      const lane = stretch.angleId ? laneOf.get(stretch.angleId) : undefined
      if (lane === undefined) continue
      const [a, b] = [at(stretch.start), at(stretch.end)]
      ctx.fillStyle = hueOf(hues[lane])
      ctx.fillRect(a, 4 + lane * step, Math.max(0.5, b - a), Math.max(2, step - 0.6))
    }
  }, [plan, laneOf, hues, whole, width, height])
  return <canvas ref={ref} style={{ left, width, height }} />
})
