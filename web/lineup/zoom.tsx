import { type ReactNode, useState } from 'react'

const TIMES = 3

/** A picture into which one can look closer: a click enlarges around that spot, the next one shows all again. */
export function Zoom({ name, children }: { name: string; children: ReactNode }) {
  const [spot, setSpot] = useState<{ x: number; y: number } | null>(null)
  // The picture itself becomes larger, so that it is drawn with all that its copy holds.
  const style = spot
    ? { width: `${TIMES * 100}%`, height: `${TIMES * 100}%`, left: `${-spot.x * (TIMES - 1) * 100}%`, top: `${-spot.y * (TIMES - 1) * 100}%` }
    : { width: '100%', height: '100%', left: 0, top: 0 }
  return (
    <>
      <div style={{ position: 'absolute', ...style }}>{children}</div>
      <button
        type="button"
        className="over"
        style={{ cursor: spot ? 'zoom-out' : 'zoom-in' }}
        aria-label={`Zoom into the ${name}`}
        aria-pressed={spot !== null}
        onClick={(e) => {
          const box = e.currentTarget.getBoundingClientRect()
          // A key has no spot: it looks at the middle.
          const byKey = e.detail === 0
          setSpot(spot ? null : { x: byKey ? 0.5 : (e.clientX - box.left) / box.width, y: byKey ? 0.5 : (e.clientY - box.top) / box.height })
        }}
      />
    </>
  )
}
