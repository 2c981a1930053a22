import type { ProjectState } from '@pendolo/api'
import {
  BAND_KINDS,
  type Band,
  CHANNEL_LAYOUTS,
  type ChannelLayout,
  type Compressor,
  type Gate,
  MAX_GAIN_DB,
  MIN_GAIN_DB,
  MOST_BANDS,
  type Stretch,
} from '@pendolo/core/mix'
import type { Edit, Group, StripChange } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, flicks } from '@pendolo/core/time'
import { Button, Dropdown, Input, Select, Tooltip } from 'antd'
import { useEffect, useState } from 'react'
import { newId } from '../ids.ts'
import { engine } from '../playback/use-engine.ts'
import { Num } from '../ui/num.tsx'
import { Curve } from './curve.tsx'
import { Meters } from './meters.tsx'
import { type Field, Fields, Line, Switched } from './numbers.tsx'
import { RepairButton } from './repair.tsx'
import { type SoundRow, stripEdit } from './rows.ts'

const KIND_WORDS = { 'low-shelf': 'lows', bell: 'mids', 'high-shelf': 'highs' } as const
const NEW_BANDS: readonly Band[] = [
  { kind: 'low-shelf', hz: 120, gainDb: 0, q: 0.7 },
  { kind: 'bell', hz: 350, gainDb: 0, q: 1 },
  { kind: 'bell', hz: 2500, gainDb: 0, q: 1 },
  { kind: 'high-shelf', hz: 8000, gainDb: 0, q: 0.7 },
]
const NEW_GATE: Gate = { thresholdDb: -45, rangeDb: 20, attackMs: 3, holdMs: 150, releaseMs: 200 }
const NEW_COMPRESSOR: Compressor = { thresholdDb: -24, ratio: 3, kneeDb: 6, attackMs: 10, releaseMs: 150, makeupDb: 0 }
const GATE_FIELDS: readonly Field<Gate>[] = [
  { key: 'thresholdDb', label: 'opens above', unit: 'dB', min: -100, max: 0, step: 1 },
  { key: 'rangeDb', label: 'closes by', unit: 'dB', min: 0, max: 100, step: 1 },
  { key: 'attackMs', label: 'opens in', unit: 'ms', min: 0, max: 5000, step: 1 },
  { key: 'holdMs', label: 'stays open for', unit: 'ms', min: 0, max: 5000, step: 10 },
  { key: 'releaseMs', label: 'closes in', unit: 'ms', min: 0, max: 5000, step: 10 },
]
const COMPRESSOR_FIELDS: readonly Field<Compressor>[] = [
  { key: 'thresholdDb', label: 'above', unit: 'dB', min: -100, max: 0, step: 1 },
  { key: 'ratio', label: 'ratio', unit: ': 1', min: 1, max: 50, step: 0.5 },
  { key: 'makeupDb', label: 'then raised by', unit: 'dB', min: 0, max: 40, step: 0.5 },
  { key: 'attackMs', label: 'sets in within', unit: 'ms', min: 0, max: 5000, step: 1 },
  { key: 'releaseMs', label: 'lets go within', unit: 'ms', min: 0, max: 5000, step: 10 },
  { key: 'kneeDb', label: 'bends over', unit: 'dB', min: 0, max: 40, step: 1 },
]
const LAYOUT_WORDS: Readonly<Record<ChannelLayout, string>> = { middle: 'middle', left: 'left', right: 'right', pair: 'left, next is right' }

interface Props {
  readonly project: ProjectState
  /** The chosen range, if there is one. */
  readonly range: Stretch | null
  readonly row: SoundRow
  /** All that are chosen; what is changed is changed for all of them. */
  readonly rows: readonly SoundRow[]
  readonly groups: readonly Group[]
  readonly edit: (edits: Edit[], label: string, group?: string) => boolean
}

