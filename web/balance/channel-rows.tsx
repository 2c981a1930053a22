import { channelName, type GatheredFile } from '@pendolo/api'
import { CHANNEL_LAYOUTS, type Channel, type ChannelLayout, channelsOf, type FoundChannel, isOn } from '@pendolo/core/mix'
import type { Clip, Edit } from '@pendolo/core/project'
import { Button, Input, Select, Switch as Toggle, Tooltip } from 'antd'
import { Headphones } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { Peaks } from '../score/peaks.ts'
import { useChannelPeaks, Waveform } from '../score/waveform.tsx'

/** Which channel is heard by itself, whatever the mix is. */
export interface Alone {
  readonly clipId: string
  readonly key: string
}

type Change = Extract<Edit, { type: 'channel' }>['change']

interface Props {
  readonly clip: Clip
  readonly file: GatheredFile
  /** Seconds of the sound at the left and right edge. */
  readonly from: number
  readonly to: number
  readonly columns: string
  readonly alone: Alone | null
  readonly edit: (edits: Edit[], label: string) => void
  readonly onAlone: (alone: Alone | null) => void
}

const LAYOUT_WORDS: Readonly<Record<ChannelLayout, string>> = { middle: 'middle', left: 'left', right: 'right', pair: 'left, next is right' }

/** The channels of one recording, each by itself: its name, its waveform, whether and where it is heard. */
export function ChannelRows({ clip, file, from, to, columns, alone, edit, onAlone }: Props) {
  const channels = file.facts.audio ? channelsOf(file.facts.audio) : []
  const peaks = useChannelPeaks(file.contentKey, file.ready.channelPeaks)
  const change = (of: readonly FoundChannel[], what: Change, label: string) =>
    edit(
      of.map((c) => ({ type: 'channel', clipId: clip.id, channel: c.key, change: what })),
      label,
    )
  const all = (on: boolean) => change(channels, { on }, on ? 'all channels on' : 'all channels off')
  return (
    <div className="channels" role="group" aria-label={`Channels of ${file.name}`}>
      {channels.map((c, i) => (
        <ChannelRow
          key={c.key}
          name={channelName(c)}
          number={c.number}
          said={clip.channels?.[c.key]}
          on={isOn(c, clip.channels?.[c.key])}
          peaks={peaks[i] ?? null}
          from={from}
          to={to}
          columns={columns}
          heardAlone={alone?.clipId === clip.id && alone.key === c.key}
          canBeAlone={file.ready.sound && (channels.length <= 2 || file.ready.channels)}
          onAlone={(on) => onAlone(on ? { clipId: clip.id, key: c.key } : null)}
          onChange={(what, label) => change([c], what, label)}
        />
      ))}
      <div className="channel-all">
        <Button size="small" type="link" onClick={() => all(true)}>
          All on
        </Button>
        <Button size="small" type="link" onClick={() => all(false)}>
          All off
        </Button>
        <span className="quiet">What is off is heard nowhere: not here, not in the film. Placing hears all.</span>
      </div>
    </div>
  )
}

interface RowProps {
  readonly name: string
  readonly number: number
  readonly said: Channel | undefined
  readonly on: boolean
  readonly peaks: Peaks | null
  readonly from: number
  readonly to: number
  readonly columns: string
  readonly heardAlone: boolean
  readonly canBeAlone: boolean
  readonly onAlone: (on: boolean) => void
  readonly onChange: (change: Change, label: string) => void
}

function ChannelRow({ name, number, said, on, peaks, from, to, columns, heardAlone, canBeAlone, onAlone, onChange }: RowProps) {
  const own = said?.name ?? ''
  const [typed, setTyped] = useState(own)
  useEffect(() => setTyped(own), [own])
  const keep = () => {
    if (typed.trim() !== own) onChange({ name: typed.trim() }, 'name a channel')
  }
  const shown = own || name
  return (
    <div className={on ? 'strip channel' : 'strip channel off'} style={{ gridTemplateColumns: columns }} role="group" aria-label={shown}>
      <div className="who">
        <span className="mono quiet">{number}</span>
        <Input
          size="small"
          variant="borderless"
          value={typed}
          placeholder={name}
          maxLength={120}
          aria-label={`Name of channel ${number}`}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={keep}
          onPressEnter={(e) => e.currentTarget.blur()}
        />
      </div>
      <div style={{ height: 28 }}>
        <Waveform peaks={peaks} from={from} to={to} aria-label={`Waveform of ${shown}`} />
      </div>
      <div className="knobs">
        <Toggle
          size="small"
          checked={on}
          onChange={(now) => onChange({ on: now }, now ? 'switch a channel on' : 'switch a channel off')}
          aria-label={`${shown} is on`}
        />
        <Tooltip title={canBeAlone ? 'hear only this channel' : 'its copy for listening is being made'}>
          <Button
            size="small"
            type={heardAlone ? 'primary' : 'default'}
            disabled={!canBeAlone}
            icon={<Headphones size={14} />}
            aria-pressed={heardAlone}
            aria-label={`Hear only ${shown}`}
            onClick={() => onAlone(!heardAlone)}
          />
        </Tooltip>
        <Button
          size="small"
          type={said?.turned ? 'primary' : 'default'}
          aria-pressed={said?.turned === true}
          aria-label={`Turn the polarity of ${shown}`}
          title="turn its polarity"
          onClick={() => onChange({ turned: said?.turned !== true }, 'turn the polarity')}
        >
          ±
        </Button>
        <Select<ChannelLayout | 'found'>
          size="small"
          style={{ flex: 1, minWidth: 90 }}
          value={said?.layout ?? 'found'}
          aria-label={`Where ${shown} is heard`}
          onChange={(layout) => onChange({ layout: layout === 'found' ? null : layout }, 'put a channel elsewhere')}
          options={[{ value: 'found' as const, label: 'as found' }, ...CHANNEL_LAYOUTS.map((value) => ({ value, label: LAYOUT_WORDS[value] }))]}
        />
      </div>
    </div>
  )
}
