import { CURVES, type CurveName, type CurvePoint, curveThrough, isStraight, type Look, MOST_POINTS, STRAIGHT } from '@pendolo/core/picture'
import { Button, Segmented } from 'antd'
import { type PointerEvent, useRef, useState } from 'react'
import { newId } from '../ids.ts'
import { addedPoint, movedPoint, withCurve, withoutPoint } from './curve-points.ts'

interface Props {
  readonly name: string
  readonly look: Look | undefined
  readonly onChange: (look: Look, label: string, group?: string) => void
}

const SIZE = 190
const INKS: Readonly<Record<CurveName, string>> = { all: '#f3ead7', red: '#d2604f', green: '#6fae5a', blue: '#5b8fd6' }
const STEPS = 64
/** Steps of arrow keys. */
const STEP = 0.01

/** What becomes of each number of the picture: points are added by a press on the curve, dragged, and taken away by Delete or a double press. */
export function CurvesPanel({ name, look, onChange }: Props) {
  const [which, setWhich] = useState<CurveName>('all')
  /** What is dragged is drawn at once; the look follows its picture. */
  const [ahead, setAhead] = useState<readonly CurvePoint[] | null>(null)
  const points = ahead ?? look?.curves?.[which] ?? STRAIGHT
  const drag = useRef<{ index: number; id: string; n: number } | null>(null)
  const [followed, setFollowed] = useState(look)
  if (followed !== look) {
    setFollowed(look)
    if (!drag.current) setAhead(null)
  }
  const plot = useRef<SVGSVGElement>(null)
  const set = (next: readonly CurvePoint[], label: string, group?: string) => onChange(withCurve(look, which, next), label, group)
  const at = (e: PointerEvent): CurvePoint => {
    const box = plot.current?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1)
    return [(e.clientX - box.left) / box.width, 1 - (e.clientY - box.top) / box.height]
  }
  const take = (e: PointerEvent, index: number) => {
    drag.current = { index, id: newId(), n: 0 }
    plot.current?.setPointerCapture(e.pointerId)
  }
  const bend = (list: readonly CurvePoint[]) => {
    setAhead(list)
    if (drag.current) set(list, 'bend a curve', `${drag.current.id}:${drag.current.n++}`)
  }
  const pressed = (e: PointerEvent) => {
    if (e.button !== 0 || points.length >= MOST_POINTS) return
    const { list, index } = addedPoint(points, at(e))
    take(e, index)
    bend(list)
  }
  const moved = (e: PointerEvent) => {
    const held = drag.current
    if (held) bend(movedPoint(points, held.index, at(e)))
  }
  const curve = curveThrough(points)
  const path = Array.from({ length: STEPS + 1 }, (_, i) => `${((i / STEPS) * SIZE).toFixed(1)},${((1 - curve(i / STEPS)) * SIZE).toFixed(1)}`).join(' L')
  return (
    <div className="curves" role="group" aria-label={`Curves of ${name}`}>
      <svg
        ref={plot}
        viewBox={`0 0 ${SIZE} ${SIZE}`}
        role="group"
        aria-label={`Curve of ${which === 'all' ? 'all colours' : which}`}
        onPointerDown={pressed}
        onPointerMove={moved}
        onPointerUp={() => {
          drag.current = null
        }}
      >
        {[1, 2, 3].map((i) => (
          <path key={i} className="rule" d={`M${(i * SIZE) / 4},0 V${SIZE} M0,${(i * SIZE) / 4} H${SIZE}`} />
        ))}
        <path className="rule" d={`M0,${SIZE} L${SIZE},0`} />
        <path d={`M${path}`} fill="none" stroke={INKS[which]} strokeWidth={2} />
        {points.map(([x, y], i) => (
          <circle
            key={i}
            cx={x * SIZE}
            cy={(1 - y) * SIZE}
            r={6}
            fill={INKS[which]}
            role="slider"
            tabIndex={0}
            aria-label={`Point ${i + 1} of ${points.length}`}
            aria-valuenow={Math.round(100 * y)}
            aria-valuetext={`${Math.round(100 * x)} % becomes ${Math.round(100 * y)} %`}
            onPointerDown={(e) => {
              e.stopPropagation()
              take(e, i)
            }}
            onDoubleClick={() => set(withoutPoint(points, i), 'take a point away')}
            onKeyDown={(e) => {
              const by = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, STEP], ArrowDown: [0, -STEP] }[e.key]
              if (e.key === 'Delete') set(withoutPoint(points, i), 'take a point away')
              else if (by) set(movedPoint(points, i, [x + by[0], y + by[1]]), 'bend a curve')
              else return
              e.preventDefault()
              e.stopPropagation()
            }}
          />
        ))}
      </svg>
      <div className="beside-curve">
        <Segmented
          size="small"
          vertical
          aria-label="Which curve"
          value={which}
          onChange={(next) => {
            setAhead(null)
            setWhich(next)
          }}
          options={CURVES.map((value) => ({ value, label: value }))}
        />
        <Button size="small" disabled={isStraight(points)} onClick={() => set(STRAIGHT, 'straighten a curve')}>
          Straight
        </Button>
        <span className="quiet">Press on the curve for a point, drag it, Delete takes it away.</span>
      </div>
    </div>
  )
}
