import { InputNumber } from 'antd'
import { useState } from 'react'

interface NumProps {
  readonly label: string
  readonly unit: string
  readonly value: number
  readonly min: number
  readonly max: number
  readonly step: number
  readonly off?: boolean
  readonly onChange: (value: number) => void
}

/** A number that is typed: taken with Enter or when it is left, or stepped by its arrows. */
export function Num({ label, unit, value, min, max, step, off = false, onChange }: NumProps) {
  const [typed, setTyped] = useState<number | null>(null)
  const keep = () => {
    if (typed !== null && typed !== value) onChange(Math.max(min, Math.min(max, typed)))
    setTyped(null)
  }
  return (
    <InputNumber
      size="small"
      className="num mono"
      value={typed ?? value}
      min={min}
      max={max}
      step={step}
      disabled={off}
      suffix={<span className="quiet">{unit}</span>}
      controls={false}
      aria-label={label}
      onChange={(v) => setTyped(v)}
      onStep={(v) => {
        setTyped(null)
        onChange(v)
      }}
      onBlur={keep}
      // The keys are the stage's again.
      onPressEnter={(e) => (e.target as HTMLElement).blur()}
    />
  )
}
