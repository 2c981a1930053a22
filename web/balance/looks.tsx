import type { ProjectState } from '@pendolo/api'
import {
  type Colour,
  greyBalance,
  isPlain,
  LOOK_BOUNDS,
  type Look,
  type LookNumber,
  USUAL_VIGNETTE,
  VIGNETTE_BOUNDS,
  type Vignette,
} from '@pendolo/core/picture'
import type { Angle, Edit } from '@pendolo/core/project'
import { Button, Dropdown, Popover, Tooltip } from 'antd'
import { Pipette } from 'lucide-react'
import { memo, useEffect, useState } from 'react'
import { newId } from '../ids.ts'
import { filmFor } from '../playback/film.ts'
import { PickColour } from '../playback/pick-colour.tsx'
import { engine } from '../playback/use-engine.ts'
import { useStable } from '../ui/stable.ts'
import { useKeyHeld } from '../ui/use-keys.ts'
import { InputChoice } from './input-table.tsx'
import { changedLook, rebalanced, withInput, withVignette } from './look-parts.ts'
import { Match, type Matching } from './match.tsx'
import { type Field, Fields, Line, Switched } from './numbers.tsx'
import { followEdit, lookEdit, lookIn, type Scope } from './seen-as.ts'
import { useAhead } from './use-ahead.ts'

interface Props {
  readonly project: ProjectState
  readonly scope: Scope
  readonly angles: readonly Angle[]
  readonly edit: (edits: Edit[], label: string, group?: string) => boolean
}

interface LookLineOf {
  readonly key: LookNumber
  readonly label: string
  readonly unit: string
  readonly none: number
  readonly times: number
  readonly step: number
}
/** What is changed of a look, from its numbers to those that are shown. */
const LINES: readonly LookLineOf[] = [
  { key: 'exposure', label: 'exposure', unit: 'stops', none: 0, times: 1, step: 0.05 },
  { key: 'warmth', label: 'warmth', unit: '%', none: 0, times: 100, step: 1 },
  { key: 'tint', label: 'green/magenta', unit: '%', none: 0, times: 100, step: 1 },
  { key: 'mids', label: 'mids', unit: '%', none: 0, times: 100, step: 1 },
  { key: 'contrast', label: 'contrast', unit: '%', none: 1, times: 100, step: 1 },
  { key: 'saturation', label: 'saturation', unit: '%', none: 1, times: 100, step: 1 },
  { key: 'sharpness', label: 'soft/sharp', unit: '%', none: 0, times: 100, step: 1 },
]

const part = (key: keyof Vignette, label: string): Field<Vignette> => {
  const [min, max] = VIGNETTE_BOUNDS[key]
  return { key, label, unit: '%', min: 100 * min, max: 100 * max, step: 1 }
}
/** What is changed of a vignette, in hundredths. */
const VIGNETTE = [part('amount', 'dark'), part('size', 'begins at'), part('soft', 'soft over'), part('x', 'middle, across'), part('y', 'middle, down')]
const hundredths = (v: Vignette, times: number) =>
  Object.fromEntries(Object.entries(v).map(([key, x]) => [key, Math.round(x * times * 1e4) / 1e4])) as unknown as Vignette

interface LookLineProps {
  readonly line: LookLineOf
  readonly name: string
  /** As it is shown. */
  readonly value: number
  readonly onChange: (line: LookLineOf, value: number, group?: string) => void
}

/** One number of a look; while another one is dragged it is not drawn anew. */
const LookLine = memo(function LookLine({ line, name, value, onChange }: LookLineProps) {
  const { key, label, unit, times, step } = line
  const [min, max] = LOOK_BOUNDS[key]
  return (
    <Line
      label={label}
      unit={unit}
      value={value}
      min={min * times}
      max={max * times}
      step={step}
      name={`${label} of ${name}`}
      onChange={(v, group) => onChange(line, v, group)}
    />
  )
})

