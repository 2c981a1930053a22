import type { Points } from '@pendolo/core/cut'
import type { Angle } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks } from '@pendolo/core/time'
import { memo, useMemo, useRef } from 'react'
import { engine } from '../playback/use-engine.ts'
import { KEEPS_FOCUS } from '../ui/focus.ts'
import { headsInView } from './draw.ts'
import { type Geometry, laneMiddle, xAt } from './geometry.ts'

/** More of them in view are not gone through one by one; zooming in brings them. */
const MOST = 150

/** The cuts in view as a list that keyboard and screen reader go through; each lies over its drawn note-head. */
export const Heads = memo(function Heads({
  geometry,
  points,
  angles,
  laneOf,
  label,
  picked,
  onJoin,
  onPick,
}: {
  geometry: Geometry
  points: Points
  angles: readonly Angle[]
  laneOf: ReadonlyMap<string, number>
  label: (time: Flicks) => string
  picked: readonly Flicks[]
  onJoin: (time: Flicks) => unknown
  onPick: (time: Flicks, how: 'alone' | 'too' | 'through') => unknown
}) {
  const heads = useMemo(() => headsInView(geometry, points), [geometry, points])
  // Who clicked one goes on with the mouse: Space plays then. Who came to it by keys chooses it by Space.
  const clicked = useRef<Flicks | null>(null)
  if (heads.length > MOST) return <p className="sr-only">{heads.length} cuts are in view; zoom in to go through them</p>
  return (
    <div className="note-heads">
      {heads.map(({ time, angleId }) => {
        const lane = laneOf.get(angleId)
        if (lane === undefined) return null
        const [width, height] = [geometry.head * 2.6, geometry.head * 2]
        const left = xAt(geometry, time / FLICKS_PER_SECOND) - width / 2
        return (
          <button
            key={time}
            type="button"
            className="note-head"
            {...KEEPS_FOCUS}
            aria-pressed={picked.includes(time)}
            aria-label={`cut to ${angles[lane].name} at ${label(time)}`}
            style={{ transform: `translate(${left}px, ${laneMiddle(geometry, lane) - height / 2}px) rotate(-18deg)`, width, height }}
            onPointerDown={() => {
              clicked.current = time
            }}
            onBlur={() => {
              // The head that had the focus loses it after the next one was pressed.
              if (clicked.current === time) clicked.current = null
            }}
            onKeyDown={(e) => {
              if (e.key === 'Delete') onJoin(time)
              if (e.key === 'Enter') engine.seek(time)
              if (e.key !== ' ' || clicked.current === time) return
              onPick(time, e.shiftKey ? 'through' : 'too')
              e.stopPropagation()
            }}
          />
        )
      })}
    </div>
  )
})