/** The strip of the chosen sound: what is done to it over its whole length. */
export function StripPanel({ project, range, row, rows, groups, edit }: Props) {
  const { strip, name, kind } = row
  const change = (what: StripChange, label: string, step?: string) =>
    edit(
      rows.map((r) => stripEdit(r, what)),
      label,
      step,
    )
  const others = rows.length > 1 ? ` and ${rows.length - 1} more` : ''
  const addGroup = () => {
    const groupId = newId()
    const taken = new Set(groups.map((g) => g.name))
    const free = ['Voices', 'Music', 'Room'].find((n) => !taken.has(n)) ?? `Group ${groups.length + 1}`
    edit([{ type: 'group', groupId, name: free }, ...rows.filter((r) => r.kind !== 'group').map((r) => stripEdit(r, { group: groupId }))], 'make a group')
  }
  return (
    <div className="strip-panel" role="region" aria-label={`Strip of ${name}`}>
      <div className="main-part">
        <h3>
          {kind === 'group' ? <GroupName row={row} edit={edit} /> : name}
          <span className="quiet">{others}</span>
        </h3>
        <Line
          label="level"
          unit="dB"
          value={strip.gainDb}
          min={MIN_GAIN_DB}
          max={MAX_GAIN_DB}
          step={0.5}
          sliderMin={-36}
          name={`Level of ${name}`}
          onChange={(gainDb, step) => change({ gainDb }, 'set a level', step)}
        />
        <Line
          label="place"
          unit="%"
          value={Math.round((strip.pan ?? 0) * 100)}
          min={-100}
          max={100}
          step={1}
          name={`Place of ${name}, left to right`}
          onChange={(p, step) => change({ pan: p === 0 && kind !== 'channel' ? null : p / 100 }, 'set a place', step)}
        />
        {kind === 'channel' && <ChannelPart row={row} edit={edit} />}
        <div className="line">
          <span>goes to</span>
          {kind === 'group' ? (
            <span className="quiet">the programme</span>
          ) : (
            <Select
              size="small"
              value={groups.some((g) => g.id === strip.group) ? strip.group : ''}
              aria-label={`Group of ${name}`}
              onChange={(g) => (g === 'new' ? addGroup() : change({ group: g === '' ? null : g }, 'lead to a group'))}
              options={[
                { value: '', label: kind === 'channel' ? 'its recording' : 'the programme' },
                ...groups.map((g) => ({ value: g.id, label: g.name })),
                { value: 'new', label: 'a new group' },
              ]}
            />
          )}
          {kind === 'group' && (
            <Button size="small" onClick={() => edit([{ type: 'removeGroup', groupId: row.key }], 'take a group away')}>
              Take the group away
            </Button>
          )}
        </div>
        <Dynamics row={row} change={change} />
      </div>
      <Tone row={row} change={change} />
      <Comparing row={row} rows={rows} change={change}>
        {kind !== 'group' && <RepairButton project={project} range={range} rows={rows} edit={edit} />}
      </Comparing>
    </div>
  )
}

/** Meters of the strip, what it does heard and not, and what it does taken back or given to others. */
function Comparing({ row, rows, change, children }: { row: SoundRow; rows: readonly SoundRow[]; change: Change; children: React.ReactNode }) {
  const { strip } = row
  const [bypassed, setBypassed] = useState(false)
  const keys = rows.map((r) => r.key).join('\n')
  useEffect(() => {
    engine.bypass(new Set(bypassed ? keys.split('\n') : []))
  }, [bypassed, keys])
  useEffect(() => () => engine.bypass(new Set()), [])
  const none: StripChange = { repair: null, bands: null, gate: null, compressor: null, highPassHz: null, pan: null, gainDb: 0 }
  const { bands = null, gate = null, compressor = null, highPassHz = null } = strip
  const items = [
    { key: 'flat', label: 'as if nothing was done to it', onClick: () => change(none, 'begin a strip anew') },
    { key: 'tone', label: 'without equaliser', onClick: () => change({ bands: null }, 'without equaliser') },
    ...(rows.length > 1
      ? [
          {
            key: 'copy',
            label: `all ${rows.length} chosen as ${row.name} is`,
            onClick: () => change({ bands, gate, compressor, highPassHz, gainDb: strip.gainDb }, 'copy a strip'),
          },
        ]
      : []),
  ]
  return (
    <div className="meter-part">
      <Meters of={row.key} />
      {children}
      <Tooltip title="hear it without repairs, high-pass, equaliser, gate and compressor, at the same loudness">
        <Button size="small" type={bypassed ? 'primary' : 'default'} aria-pressed={bypassed} onClick={() => setBypassed(!bypassed)}>
          Bypass
        </Button>
      </Tooltip>
      <Dropdown trigger={['click']} menu={{ items }}>
        <Button size="small">Reset ▾</Button>
      </Dropdown>
    </div>
  )
}

type Change = (what: StripChange, label: string, step?: string) => void

/** What a strip lets through and how far it lets it swing. */
function Dynamics({ row: { strip, name }, change }: { row: SoundRow; change: Change }) {
  return (
    <>
      <Switched label="high-pass" on={strip.highPassHz !== undefined} onChange={(on) => change({ highPassHz: on ? 80 : null }, 'high-pass')}>
        <Num
          label={`High-pass of ${name}, Hz`}
          unit="Hz"
          value={strip.highPassHz ?? 80}
          min={10}
          max={2000}
          step={5}
          off={!strip.highPassHz}
          onChange={(highPassHz) => change({ highPassHz }, 'high-pass')}
        />
      </Switched>
      <Switched label="gate" on={strip.gate !== undefined} onChange={(on) => change({ gate: on ? NEW_GATE : null }, 'gate')}>
        <Fields of={strip.gate ?? NEW_GATE} off={!strip.gate} name={name} what="gate" fields={GATE_FIELDS} onChange={(gate) => change({ gate }, 'gate')} />
      </Switched>
      <Switched label="compressor" on={strip.compressor !== undefined} onChange={(on) => change({ compressor: on ? NEW_COMPRESSOR : null }, 'compressor')}>
        <Fields
          of={strip.compressor ?? NEW_COMPRESSOR}
          off={!strip.compressor}
          name={name}
          what="compressor"
          fields={COMPRESSOR_FIELDS}
          onChange={(compressor) => change({ compressor }, 'compressor')}
        />
      </Switched>
    </>
  )
}

