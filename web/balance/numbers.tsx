import { Button, Dropdown, Slider, Switch as Toggle } from 'antd'
import { useRef } from 'react'
import { newId } from '../ids.ts'
import { Num } from '../ui/num.tsx'

interface LineProps {
  readonly label: string
  readonly unit: string
  readonly value: number
  readonly min: number
  readonly max: number
  readonly step: number
  /** Where the slider ends on the left; its end is the least of all. */
  readonly sliderMin?: number
  /** What the slider reaches; what lies beyond is typed. */
  readonly slider?: readonly [number, number]
  readonly name: string
  readonly onChange: (value: number, step?: string) => void
}

/** A number as a slider and typed; while it is dragged all is heard and is one step. */
export function Line({ label, unit, value, min, max, step, sliderMin = min, slider, name, onChange }: LineProps) {
  const drag = useRef<{ id: string; n: number } | null>(null)
  const given = (v: number) => (!slider && v <= sliderMin ? min : v)
  const [least, most] = slider ?? [sliderMin, max]
  return (
    <div className="line">
      <span>{label}</span>
      <Slider
        min={least}
        max={most}
        step={step}
        value={Math.max(least, Math.min(most, value))}
        tooltip={{ formatter: (v) => `${v} ${unit}` }}
        onChange={(v: number) => {
          drag.current ??= { id: newId(), n: 0 }
          onChange(given(v), `${drag.current.id}:${++drag.current.n}`)
        }}
        onChangeComplete={() => {
          drag.current = null
        }}
        ariaLabelForHandle={name}
      />
      <Num label={`${name}, ${unit}`} unit={unit} value={value} min={min} max={max} step={step} onChange={onChange} />
    </div>
  )
}

export interface Field<T> {
  readonly key: keyof T & string
  readonly label: string
  readonly unit: string
  readonly min: number
  readonly max: number
  readonly step: number
}
/** The two numbers that matter most, and the others behind a button. */
export function Fields<T extends object>({
  of,
  off,
  name,
  what,
  fields,
  onChange,
}: {
  of: T
  off: boolean
  name: string
  what: string
  fields: readonly Field<T>[]
  onChange: (value: T) => void
}) {
  const num = ({ key, label, unit, min, max, step }: Field<T>) => (
    <Num
      key={key}
      label={`${what} of ${name}: ${label}, ${unit}`}
      unit={unit}
      value={of[key] as number}
      min={min}
      max={max}
      step={step}
      off={off}
      onChange={(v) => onChange({ ...of, [key]: v })}
    />
  )
  return (
    <>
      {fields.slice(0, 2).map(num)}
      <Dropdown
        trigger={['click']}
        disabled={off}
        popupRender={() => (
          <div className="more-numbers">
            {fields.map((f) => (
              <div className="line" key={f.key}>
                <span>{f.label}</span>
                {num(f)}
              </div>
            ))}
          </div>
        )}
      >
        <Button size="small" type="text" aria-label={`More of the ${what}`}>
          …
        </Button>
      </Dropdown>
    </>
  )
}

interface SwitchedProps {
  readonly label: string
  readonly on: boolean
  /** Cannot be switched yet. */
  readonly off?: boolean
  readonly onChange: (on: boolean) => void
  readonly children: React.ReactNode
}

/** Something that is on or off, with its numbers. */
export function Switched({ label, on, off = false, onChange, children }: SwitchedProps) {
  return (
    <div className="line">
      <span>{label}</span>
      <Toggle size="small" checked={on} disabled={off} onChange={onChange} aria-label={`${label} is on`} />
      {children}
    </div>
  )
}
