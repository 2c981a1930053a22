import type { GatheredFile } from '@pendolo/api'
import { channelsOf, type Drawn, isChanged, type PointChange, type Stretch } from '@pendolo/core/mix'
import type { MixRange, Placement } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks } from '@pendolo/core/time'
import { Input, Switch as Toggle, Tooltip } from 'antd'
import { ChevronDown, ChevronRight, Headphones } from 'lucide-react'
import { type MouseEvent, memo, useEffect, useState } from 'react'
import type { PaperColours } from '../score/colours.ts'
import type { Peaks } from '../score/peaks.ts'
import type { TimeView } from '../score/time-view.ts'
import { useChannelPeaks, usePeaks, Waveform } from '../score/waveform.tsx'
import { LevelPlot } from './level-plot.tsx'
import { decibelText } from './level-scale.ts'
import type { SoundRow as Row } from './rows.ts'

/** Width of the names beside the waveforms, px. */
export const NAMES = 292

/** Which channel is heard by itself, whatever the mix is. */
export interface Alone {
  readonly clipId: string
  readonly key: string
}

export interface RowActs {
  readonly onChoose: (key: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void
  readonly onSeek: (time: Flicks) => void
  readonly onRange: (key: string, stretch: Stretch | null) => void
  readonly onPoints: (key: string, points: PointChange[], label: string) => void
  readonly onRangeChange: (range: MixRange, label: string) => void
  readonly onOn: (row: Row, on: boolean) => void
  readonly onStrip: (row: Row, change: { mute?: boolean; solo?: boolean }) => void
  readonly onRename: (row: Row, name: string) => void
  readonly onFold: (key: string) => void
  readonly onAlone: (alone: Alone | null) => void
  /** All channels of a clip on, or off. */
  readonly onAll: (clipId: string, on: boolean) => void
}

interface Props {
  readonly row: Row
  readonly placement: Placement | null
  readonly drawn: Drawn
  readonly view: TimeView
  readonly chosen: boolean
  readonly range: Stretch | null
  readonly open: boolean
  readonly alone: Alone | null
  readonly colours: PaperColours
  readonly acts: RowActs
}

/** One clip, channel or group: its name and whether it is heard, its waveform on the event, its level over it. */
export const SoundRow = memo(function SoundRow({ row, placement, drawn, view, chosen, range, open, alone, colours, acts }: Props) {
  const { key, kind, depth, name, about, strip, on, file } = row
  const [from, to] = placement
    ? [view.from, view.from + view.span].map((t) => (t - placement.start / FLICKS_PER_SECOND) / placement.rate)
    : [view.from, view.from + view.span]
  const label = kind === 'clip' ? `${name}, ${about}` : name
  const choose = (event: MouseEvent) => {
    if (!(event.target as HTMLElement).closest('button, input')) acts.onChoose(key, event)
  }
  return (
    <div className={`sound-row ${kind}${on ? '' : ' off'}${chosen ? ' chosen' : ''}`} role="group" aria-label={label} aria-current={chosen} data-key={row.key}>
      {/* biome-ignore lint/a11y/noStaticElementInteractions lint/a11y/useKeyWithClickEvents: rows are gone through by keys of the stage */}
      <div className="who" style={{ paddingLeft: 12 + 16 * depth }} onClick={choose}>
        <div className="named">
          <Named row={row} open={open} acts={acts} />
          {file && kind !== 'group' && <About row={row} file={file} open={open} acts={acts} />}
          {kind === 'group' && <span className="quiet">{about}</span>}
        </div>
        <span className="mono quiet gain">{decibelText(strip.gainDb).replace(' dB', '')}</span>
        {kind === 'channel' && <HearOnly row={row} alone={alone} onAlone={acts.onAlone} />}
        <Mark letter="S" lit={strip.solo} label={`Solo ${name}`} onClick={() => acts.onStrip(row, { solo: !strip.solo })} />
        <Mark letter="M" lit={strip.mute} label={`Mute ${name}`} onClick={() => acts.onStrip(row, { mute: !strip.mute })} />
        <Toggle
          size="small"
          checked={on}
          onChange={(now) => acts.onOn(row, now)}
          aria-label={kind === 'channel' ? `${name} is on` : kind === 'clip' ? `Hear ${name}, ${about}` : `Hear ${name}`}
        />
      </div>
      <div className="plot">
        {file && (kind === 'channel' ? <ChannelWave row={row} file={file} from={from} to={to} /> : <ClipWave file={file} from={from} to={to} />)}
        <LevelPlot
          label={name}
          drawn={drawn}
          ranges={row.ranges}
          on={on}
          view={view}
          range={range}
          colours={colours}
          onRange={(stretch) => acts.onRange(key, stretch)}
          onPress={(time, event) => {
            acts.onChoose(key, event)
            acts.onRange(key, null)
            acts.onSeek(time)
          }}
          onPoints={(points, what) => acts.onPoints(key, points, what)}
          onChange={acts.onRangeChange}
        />
      </div>
    </div>
  )
})

/** What a row is called; a channel's name is typed here. */
function Named({ row, open, acts }: Pick<Props, 'row' | 'open' | 'acts'>) {
  const { kind, name, key, channel, clip } = row
  const own = (channel && clip?.channels?.[channel.key]?.name) ?? ''
  const [typed, setTyped] = useState(own)
  useEffect(() => setTyped(own), [own])
  if (kind !== 'channel' || !channel)
    return (
      <span className="title">
        {kind === 'group' && (
          <button type="button" className="plain" aria-expanded={open} aria-label={`What goes to ${name}`} onClick={() => acts.onFold(key)}>
            {open ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
          </button>
        )}
        <b>{name}</b>
      </span>
    )
  return (
    <Input
      size="small"
      variant="borderless"
      value={typed}
      placeholder={name}
      maxLength={120}
      aria-label={`Name of channel ${channel.number}`}
      onChange={(e) => setTyped(e.target.value)}
      onFocus={() => acts.onChoose(key, { shiftKey: false, ctrlKey: false, metaKey: false })}
      onBlur={() => typed.trim() !== own && acts.onRename(row, typed.trim())}
      onPressEnter={(e) => e.currentTarget.blur()}
    />
  )
}

function About({ row, file, open, acts }: { row: Row; file: GatheredFile; open: boolean; acts: RowActs }) {
  const { kind, about, below, clip, key } = row
  if (kind === 'channel') return about.includes(',') ? <span className="quiet">{about}</span> : null
  const count = file.facts.audio ? channelsOf(file.facts.audio).length : 0
  const sounds = count === 2 && !file.facts.audio?.streamChannels ? 'stereo' : `${count} channels`
  const changed = file.facts.audio !== null && isChanged(file.facts.audio, clip?.channels)
  return (
    <span className="about quiet mono">
      <span className="file" title={about}>
        {about}
        {count === 1 ? ' · mono' : ''}
      </span>
      {below > 0 && clip && (
        <button
          type="button"
          className="plain quiet channels-fold"
          aria-expanded={open}
          aria-label={changed ? `${sounds}, changed` : sounds}
          title={changed ? 'changed: some are heard otherwise than they were found' : undefined}
          onClick={() => acts.onFold(key)}
        >
          {open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}
          {sounds}
          {changed && <b>*</b>}
        </button>
      )}
    </span>
  )
}

function HearOnly({ row, alone, onAlone }: { row: Row; alone: Alone | null; onAlone: (alone: Alone | null) => void }) {
  const { clip, file, channel, name } = row
  if (!clip || !file || !channel) return null
  const ready = file.ready.sound && ((file.facts.audio && channelsOf(file.facts.audio).length <= 2) || file.ready.channels)
  const lit = alone?.clipId === clip.id && alone.key === channel.key
  return (
    <Tooltip title={ready ? 'hear only this channel' : 'its copy for listening is being made'}>
      <button
        type="button"
        className={lit ? 'letter lit' : 'letter'}
        disabled={!ready}
        aria-pressed={lit}
        aria-label={`Hear only ${name}`}
        onClick={() => onAlone(lit ? null : { clipId: clip.id, key: channel.key })}
      >
        <Headphones size={13} />
      </button>
    </Tooltip>
  )
}

function Mark({ letter, lit, label, onClick }: { letter: string; lit: boolean; label: string; onClick: () => void }) {
  return (
    <button type="button" className={lit ? 'letter lit' : 'letter'} aria-pressed={lit} aria-label={label} title={label} onClick={onClick}>
      {letter}
    </button>
  )
}

function ClipWave({ file, from, to }: { file: GatheredFile; from: number; to: number }) {
  const peaks = usePeaks(file.contentKey, file.ready.peaks)
  return <Waveform peaks={peaks} from={from} to={to} aria-hidden="true" />
}

function ChannelWave({ row, file, from, to }: { row: Row; file: GatheredFile; from: number; to: number }) {
  const peaks: readonly Peaks[] = useChannelPeaks(file.contentKey, file.ready.channelPeaks)
  return <Waveform peaks={peaks[(row.channel?.number ?? 1) - 1] ?? null} from={from} to={to} aria-label={`Waveform of ${row.name}`} />
}