/** The equaliser of a strip. */
function Tone({ row: { strip, name }, change }: { row: SoundRow; change: Change }) {
  const bands = strip.bands ?? NEW_BANDS
  const setBand = (i: number, what: Partial<Band>, step?: string) => {
    const next = bands.map((b, k) => (k === i ? { ...b, ...what } : b))
    change({ bands: next.every((b) => b.gainDb === 0) && !strip.bands ? null : next }, 'equalise', step)
  }
  return (
    <div className="tone-part">
      <Curve strip={strip} onBand={(i, what, step) => setBand(i, what, step)} bands={bands} />
      {bands.slice(0, MOST_BANDS).map((band, i) => (
        <div className="band" key={i} role="group" aria-label={`Band ${i + 1} of ${name}`}>
          <Select
            size="small"
            variant="borderless"
            value={band.kind}
            suffixIcon={null}
            aria-label={`Kind of band ${i + 1}`}
            onChange={(kind) => setBand(i, { kind })}
            options={BAND_KINDS.map((k) => ({ value: k, label: KIND_WORDS[k] }))}
          />
          <Num label={`Frequency of band ${i + 1}`} unit="Hz" value={band.hz} min={20} max={20_000} step={10} onChange={(hz) => setBand(i, { hz })} />
          <Num label={`Gain of band ${i + 1}`} unit="dB" value={band.gainDb} min={-24} max={24} step={0.5} onChange={(gainDb) => setBand(i, { gainDb })} />
          <Num label={`Width of band ${i + 1}`} unit="Q" value={band.q} min={0.1} max={20} step={0.1} onChange={(q) => setBand(i, { q })} />
        </div>
      ))}
    </div>
  )
}

/** A group is called as somebody types. */
function GroupName({ row: { key, name }, edit }: Pick<Props, 'row' | 'edit'>) {
  const [typed, setTyped] = useState(name)
  const keep = () => {
    if (typed.trim() && typed.trim() !== name) edit([{ type: 'group', groupId: key, name: typed.trim() }], 'name a group')
    else setTyped(name)
  }
  return (
    <Input
      size="small"
      variant="borderless"
      className="group-name"
      value={typed}
      maxLength={120}
      aria-label="Name of the group"
      onChange={(e) => setTyped(e.target.value)}
      onBlur={keep}
      onPressEnter={(e) => e.currentTarget.blur()}
    />
  )
}

/** What is said of a channel for everybody downstream. */
function ChannelPart({ row: { clip, channel, name }, edit }: Pick<Props, 'row' | 'edit'>) {
  if (!clip || !channel) return null
  const said = clip.channels?.[channel.key]
  const change = (what: Extract<Edit, { type: 'channel' }>['change'], label: string) =>
    edit([{ type: 'channel', clipId: clip.id, channel: channel.key, change: what }], label)
  return (
    <div className="line">
      <span>channel</span>
      <Select<ChannelLayout | 'found'>
        size="small"
        value={said?.layout ?? 'found'}
        aria-label={`Where ${name} is heard`}
        onChange={(layout) => change({ layout: layout === 'found' ? null : layout }, 'put a channel elsewhere')}
        options={[{ value: 'found' as const, label: 'as found' }, ...CHANNEL_LAYOUTS.map((value) => ({ value, label: LAYOUT_WORDS[value] }))]}
      />
      <Button
        size="small"
        type={said?.turned ? 'primary' : 'default'}
        aria-pressed={said?.turned === true}
        aria-label={`Turn the polarity of ${name}`}
        title="turn its polarity"
        onClick={() => change({ turned: said?.turned !== true }, 'turn the polarity')}
      >
        ±
      </Button>
      <Num
        label={`Delay of ${name}`}
        unit="ms"
        value={Math.round(((said?.delay ?? 0) / FLICKS_PER_SECOND) * 10_000) / 10}
        min={0}
        max={1000}
        step={0.1}
        onChange={(ms) => change({ delay: ms > 0 ? flicks(Math.round((ms / 1000) * FLICKS_PER_SECOND)) : null }, 'delay a channel')}
      />
    </div>
  )
}
