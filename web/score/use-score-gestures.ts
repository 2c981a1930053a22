import type { Points } from '@pendolo/core/cut'
import type { Angle, Edit } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, firstFrom, flicks, nearestFrameStart, type Rate } from '@pendolo/core/time'
import { useGesture } from '@use-gesture/react'
import { type RefObject, useEffect, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import { CATCH, type Geometry, laneMiddle, secondsAt, spotAt, xAt } from './geometry.ts'

export interface ScoreActions {
  /** Where a dragged cut or the end of a painted stretch lands. */
  readonly snap: (time: Flicks) => Flicks
  readonly roll: (from: Flicks, to: Flicks) => unknown
  readonly paint: (angleId: string, from: Flicks, to: Flicks) => unknown
  readonly join: (time: Flicks) => unknown
  /** A cut is being dragged, or no longer. */
  readonly rolling: (drag: { readonly from: Flicks; readonly to: Flicks } | null) => unknown
  /** A cut was pressed: it alone is chosen, or it too, or all up to it; without a time none. */
  readonly pick: (time: Flicks | null, how: 'alone' | 'too' | 'through') => unknown
  /** A layer was pressed and is chosen. */
  readonly pickLayer: (layerId: string) => unknown
  readonly edit: (edits: Edit[], label: string) => unknown
  /** The film begins or ends elsewhere. */
  readonly keep: (ends: { start?: Flicks | null; end?: Flicks | null }) => unknown
  /** A range of the master was chosen, or none any more. */
  readonly choose: (range: { from: Flicks; to: Flicks } | null) => unknown
}

/** What is being done with the pointer. */
export type ScoreGesture =
  | { readonly kind: 'scrub' }
  | { readonly kind: 'head'; readonly from: Flicks; readonly to: Flicks }
  | { readonly kind: 'paint'; readonly lane: number; readonly from: number; readonly to: number }
  | { readonly kind: 'range'; readonly from: Flicks; readonly to: Flicks }

interface Wanted {
  readonly ref: RefObject<HTMLDivElement | null>
  readonly geometry: Geometry
  readonly points: Points
  readonly angles: readonly Angle[]
  readonly recorded: { readonly start: Flicks; readonly end: Flicks }
  readonly rate: Rate
  readonly actions: ScoreActions
  readonly zoom: (factor: number, around: number) => void
  readonly move: (by: number) => void
}

/** Note-head under a pixel, if any: one in view, of which half may stand over the names. */
export function headAt(geometry: Geometry, points: Points, laneOf: (angleId: string) => number, x: number, y: number): Flicks | null {
  const reach = secondsAt(geometry, x + CATCH) - secondsAt(geometry, x)
  const here = secondsAt(geometry, x)
  let best: Flicks | null = null
  let least = Number.POSITIVE_INFINITY
  // What stands at the edge of the view counts as within it.
  const from = Math.max(here - reach, geometry.view.from - reach / CATCH)
  for (let i = firstFrom(points.length, (n) => points[n].time, from * FLICKS_PER_SECOND); i < points.length; i++) {
    const t = points[i].time / FLICKS_PER_SECOND
    if (t > here + reach) break
    const lane = laneOf(points[i].angleId)
    if (lane < 0 || Math.abs(laneMiddle(geometry, lane) - y) > Math.max(geometry.head, 4) + 2) continue
    const off = Math.abs(xAt(geometry, t) - x)
    if (off <= CATCH && off < least) {
      best = points[i].time
      least = off
    }
  }
  return best
}

/**
 * Pointer on the score: a press goes there; over the ruler a drag chooses a range, over the master
 * it moves the playhead along, with Shift it chooses a range too; in a
 * lane a drag paints; a note-head is rolled, and joined by a double press. The wheel zooms, with Shift it moves.
 */
export function useScoreGestures({ ref, geometry, points, angles, recorded, rate, actions, zoom, move }: Wanted) {
  const [gesture, setGesture] = useState<ScoreGesture | null>(null)
  const local = ([x, y]: [number, number]): [number, number] => {
    const box = ref.current?.getBoundingClientRect()
    return [x - (box?.left ?? 0), y - (box?.top ?? 0)]
  }
  const at = (x: number) => flicks(Math.max(recorded.start, Math.round(secondsAt(geometry, x) * FLICKS_PER_SECOND)))
  const laneOf = (angleId: string) => angles.findIndex((a) => a.id === angleId)
  const begun = (x: number, y: number, shift: boolean): ScoreGesture | null => {
    const spot = spotAt(geometry, x, y)
    if (spot.kind === 'lane' || spot.kind === 'labels') {
      const head = headAt(geometry, points, laneOf, x, y)
      if (head !== null) return { kind: 'head', from: head, to: head }
      return spot.kind === 'lane' ? { kind: 'paint', lane: spot.lane, from: x, to: x } : null
    }
    if (spot.kind !== 'master' && spot.kind !== 'ruler') return null
    return shift || spot.kind === 'ruler' ? { kind: 'range', from: at(x), to: at(x) } : { kind: 'scrub' }
  }
  const ended = (done: ScoreGesture) => {
    if (done.kind === 'head' && done.to !== done.from) actions.roll(done.from, done.to)
    if (done.kind === 'range') actions.choose(done.to > done.from ? { from: done.from, to: done.to } : null)
    if (done.kind !== 'paint') return
    const [from, to] = [actions.snap(at(done.from)), actions.snap(at(done.to))]
    if (to > from) actions.paint(angles[done.lane].id, from, to)
  }
  const handlers = useGesture(
    {
      onDrag: ({ first, last, tap, xy, initial, shiftKey, ctrlKey, metaKey, event, memo }) => {
        // What stands over the drawing (the overview) has gestures of its own.
        if (event.target instanceof Element && event.target.closest('[data-own-gestures]')) return { mine: null }
        const [x] = local(xy)
        const [x0, y0] = local(initial)
        if (tap) {
          setGesture(null)
          actions.rolling(null)
          if (memo?.mine?.kind === 'range') actions.choose(null)
          const head = headAt(geometry, points, laneOf, x0, y0)
          if (memo?.mine === null || (head === null && spotAt(geometry, x0, y0).kind === 'labels')) return memo
          if (head === null) engine.seek(nearestFrameStart(at(x0), rate))
          actions.pick(head, ctrlKey || metaKey ? 'too' : shiftKey ? 'through' : 'alone')
          return memo
        }
        const mine: ScoreGesture | null = first || !memo ? begun(x0, y0, shiftKey) : memo.mine
        if (!mine) return { mine }
        let now = mine
        if (mine.kind === 'scrub') engine.scrub(nearestFrameStart(at(x), rate))
        if (mine.kind === 'head') {
          now = { ...mine, to: actions.snap(at(x)) }
          actions.rolling(last || now.to === now.from ? null : { from: now.from, to: now.to })
        }
        if (mine.kind === 'paint') now = { ...mine, from: Math.min(x0, x), to: Math.max(x0, x) }
        if (mine.kind === 'range') now = { ...mine, from: nearestFrameStart(at(Math.min(x0, x)), rate), to: nearestFrameStart(at(Math.max(x0, x)), rate) }
        if (last) {
          setGesture(null)
          ended(now)
        } else setGesture(now)
        return { mine }
      },
    },
    { drag: { filterTaps: true, pointer: { buttons: 1, capture: true }, threshold: 0 } },
  )
  // React listens to wheels passively, so the page would scroll or zoom along.
  useEffect(() => {
    const element = ref.current
    if (!element) return
    const wheel = (event: WheelEvent) => {
      event.preventDefault()
      const [x] = local([event.clientX, event.clientY])
      const { span } = geometry.view
      const sideways = !(event.ctrlKey || event.metaKey) && Math.abs(event.deltaX) >= Math.abs(event.deltaY)
      if (sideways) move((event.deltaX / geometry.plotWidth) * span)
      else if (event.shiftKey) move((event.deltaY / geometry.plotWidth) * span)
      else zoom(Math.exp(event.deltaY * 0.0015), secondsAt(geometry, x))
    }
    element.addEventListener('wheel', wheel, { passive: false })
    return () => element.removeEventListener('wheel', wheel)
  })
  const onDoubleClick = (event: React.MouseEvent) => {
    const [x, y] = local([event.clientX, event.clientY])
    const head = headAt(geometry, points, laneOf, x, y)
    if (head !== null) actions.join(head)
  }
  return { gesture, handlers: { ...handlers(), onDoubleClick } }
}
