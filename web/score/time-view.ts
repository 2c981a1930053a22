import { FLICKS_PER_SECOND } from '@pendolo/core/time'
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from 'react'
import { engine } from '../playback/use-engine.ts'

/** The stretch of time that is seen, in seconds. */
export interface TimeView {
  readonly from: number
  readonly span: number
}

const SHORTEST = 0.4

/**
 * A view of a stretch of time that can be zoomed and moved, and turns the page when the playhead leaves it while playing.
 * @param whole all that there is to see; at first the part after 0 is seen, or that around the playhead
 */
export function useTimeView(whole: TimeView, initialSpan: number) {
  const { from: first, span: all } = whole
  const [view, setView] = useState<TimeView>(() => {
    const span = Math.min(initialSpan, Math.max(1, all))
    const now = engine.now() / FLICKS_PER_SECOND
    return { span, from: now >= 0 && now <= span * 0.97 ? 0 : Math.max(first, Math.min(Math.max(first, first + all - span), now - span / 2)) }
  })
  const fit = useCallback(
    (from: number, span: number): TimeView => {
      const s = Math.max(SHORTEST, Math.min(Math.max(1, all), span))
      return { span: s, from: Math.max(first, Math.min(Math.max(first, first + all - s), from)) }
    },
    [first, all],
  )
  const zoom = useCallback((factor: number, around: number) => setView((v) => fit(around - (around - v.from) * factor, v.span * factor)), [fit])
  const move = useCallback((by: number) => setView((v) => fit(v.from + by, v.span)), [fit])
  const show = useCallback((from: number, span?: number) => setView((v) => fit(from, span ?? v.span)), [fit])
  const last = useRef(engine.now())
  useEffect(
    () =>
      engine.subscribe(() => {
        // Only a playhead that moves takes the view along: who looks elsewhere and edits there stays there.
        const at = engine.now()
        if (at === last.current) return
        last.current = at
        const now = at / FLICKS_PER_SECOND
        setView((v) => (now < v.from || now > v.from + v.span * 0.97 ? fit(engine.getState().playing ? now - v.span * 0.08 : now - v.span / 2, v.span) : v))
      }),
    [fit],
  )
  return { view, zoom, move, show }
}

/** Size of an element, kept true. */
export function useSize<T extends HTMLElement>(): [React.RefObject<T | null>, { width: number; height: number }] {
  const ref = useRef<T>(null)
  const [size, setSize] = useState({ width: 0, height: 0 })
  useLayoutEffect(() => {
    const element = ref.current
    if (!element) return
    const read = () => setSize({ width: element.clientWidth, height: element.clientHeight })
    read()
    const watch = new ResizeObserver(read)
    watch.observe(element)
    return () => watch.disconnect()
  }, [])
  return [ref, size]
}

/** Calls back with the engine's time, s: at every drawn frame while it plays, and whenever it or the view has changed. */
export function useEveryFrame(act: (seconds: number) => void): void {
  const latest = useRef(act)
  useLayoutEffect(() => {
    latest.current = act
    act(engine.now() / FLICKS_PER_SECOND)
  })
  useEffect(() => {
    let id = 0
    const tick = () => {
      latest.current(engine.now() / FLICKS_PER_SECOND)
      id = engine.getState().playing ? requestAnimationFrame(tick) : 0
    }
    const wake = () => {
      if (id === 0) id = requestAnimationFrame(tick)
    }
    wake()
    const stop = engine.subscribe(wake)
    return () => {
      stop()
      cancelAnimationFrame(id)
    }
  }, [])
}
