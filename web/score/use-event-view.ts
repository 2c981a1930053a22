import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { type RefObject, useEffect, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import { useKeys } from '../ui/use-keys.ts'
import { type TimeView, useTimeView } from './time-view.ts'

/** Each press of a key or button shows so much less, or more. */
const STEP = 2

/**
 * The stretch of the event that is looked at: all of it at first. The wheel zooms over the master and with Ctrl, and moves
 * sideways or with Shift; plainly it scrolls the rows.
 * @param left px before the plot, @param plot its width, @param head height over which the wheel zooms plainly
 */
export function useEventView(
  ref: RefObject<HTMLElement | null>,
  whole: TimeView,
  { left, plot, head, keys = 'zoomEvent' }: { left: number; plot: number; head: number; keys?: 'zoomEvent' | 'zoomSounds' },
) {
  const { view: part, zoom, move, show } = useTimeView(whole, whole.span)
  // All of the event stays all of it while clips come to lie further out.
  const [all, setAll] = useState(true)
  const { from, span } = whole
  useEffect(() => {
    if (all) show(from, span)
  }, [all, from, span, show])
  const view = all ? whole : part
  const by = (factor: number, around: number) => {
    setAll(view.span * factor >= span)
    zoom(factor, around)
  }
  const around = () => {
    const now = engine.now() / FLICKS_PER_SECOND
    return now >= view.from && now <= view.from + view.span ? now : view.from + view.span / 2
  }
  const step = (closer: boolean) => by(closer ? 1 / STEP : STEP, around())
  useKeys(
    keys,
    () => step(true),
    () => step(false),
  )
  // React listens to wheels passively, so the page would scroll or zoom along.
  useEffect(() => {
    const element = ref.current
    if (!element) return
    const wheel = (event: WheelEvent) => {
      const box = element.getBoundingClientRect()
      const modified = event.ctrlKey || event.metaKey
      const sideways = !modified && (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY))
      if (!sideways && !modified && event.clientY - box.top > head) return
      event.preventDefault()
      if (sideways) move(((event.deltaX || event.deltaY) / plot) * view.span)
      else by(Math.exp(event.deltaY * 0.0015), view.from + ((event.clientX - box.left - left) / plot) * view.span)
    }
    element.addEventListener('wheel', wheel, { passive: false })
    return () => element.removeEventListener('wheel', wheel)
  })
  return { view, step, all: () => setAll(true), isAll: all }
}
