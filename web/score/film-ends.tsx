import { FLICKS_PER_SECOND, type Flicks, flicks, frameStart, type Rate } from '@pendolo/core/time'
import type { KeyboardEvent } from 'react'
import { type Geometry, HEAD, LABELS, xAt } from './geometry.ts'
import { useDragged } from './use-dragged.ts'

interface Props {
  readonly geometry: Geometry
  readonly start: Flicks
  readonly end: Flicks
  readonly rate: Rate
  readonly label: (time: Flicks) => string
  /** The film begins or ends elsewhere; null is the master's own end. */
  readonly onKeep: (ends: { start?: Flicks | null; end?: Flicks | null }) => unknown
}

/** Where the film begins and where it ends: two brackets over the master that are dragged, or moved by arrow keys. */
export function FilmEnds({ geometry, start, end, rate, label, onKeep }: Props) {
  return (
    <>
      <End which="start" time={start} geometry={geometry} rate={rate} text={`The film begins at ${label(start)}`} onMove={(t) => onKeep({ start: t })} />
      <End which="end" time={end} geometry={geometry} rate={rate} text={`The film ends at ${label(end)}`} onMove={(t) => onKeep({ end: t })} />
    </>
  )
}

interface EndProps extends Pick<Props, 'geometry' | 'rate'> {
  readonly which: 'start' | 'end'
  readonly time: Flicks
  readonly text: string
  readonly onMove: (time: Flicks | null) => unknown
}

function End({ which, time, geometry, rate, text, onMove }: EndProps) {
  const [dragged, handlers] = useDragged({ geometry, rate, time, onMove })
  const x = xAt(geometry, (dragged ?? time) / FLICKS_PER_SECOND)
  if (x < LABELS - 1 || x > LABELS + geometry.plotWidth + 1) return null
  const press = (event: KeyboardEvent) => {
    const by = event.key === 'ArrowLeft' ? -1 : event.key === 'ArrowRight' ? 1 : 0
    if (by === 0) return
    event.preventDefault()
    event.stopPropagation()
    onMove(flicks(time + by * frameStart(event.shiftKey ? 10 : 1, rate)))
  }
  return (
    <button
      type="button"
      className={`film-end ${which}`}
      data-own-gestures
      title={`${text}; drag it, a double press takes all of the master`}
      aria-label={text}
      style={{ left: x, top: HEAD - 4, height: geometry.wave + 2 }}
      onKeyDown={press}
      {...handlers}
      onDoubleClick={(e) => {
        e.stopPropagation()
        onMove(null)
      }}
    />
  )
}
