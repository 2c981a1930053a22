import type { PlannedStretch } from '@pendolo/core/film'
import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { hueOf } from '../ui/theme.ts'
import { Playhead } from './playhead.tsx'
import type { TimeView } from './time-view.ts'

/** The whole event in one line, with the stretch in view as a frame that can be dragged. */
export function Overview({
  plan,
  laneOf,
  lanes,
  hues,
  whole,
  view,
  left,
  width,
  height,
  onShow,
}: {
  plan: readonly PlannedStretch[]
  laneOf: ReadonlyMap<string, number>
  lanes: number
  hues: readonly number[]
  /** All that there is to see. */
  whole: TimeView
  view: TimeView
  left: number
  width: number
  height: number
  onShow: (from: number) => void
}) {
  const x = (t: number) => left + ((t - whole.from) / Math.max(1, whole.span)) * width
  const go = (event: React.PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect()
    const at = (e: { clientX: number }) => whole.from + ((e.clientX - box.left - left) / width) * whole.span
    onShow(at(event) - view.span / 2)
    const follow = (e: PointerEvent) => onShow(at(e) - view.span / 2)
    const up = () => {
      window.removeEventListener('pointermove', follow)
      window.removeEventListener('pointerup', up)
    }
    window.addEventListener('pointermove', follow)
    window.addEventListener('pointerup', up)
  }
  const step = (height - 8) / Math.max(1, lanes)
  return (
    <div style={{ position: 'absolute', left: 0, right: 0, bottom: 0, height, background: 'var(--paper-deep)' }} onPointerDown={go}>
      <svg width={left + width} height={height} aria-hidden="true">
        <text x="12" y={height / 2 + 4} fontSize="11.5" fill="var(--ink-quiet)">
          whole event
        </text>
        {plan.map((s) => {
          const lane = s.angleId ? laneOf.get(s.angleId) : undefined
          if (lane === undefined) return null
          const [a, b] = [x(s.start / FLICKS_PER_SECOND), x(s.end / FLICKS_PER_SECOND)]
          return <rect key={s.start} x={a} width={Math.max(1.5, b - a)} y={4 + lane * step} height={Math.max(2, step - 0.6)} fill={hueOf(hues[lane])} />
        })}
        <rect
          x={x(view.from)}
          y={2}
          width={Math.max(4, x(view.from + view.span) - x(view.from))}
          height={height - 4}
          fill="none"
          stroke="var(--ink)"
          strokeWidth="1.5"
          rx="3"
        />
      </svg>
      <Playhead view={whole} left={left} width={width} height={height - 6} />
    </div>
  )
}
