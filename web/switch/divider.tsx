import { type CSSProperties, type KeyboardEvent, type PointerEvent, useRef } from 'react'

interface Props {
  readonly label: string
  readonly direction: 'column' | 'row'
  /** 0..1 */
  readonly value: number
  /** Share that a pointer's place means. */
  readonly at: (event: PointerEvent) => number
  readonly style?: CSSProperties
  readonly onChange: (value: number) => void
  /** A double press: as it was at first. */
  readonly onReset: () => void
}

const STEP = 0.02

/** A line that is dragged, or moved by arrow keys, to give one side more room. */
export function Divider({ label, direction, value, at, style, onChange, onReset }: Props) {
  const dragging = useRef(false)
  const press = (event: KeyboardEvent) => {
    const by = { ArrowUp: -STEP, ArrowLeft: -STEP, ArrowDown: STEP, ArrowRight: STEP }[event.key]
    if (by === undefined) return
    event.preventDefault()
    event.stopPropagation()
    onChange(value + by)
  }
  return (
    <div
      role="separator"
      tabIndex={0}
      aria-label={label}
      aria-orientation={direction === 'row' ? 'horizontal' : 'vertical'}
      aria-valuenow={Math.round(100 * value)}
      aria-valuemin={0}
      aria-valuemax={100}
      className={`divider ${direction}`}
      style={style}
      onKeyDown={press}
      onDoubleClick={onReset}
      onPointerDown={(e) => {
        dragging.current = true
        e.currentTarget.setPointerCapture(e.pointerId)
      }}
      onPointerMove={(e) => dragging.current && onChange(at(e))}
      onPointerUp={() => {
        dragging.current = false
      }}
    />
  )
}
