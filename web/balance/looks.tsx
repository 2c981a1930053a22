import { isPlain, LOOK_BOUNDS, type Look } from '@pendolo/core/picture'
import type { Angle, Edit } from '@pendolo/core/project'
import { Button, Dropdown, Tooltip } from 'antd'
import { useEffect, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import { useKeyHeld } from '../ui/use-keys.ts'
import { Line } from './numbers.tsx'
import { lookEdit, lookIn, type Scope } from './seen-as.ts'

interface Props {
  readonly scope: Scope
  readonly angles: readonly Angle[]
  readonly edit: (edits: Edit[], label: string, group?: string) => boolean
}

/** What is changed of a look, from its numbers to those that are shown. */
const LINES: readonly { key: keyof Look; label: string; unit: string; none: number; times: number; step: number }[] = [
  { key: 'exposure', label: 'exposure', unit: 'stops', none: 0, times: 1, step: 0.05 },
  { key: 'warmth', label: 'warmth', unit: '%', none: 0, times: 100, step: 1 },
  { key: 'tint', label: 'green/magenta', unit: '%', none: 0, times: 100, step: 1 },
  { key: 'contrast', label: 'contrast', unit: '%', none: 1, times: 100, step: 1 },
  { key: 'saturation', label: 'saturation', unit: '%', none: 1, times: 100, step: 1 },
]

/** A look with one number changed; null where nothing is changed any more. */
export function changedLook(look: Look | undefined, key: keyof Look, value: number, none: number): Look | null {
  const { [key]: _, ...rest } = look ?? {}
  const next: Look = value === none ? rest : { ...rest, [key]: value }
  return isPlain(next) ? null : next
}

/** How the pictures of an angle are corrected, in all its stretches or in one. */
export function Looks({ scope, angles, edit }: Props) {
  const { id, name } = scope.angle
  const look = lookIn(scope)
  const corrected = look !== undefined && !isPlain(look)
  const others = angles.filter((a) => a.id !== id)
  const give = (to: readonly Angle[]) =>
    edit(
      to.map((a) => ({ type: 'seeAngle', angleId: a.id, look: look ?? null })),
      'copy a look',
    )
  return (
    <div className="looks" role="region" aria-label={`Look of ${name}`}>
      {LINES.map(({ key, label, unit, none, times, step }) => (
        <Line
          key={key}
          label={label}
          unit={unit}
          value={Math.round((look?.[key] ?? none) * times * 100) / 100}
          min={LOOK_BOUNDS[key][0] * times}
          max={LOOK_BOUNDS[key][1] * times}
          step={step}
          name={`${label} of ${name}`}
          onChange={(value, group) => edit([lookEdit(scope, changedLook(look, key, value / times, none))], 'correct an angle', group)}
        />
      ))}
      <div className="line">
        <Before />
        <Dropdown
          trigger={['click']}
          disabled={others.length === 0}
          menu={{
            items: [
              ...(others.length > 1 ? [{ key: 'all', label: `all ${others.length} others`, onClick: () => give(others) }] : []),
              ...others.map((a) => ({ key: a.id, label: a.name, onClick: () => give([a]) })),
            ],
          }}
        >
          <Button size="small">Give this look to ▾</Button>
        </Dropdown>
        <Button size="small" disabled={!corrected} onClick={() => edit([lookEdit(scope, null)], 'as it was recorded')}>
          As recorded
        </Button>
      </div>
    </div>
  )
}

/** While it is held, by the pointer or its key, all pictures are seen as they were recorded. */
function Before() {
  const [pressed, setPressed] = useState(false)
  const held = useKeyHeld('before')
  const before = pressed || held
  useEffect(() => {
    engine.showLooks(!before)
    return () => engine.showLooks(true)
  }, [before])
  return (
    <Tooltip title="while it is held, as it was recorded">
      <Button
        size="small"
        type={before ? 'primary' : 'default'}
        aria-pressed={before}
        onPointerDown={() => setPressed(true)}
        onPointerUp={() => setPressed(false)}
        onPointerLeave={() => setPressed(false)}
      >
        Before
      </Button>
    </Tooltip>
  )
}
