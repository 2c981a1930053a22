import { CUTOUT_BOUNDS, type Cutout, isWhole, WHOLE } from '@pendolo/core/picture'
import { Button, Switch as Toggle } from 'antd'
import { Num } from '../ui/num.tsx'
import { cropped, EDGES, MOST_CUT } from './drag-framing.ts'
import { Line } from './numbers.tsx'

interface Props {
  readonly name: string
  readonly cutout: Cutout
  readonly onChange: (cutout: Cutout, group?: string) => void
  /** What else there is to set. */
  readonly children?: React.ReactNode
  /** Makes this framing an angle of its own beside the angle, or ends that; null where a stretch is framed. */
  readonly twice: { readonly label: string; readonly title: string; readonly act: () => void } | null
}

const LINES: readonly { key: 'scale' | 'x' | 'y' | 'turn'; label: string; unit: string; times: number; step: number; slider: readonly [number, number] }[] = [
  { key: 'scale', label: 'size', unit: '%', times: 100, step: 1, slider: [20, 400] },
  { key: 'x', label: 'across', unit: '%', times: 100, step: 0.5, slider: [-100, 100] },
  { key: 'y', label: 'down', unit: '%', times: 100, step: 0.5, slider: [-100, 100] },
  { key: 'turn', label: 'turn', unit: '°', times: 1, step: 0.1, slider: [-180, 180] },
]

/** Where the picture stands in the frame, in numbers; the handles on the picture do the same. */
export function FramingNumbers({ name, cutout, onChange, twice, children }: Props) {
  const { mirrored, ...upright } = cutout
  return (
    <div role="group" aria-label={`Framing of ${name}`}>
      {LINES.map(({ key, label, unit, times, step, slider }) => (
        <Line
          key={key}
          label={label}
          unit={unit}
          value={Math.round(cutout[key] * times * 100) / 100}
          min={CUTOUT_BOUNDS[key][0] * times}
          max={CUTOUT_BOUNDS[key][1] * times}
          slider={slider}
          step={step}
          name={`${label} of ${name}`}
          onChange={(value, group) => onChange({ ...cutout, [key]: value / times }, group)}
        />
      ))}
      <div className="line edges">
        <span>cut off, %</span>
        {EDGES.map((edge) => (
          <Num
            key={edge}
            label={`cut off ${edge} of ${name}, %`}
            unit={edge}
            value={Math.round(1000 * (cutout.crop?.[edge] ?? 0)) / 10}
            min={0}
            max={MOST_CUT * 100}
            step={1}
            onChange={(value) => onChange(cropped(cutout, edge, value / 100))}
          />
        ))}
      </div>
      {children}
      <div className="line">
        <span>mirrored</span>
        <Toggle
          size="small"
          checked={mirrored === true}
          aria-label={`${name} is mirrored`}
          onChange={(on) => onChange(on ? { ...upright, mirrored: true } : upright)}
        />
        <span className="spring" />
        {twice && (
          <Button size="small" title={twice.title} onClick={twice.act}>
            {twice.label}
          </Button>
        )}
        <Button size="small" disabled={isWhole(cutout)} onClick={() => onChange(WHOLE)}>
          As fitted
        </Button>
      </div>
    </div>
  )
}
