import { useRef } from 'react'
import { engine } from '../playback/use-engine.ts'
import { lineAt } from './line-at.ts'
import { type TimeView, useEveryFrame } from './time-view.ts'

/** Where the machine cannot keep up with the pictures the line moves so seldom, ms. */
const SELDOM = 66

/** The red line; it moves by itself, without React. */
export function Playhead({ view, left, width, height }: { view: TimeView; left: number; width: number; height: number }) {
  const ref = useRef<HTMLDivElement>(null)
  const drawn = useRef('')
  const last = useRef(Number.NaN)
  useEveryFrame((seconds) => {
    const line = ref.current
    if (!line) return
    const { playing, health } = engine.getState()
    const x = lineAt(left + ((seconds - view.from) / view.span) * width, window.devicePixelRatio, playing)
    // All lines of the page go on in the same frame.
    const turn = playing && health.programme.rough ? Math.floor(performance.now() / SELDOM) : Number.NaN
    if (turn === last.current) return
    last.current = turn
    const style = { transform: `translateX(${x}px)`, visibility: x < left - 1 || x > left + width + 1 ? 'hidden' : 'visible' }
    const now = style.transform + style.visibility
    if (now === drawn.current) return
    drawn.current = now
    Object.assign(line.style, style)
  })
  return <div ref={ref} className="playhead" style={{ height }} />
}
