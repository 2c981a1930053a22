import { FLICKS_PER_SECOND, type Flicks, flicks, nearestFrameStart, type Rate } from '@pendolo/core/time'
import { type DOMAttributes, type PointerEvent, useState } from 'react'
import { type Geometry, secondsAt, xAt } from './geometry.ts'

interface Dragged {
  readonly geometry: Geometry
  readonly rate: Rate
  /** Where it stands, on the master's time. */
  readonly time: Flicks
  readonly onMove: (time: Flicks) => unknown
  /** Pressed and let go where it was. */
  readonly onPress?: () => void
}

/** What stands at a time of the score and is dragged from frame to frame. @returns where it is dragged to, and what its element listens to */
export function useDragged({ geometry, rate, time, onMove, onPress }: Dragged): [Flicks | null, DOMAttributes<HTMLElement>] {
  const [grip, setGrip] = useState<number | null>(null)
  const [dragged, setDragged] = useState<Flicks | null>(null)
  return [
    dragged,
    {
      onPointerDown: (event) => {
        event.stopPropagation()
        setGrip(event.clientX)
        event.currentTarget.setPointerCapture(event.pointerId)
      },
      onPointerMove: (event) => {
        if (grip === null) return
        event.stopPropagation()
        const at = secondsAt(geometry, xAt(geometry, time / FLICKS_PER_SECOND) + event.clientX - grip)
        setDragged(nearestFrameStart(flicks(Math.round(at * FLICKS_PER_SECOND)), rate))
      },
      onPointerUp: (event: PointerEvent<HTMLElement>) => {
        event.stopPropagation()
        if (dragged !== null && dragged !== time) onMove(dragged)
        else onPress?.()
        setGrip(null)
        setDragged(null)
        // Arrows are the playhead's again.
        event.currentTarget.blur()
      },
    },
  ]
}
