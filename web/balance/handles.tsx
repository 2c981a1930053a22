import { type Affine, type Cutout, corners, type Framing, keptRect, placing } from '@pendolo/core/picture'
import { useDrag } from '@use-gesture/react'
import { useRef } from 'react'
import { newId } from '../ids.ts'
import { dragged, type Grip, type Point, type Size } from './drag-framing.ts'

interface Props {
  readonly name: string
  /** Of the angle's pictures as displayed, and of the film. */
  readonly own: Size
  readonly frame: Size
  readonly framing: Framing
  readonly cutout: Cutout
  readonly onChange: (cutout: Cutout, group: string) => void
}

/** So far above its upper edge the knob stands that turns the picture, in parts of the frame's height. */
const STEM = 0.07
const HANDLE = 0.022

/** The outline of a picture in the frame, and what it is dragged by. */
export function Handles({ name, own, frame, framing, cutout, onChange }: Props) {
  const svg = useRef<SVGSVGElement>(null)
  const begun = useRef<{ cutout: Cutout; id: string; n: number } | null>(null)
  const bind = useDrag(({ args: [grip], first, last, initial, xy, shiftKey, event }) => {
    event.stopPropagation()
    const box = svg.current?.getBoundingClientRect()
    if (!box) return
    const at = ([x, y]: readonly [number, number]) => ({ x: ((x - box.left) / box.width) * frame.width, y: ((y - box.top) / box.height) * frame.height })
    if (first || !begun.current) begun.current = { cutout, id: newId(), n: 0 }
    const { current } = begun
    const next = dragged(grip as Grip, current.cutout, at(initial), at(xy), own, frame, framing, !shiftKey)
    if (initial[0] !== xy[0] || initial[1] !== xy[1]) onChange(next, `${current.id}:${++current.n}`)
    if (last) begun.current = null
  })
  const map = placing(own.width, own.height, frame.width, frame.height, framing, cutout)
  const points = corners(keptRect(own.width, own.height, cutout), map)
  const middles = points.map((p, i) => ({ x: (p.x + points[(i + 1) % 4].x) / 2, y: (p.y + points[(i + 1) % 4].y) / 2 }))
  const knob = knobAt(middles[0], map, frame)
  const size = HANDLE * frame.height
  const edges = ['top', 'right', 'bottom', 'left'] as const
  return (
    <svg ref={svg} className="handles" viewBox={`0 0 ${frame.width} ${frame.height}`} role="group" aria-label={`Handles of ${name}`}>
      <title>inside moves the picture, corners size it, edges cut it off, the knob turns it (with Shift freely)</title>
      <polygon {...bind('inside')} className="inside" points={points.map((p) => `${p.x},${p.y}`).join(' ')} aria-label="Move the picture" />
      <line x1={middles[0].x} y1={middles[0].y} x2={knob.x} y2={knob.y} />
      {edges.map((edge, i) => (
        <circle key={edge} {...bind(edge)} className="edge" cx={middles[i].x} cy={middles[i].y} r={size * 0.8} aria-label={`Cut off ${edge}`} />
      ))}
      {points.map((p, i) => (
        <rect
          key={edges[i]}
          {...bind('corner')}
          className="corner"
          x={p.x - size}
          y={p.y - size}
          width={2 * size}
          height={2 * size}
          aria-label={`Size by corner ${i + 1}`}
        />
      ))}
      <circle {...bind('knob')} className="knob" cx={knob.x} cy={knob.y} r={size} aria-label="Turn the picture" />
    </svg>
  )
}

/** The knob stands above the picture; where that is outside of the frame, below its edge. */
function knobAt(top: Point, [, , c, d]: Affine, frame: Size): Point {
  const length = (STEM * frame.height) / Math.hypot(c, d)
  const above = { x: top.x - c * length, y: top.y - d * length }
  const inside = above.x > 0 && above.x < frame.width && above.y > 0 && above.y < frame.height
  return inside ? above : { x: top.x + c * length, y: top.y + d * length }
}