/** How the pictures of an angle are corrected, in all its stretches or in one. */
export function Looks({ project, scope, angles, edit }: Props) {
  const { id, name } = scope.angle
  const [matching, setMatching] = useState<Matching | null>(null)
  const look = lookIn(scope)
  const corrected = look !== undefined && !isPlain(look)
  const others = angles.filter((a) => a.id !== id)
  const give = (to: readonly Angle[]) =>
    edit(
      to.map((a) => ({ type: 'seeAngle', angleId: a.id, look: look ?? null })),
      'copy a look',
    )
  const ahead = useAhead({ project, edit })
  const { onChange } = useStable({
    onChange: ({ key, times, none }: LookLineOf, value: number, group?: string) =>
      ahead([lookEdit(scope, changedLook(look, key, value / times, none))], 'correct an angle', group),
  })
  if (matching)
    return (
      <div className="looks" role="region" aria-label={`Look of ${name}`}>
        <Match
          project={project}
          matching={matching}
          onLeave={() => setMatching(null)}
          onTake={(looks) => {
            const taken = matching.follows
              ? [
                  followEdit(
                    scope.angle,
                    looks.flatMap(({ look: found, within }) => (within ? [{ ...within, look: found }] : [])),
                    newId,
                  ),
                ]
              : looks.map(({ angle, look: found }) => {
                  const to = angle.id === id ? scope : { ...scope, angle, exception: null }
                  return lookEdit(to, withVignette(found, lookIn(to)?.vignette ?? null))
                })
            if (edit(taken, looks.length > 1 ? 'match angles' : 'match an angle')) setMatching(null)
          }}
        />
      </div>
    )
  return (
    <div className="looks" role="region" aria-label={`Look of ${name}`}>
      {LINES.map((line) => (
        <LookLine key={line.key} line={line} name={name} value={Math.round((look?.[line.key] ?? line.none) * line.times * 100) / 100} onChange={onChange} />
      ))}
      <Switched
        label="vignette"
        on={look?.vignette !== undefined}
        onChange={(on) => edit([lookEdit(scope, withVignette(look, on ? USUAL_VIGNETTE : null))], on ? 'darken the edges' : 'leave the edges')}
      >
        <Fields
          of={hundredths(look?.vignette ?? USUAL_VIGNETTE, 100)}
          off={!look?.vignette}
          name={name}
          what="vignette"
          fields={VIGNETTE}
          onChange={(v) => ahead([lookEdit(scope, withVignette(look, hundredths(v, 0.01)))], 'darken the edges')}
        />
      </Switched>
      <InputChoice
        doc={project.doc}
        name={name}
        input={look?.input}
        onChange={(input) => edit([lookEdit(scope, withInput(look, input))], input ? 'bring pictures through a table' : 'leave a table out')}
      />
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
          <Button size="small">Give to ▾</Button>
        </Dropdown>
        <GreyPick project={project} scope={scope} onPick={(balance) => edit([lookEdit(scope, rebalanced(look, balance))], 'balance by a grey')} />
        <MatchMenu scope={scope} others={others} onMatch={setMatching} />
        <Button size="small" disabled={!corrected} onClick={() => edit([lookEdit(scope, null)], 'as it was recorded')}>
          As recorded
        </Button>
      </div>
    </div>
  )
}

/** A colour of the picture becomes grey. */
function GreyPick({ project, scope, onPick }: { project: ProjectState; scope: Scope; onPick: (balance: Pick<Look, 'warmth' | 'tint'>) => void }) {
  const [picking, setPicking] = useState(false)
  const film = filmFor(project)
  const { input } = lookIn(scope) ?? {}
  return (
    <Popover
      trigger="click"
      placement="leftBottom"
      open={picking}
      onOpenChange={setPicking}
      destroyOnHidden
      content={
        <PickColour
          project={project}
          clipAt={(time) => film.takeIn(project.doc.activeCutId, scope.angle.id, time)?.clipId ?? null}
          look={input ? { input } : null}
          onPick={(colour) => {
            setPicking(false)
            if (colour) onPick(greyBalance([1, 3, 5].map((i) => Number.parseInt(colour.slice(i, i + 2), 16) / 255) as unknown as Colour))
          }}
        >
          Click on what is grey or white in truth, and not too bright.
        </PickColour>
      }
    >
      <Button
        size="small"
        icon={<Pipette size={14} />}
        aria-label="Pick a grey"
        title="click on what is grey or white in truth: warmth and green/magenta follow"
        type={picking ? 'primary' : 'default'}
        aria-pressed={picking}
      />
    </Popover>
  )
}

/** To which angle pictures are matched, and how. */
function MatchMenu({ scope: { angle, exception }, others, onMatch }: { scope: Scope; others: readonly Angle[]; onMatch: (matching: Matching) => void }) {
  const match = (reference: Angle, follows: boolean) => onMatch({ angles: [angle], reference, within: follows ? null : exception, follows })
  const whole = exception === null
  const items = [
    ...others.map((a) => ({ key: a.id, label: `to ${a.name}`, onClick: () => match(a, false) })),
    ...(whole
      ? [
          { type: 'divider' as const },
          {
            key: 'light',
            label: 'as the light changes',
            children: others.map((a) => ({ key: `light ${a.id}`, label: `to ${a.name}`, onClick: () => match(a, true) })),
          },
        ]
      : []),
    ...(whole && others.length > 1
      ? [
          {
            key: 'others',
            label: `all ${others.length} others to ${angle.name}`,
            onClick: () => onMatch({ angles: others, reference: angle, within: null, follows: false }),
          },
        ]
      : []),
  ]
  return (
    <Dropdown trigger={['click']} disabled={others.length === 0} menu={{ items }}>
      <Button size="small">Match ▾</Button>
    </Dropdown>
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
