import { useRef } from 'react'
import { type TimeView, useEveryFrame } from './time-view.ts'

/** The red line; it moves by itself at every drawn frame, without React. */
export function Playhead({ view, left, width, height }: { view: TimeView; left: number; width: number; height: number }) {
  const ref = useRef<HTMLDivElement>(null)
  const drawn = useRef('')
  useEveryFrame((seconds) => {
    const line = ref.current
    if (!line) return
    // By whole pixels of the screen: a smaller step only blurs the line, and each costs the page a frame that the pictures need.
    const ratio = window.devicePixelRatio
    const x = Math.round(ratio * (left + ((seconds - view.from) / view.span) * width)) / ratio
    const style = { transform: `translateX(${x}px)`, visibility: x < left - 1 || x > left + width + 1 ? 'hidden' : 'visible' }
    const now = style.transform + style.visibility
    if (now === drawn.current) return
    drawn.current = now
    Object.assign(line.style, style)
  })
  return <div ref={ref} className="playhead" style={{ height }} />
}
