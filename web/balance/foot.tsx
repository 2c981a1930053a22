import type { Stretch } from '@pendolo/core/mix'
import { projectRate, type Settings } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, printTimecode } from '@pendolo/core/time'
import { Button, Dropdown, Select, Tooltip } from 'antd'
import { keyText } from '../ui/keymap.ts'
import type { SoundRow } from './rows.ts'

/** Lengths of the changes at the edges of a range, s, and what they are called. */
export const FADES = [
  [0.005, '5 ms'],
  [0.05, '50 ms'],
  [0.5, '½ s'],
  [2, '2 s'],
] as const

/** What can be done in the chosen range with the chosen sounds. */
export interface RangeActs {
  readonly hear: (on: boolean) => void
  readonly raise: (by: number) => void
  readonly clear: () => void
  /** Silences the chosen sounds, and raises another one meanwhile. */
  readonly instead: (key: string) => void
  readonly none: () => void
}

interface Props {
  readonly settings: Settings
  readonly range: Stretch | null
  readonly rows: readonly SoundRow[]
  /** Others that may be raised meanwhile. */
  readonly others: readonly SoundRow[]
  readonly fade: Flicks
  readonly onFade: (fade: Flicks) => void
  readonly acts: RangeActs
}

/** Under the sounds: what can be done with the range, or how to get one. */
export function Foot({ settings, range, rows, others, fade, onFade, acts }: Props) {
  if (!range) {
    return (
      <div className="sounds-foot quiet">
        Drag over a sound, or press a stretch of the cut, to choose a range · double press to draw its level · what is off here stays off for everyone after you
      </div>
    )
  }
  const label = (t: Flicks) => printTimecode(t, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)
  const who = rows.length === 0 ? 'no sound chosen' : rows.length === 1 ? rows[0].name : `${rows.length} sounds`
  const own = rows.filter((r) => r.kind !== 'group')
  return (
    <div className="sounds-foot" role="toolbar" aria-label="The chosen range">
      <b>{who}</b>
      <span className="mono">
        {label(range.from)} – {label(range.to)}
      </span>
      <Tooltip title={`silent in the range, whatever else is said (${keyText('silence')})`}>
        <Button size="small" disabled={own.length === 0} onClick={() => acts.hear(false)}>
          Silent here
        </Button>
      </Tooltip>
      <Dropdown
        trigger={['click']}
        disabled={own.length === 0 || others.length === 0}
        menu={{ items: others.map((r) => ({ key: r.key, label: r.name, onClick: () => acts.instead(r.key) })) }}
      >
        <Button size="small">Silent here, another up ▾</Button>
      </Dropdown>
      <Tooltip title={`heard in the range, though it is off elsewhere (${keyText('hearHere')})`}>
        <Button size="small" disabled={own.length === 0} onClick={() => acts.hear(true)}>
          Hear here
        </Button>
      </Tooltip>
      <Select
        size="small"
        value={Number(fade)}
        aria-label="Length of the change at its edges"
        style={{ width: 92 }}
        onChange={(f) => onFade(flicks(f))}
        options={FADES.map(([s, name]) => ({ value: Math.round(s * FLICKS_PER_SECOND), label: name }))}
      />
      <Button size="small" disabled={rows.length === 0} aria-label="Lower by a decibel" title={keyText('raise', 1)} onClick={() => acts.raise(-1)}>
        −1 dB
      </Button>
      <Button size="small" disabled={rows.length === 0} aria-label="Raise by a decibel" title={keyText('raise', 0)} onClick={() => acts.raise(1)}>
        +1 dB
      </Button>
      <Button size="small" disabled={rows.length === 0} title={keyText('asItWas')} onClick={acts.clear}>
        As it was
      </Button>
      <span className="spring" />
      <Button size="small" type="text" title={keyText('nothing')} onClick={acts.none}>
        No range
      </Button>
    </div>
  )
}
