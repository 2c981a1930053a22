import type { GatheredFile } from '@pendolo/api'
import { channelsOf, isChanged, MAX_GAIN_DB, MIN_GAIN_DB } from '@pendolo/core/mix'
import type { Clip, Edit, Strip } from '@pendolo/core/project'
import { secondsToFlicks } from '@pendolo/core/time'
import { Button, Slider, Switch as Toggle } from 'antd'
import { ChevronDown, ChevronRight } from 'lucide-react'
import { type PointerEvent, useEffect, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import type { TimeView } from '../score/time-view.ts'
import { usePeaks, Waveform } from '../score/waveform.tsx'
import { type Alone, ChannelRows } from './channel-rows.tsx'

/** Widths of the columns beside the waveforms, px. */
export const NAMES = 260
export const KNOBS = 300
const STRIP_COLUMNS = `${NAMES}px minmax(0, 1fr) ${KNOBS}px`

/** The left end of the slider is silence. */
const gainOf = (level: number) => (level <= -36 ? MIN_GAIN_DB : level)

interface Props {
  readonly name: string
  readonly clip: Clip
  readonly file: GatheredFile
  readonly start: number
  readonly rate: number
  readonly strip: Strip
  readonly view: TimeView
  readonly alone: Alone | null
  readonly edit: (edits: Edit[], label: string) => void
  readonly onAlone: (alone: Alone | null) => void
}

/** One recording: its waveform on the event, whether it is heard and how loud, and its channels when it is unfolded. */
export function StripRow({ name, clip, file, start, rate, strip, view, alone, edit, onAlone }: Props) {
  const [open, setOpen] = useState(false)
  const onChange = (change: Partial<Strip>) => edit([{ type: 'strip', clipId: clip.id, change }], 'balance the sound')
  const peaks = usePeaks(file.contentKey, file.ready.peaks)
  // While the level is being moved it is ahead of the project; it is let go of when the project has come to the same, so
  // that an older level on its way never takes back a newer step.
  const [ahead, setAhead] = useState<number | null>(null)
  useEffect(() => setAhead((a) => (a === strip.gainDb ? null : a)), [strip.gainDb])
  const level = ahead ?? strip.gainDb
  const seek = (e: PointerEvent) => {
    const { left, width } = e.currentTarget.getBoundingClientRect()
    engine.seek(secondsToFlicks(view.from + (view.span * (e.clientX - left)) / Math.max(1, width)))
  }
  const count = file.facts.audio ? channelsOf(file.facts.audio).length : 0
  const [from, to] = [(view.from - start) / rate, (view.from + view.span - start) / rate]
  const row = (
    <div className={strip.on ? 'strip' : 'strip off'} style={{ gridTemplateColumns: STRIP_COLUMNS }} role="group" aria-label={`${name}, ${file.name}`}>
      <div className="who">
        <span className="title">
          <b>{name}</b>
        </span>
        <span className="quiet mono" style={{ fontSize: 11 }}>
          {file.name}
          {count === 1 ? ' · mono' : ''}
        </span>
        {count > 1 && (
          <button type="button" className="plain quiet channels-fold" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
            {count === 2 && !file.facts.audio?.streamChannels ? 'stereo' : `${count} channels`}
            {isChanged(file.facts.audio as NonNullable<typeof file.facts.audio>, clip.channels) ? ', changed' : ''}
          </button>
        )}
      </div>
      <div style={{ position: 'relative', height: 50 }} onPointerDown={seek}>
        {/* The whole event; a sound stands where its clip was placed. */}
        <Waveform peaks={peaks} from={from} to={to} aria-hidden="true" />
      </div>
      <div className="knobs">
        <Toggle size="small" checked={strip.on} onChange={(on) => onChange({ on })} aria-label={`Hear ${name}, ${file.name}`} />
        <Button
          size="small"
          type={strip.solo ? 'primary' : 'default'}
          aria-pressed={strip.solo}
          aria-label={`Solo ${name}`}
          onClick={() => onChange({ solo: !strip.solo })}
        >
          solo
        </Button>
        <Button
          size="small"
          type={strip.mute ? 'primary' : 'default'}
          aria-pressed={strip.mute}
          aria-label={`Mute ${name}`}
          onClick={() => onChange({ mute: !strip.mute })}
        >
          mute
        </Button>
        <Slider
          style={{ flex: 1, minWidth: 60 }}
          min={-36}
          max={MAX_GAIN_DB}
          step={0.5}
          value={Math.max(-36, level)}
          tooltip={{ formatter: (v) => `${v} dB` }}
          onChange={(v: number) => setAhead(gainOf(v))}
          onChangeComplete={(v: number) => {
            onChange({ gainDb: gainOf(v) })
            if (gainOf(v) === strip.gainDb) setAhead(null)
          }}
          onBlur={() => setAhead(null)}
          ariaLabelForHandle={`Level of ${name}`}
        />
        <span className="mono" style={{ width: 40, textAlign: 'right' }}>
          {level <= -36 ? '−∞' : level.toFixed(1)}
        </span>
      </div>
    </div>
  )
  return (
    <>
      {row}
      {open && <ChannelRows clip={clip} file={file} from={from} to={to} columns={STRIP_COLUMNS} alone={alone} edit={edit} onAlone={onAlone} />}
    </>
  )
}
