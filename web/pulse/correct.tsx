import { usualDistance } from '@pendolo/core/grid'
import type { Pulse, PulseAct } from '@pendolo/core/project'
import { FLICKS_PER_SECOND, type Flicks, flicks, printLength } from '@pendolo/core/time'
import { Button, Popover, Select, Space, Switch, Tooltip } from 'antd'
import { ChevronLeft, ChevronRight, Hand, Lock, LockOpen, Timer, Trash2 } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { engine } from '../playback/use-engine.ts'
import type { StageProps } from '../stage.ts'
import { keyText } from '../ui/keymap.ts'
import { Own } from '../ui/own.tsx'
import { setTouchLag, useTouchLag } from '../ui/touch-lag.ts'
import { useKeys } from '../ui/use-keys.ts'
import { LagTest } from './lag-test.tsx'

export interface Stretch {
  readonly from: Flicks
  readonly to: Flicks
}

/** After so long without a tap, tapping is over, ms. */
const TAPPING_OVER = 2500
const STEP = flicks(FLICKS_PER_SECOND / 100)

interface Props {
  readonly pulse: Pulse | null
  readonly stretch: Stretch | null
  readonly onStretch: (stretch: Stretch | null) => void
  readonly edit: StageProps['edit']
}

/** What a hand can do to the beats: of the chosen stretch, else of the whole recording. */
export function CorrectBeats({ pulse, stretch, onStretch, edit }: Props) {
  const lag = useTouchLag()
  const [metre, setMetre] = useState<number | null>(null)
  const [clicking, setClicking] = useState(false)
  const [testing, setTesting] = useState(false)
  const has = pulse !== null && pulse.beats.length > 0
  const range = stretch ? { range: stretch } : {}
  const act = (act: PulseAct, why: string) => edit([{ type: 'correctPulse', act }], why)
  const count = metre ?? pulse?.metre ?? 4

  useEffect(() => {
    const down = new Set(pulse?.downbeats)
    engine.clickAlong(clicking && pulse ? pulse.beats.map((t, i) => ({ time: t / FLICKS_PER_SECOND, strong: down.has(i) })) : [])
  }, [clicking, pulse])
  useEffect(() => () => engine.clickAlong([]), [])

  const { taps, tap } = useTapping((list) => act({ do: 'taps', taps: list, lag: flicks((lag / 1000) * FLICKS_PER_SECOND) }, 'tap the beats of a stretch'))
  const shift = (by: number) => act({ do: 'shift', by: flicks(Math.round(by)), ...range }, 'shift the beats')
  const half = () => (pulse ? usualDistance(pulse) / 2 : 0)

  useKeys('tap', tap)
  useKeys('clicks', () => setClicking(!clicking))
  useKeys(
    'shiftBeats',
    () => has && shift(-STEP),
    () => has && shift(STEP),
  )
  useKeys('barHere', () => has && act({ do: 'count', at: engine.now(), metre: count, ...range }, 'count bars from here'))
  useKeys('nothing', () => onStretch(null))

  return (
    <div className="correct" role="toolbar" aria-label="Correct the beats">
      <span className="quiet stretch">
        {stretch ? (
          <>
            {printLength(stretch.from / FLICKS_PER_SECOND)} – {printLength(stretch.to / FLICKS_PER_SECOND)}{' '}
            <button type="button" className="plain" onClick={() => onStretch(null)} aria-label="No stretch: correct everywhere">
              ×
            </button>
          </>
        ) : (
          'everywhere'
        )}
      </span>
      <Space.Compact size="small">
        <Tooltip title={`All beats 10 ms earlier (${keyText('shiftBeats', 0)}); Shift + click: half a beat`}>
          <Button aria-label="Beats earlier" disabled={!has} icon={<ChevronLeft size={14} />} onClick={(e) => shift(e.shiftKey ? -half() : -STEP)} />
        </Tooltip>
        <Tooltip title={`All beats 10 ms later (${keyText('shiftBeats', 1)}); Shift + click: half a beat`}>
          <Button aria-label="Beats later" disabled={!has} icon={<ChevronRight size={14} />} onClick={(e) => shift(e.shiftKey ? half() : STEP)} />
        </Tooltip>
      </Space.Compact>
      <Space.Compact size="small">
        <Button disabled={!has} title="Every other beat" onClick={() => act({ do: 'halve', ...range }, 'halve the beats')}>
          Halve
        </Button>
        <Button disabled={!has} title="Twice as many beats" onClick={() => act({ do: 'double', ...range }, 'double the beats')}>
          Double
        </Button>
      </Space.Compact>
      <Space.Compact size="small">
        <Tooltip title={`The beat at the playhead begins a bar (${keyText('barHere')})`}>
          <Button disabled={!has} onClick={() => act({ do: 'count', at: stretch?.from ?? engine.now(), metre: count, ...range }, 'count bars from here')}>
            Bar from here
          </Button>
        </Tooltip>
        <Select
          size="small"
          value={count}
          onChange={(n) => {
            setMetre(n)
            // The keys belong to the sheet again.
            if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
          }}
          aria-label="Beats a bar"
          options={[2, 3, 4, 5, 6, 7].map((n) => ({ value: n, label: `in ${n}` }))}
          style={{ width: 68 }}
        />
      </Space.Compact>
      <Tooltip title="Tap T on every beat while it plays; the stretch you tapped is fitted to the taps">
        <Button size="small" type={taps.length > 0 ? 'primary' : 'default'} icon={<Hand size={14} />} onClick={tap}>
          {taps.length > 0 ? `${taps.length} taps` : `Tap (${keyText('tap')})`}
        </Button>
      </Tooltip>
      {stretch && <OfStretch stretch={stretch} pulse={pulse} has={has} act={act} />}
      <span className="spring" />
      <label htmlFor="clicks" className="quiet">
        clicks ({keyText('clicks')})
      </label>
      <Switch id="clicks" size="small" checked={clicking} onChange={setClicking} />
      <Popover trigger="click" open={testing} onOpenChange={setTesting} destroyOnHidden title="How late do I press?" content={<LagTest onDone={setTouchLag} />}>
        <Button size="small" type="text" icon={<Timer size={14} />}>
          <Own word="touch lag" /> {lag} ms
        </Button>
      </Popover>
    </div>
  )
}

/** Taps on the beats while it plays; a pause ends them. */
function useTapping(done: (taps: Flicks[]) => void): { taps: readonly Flicks[]; tap: () => void } {
  const [taps, setTaps] = useState<Flicks[]>([])
  const over = useRef<ReturnType<typeof setTimeout> | undefined>(undefined)
  const finish = (list: Flicks[]) => {
    clearTimeout(over.current)
    setTaps([])
    if (list.length >= 4) done(list)
  }
  const tap = () => {
    if (!engine.getState().playing) return
    const list = [...taps, engine.now()]
    setTaps(list)
    clearTimeout(over.current)
    over.current = setTimeout(() => finish(list), TAPPING_OVER)
  }
  return { taps, tap }
}

/** What is done with a stretch only: its beats taken away, or held fast. */
function OfStretch({ stretch, pulse, has, act }: { stretch: Stretch; pulse: Pulse | null; has: boolean; act: (act: PulseAct, why: string) => unknown }) {
  const locked = (pulse?.locked ?? []).some((r) => r.from <= stretch.from && r.to >= stretch.to)
  return (
    <Space.Compact size="small">
      <Tooltip title="No pulse in this stretch: take its beats away">
        <Button
          aria-label="Clear the beats of the stretch"
          disabled={!has}
          icon={<Trash2 size={14} />}
          onClick={() => act({ do: 'clear', range: stretch }, 'clear beats')}
        />
      </Tooltip>
      <Tooltip title={locked ? 'Unlock this stretch' : 'Lock this stretch: nothing changes its beats any more'}>
        <Button
          aria-label={locked ? 'Unlock the stretch' : 'Lock the stretch'}
          icon={locked ? <LockOpen size={14} /> : <Lock size={14} />}
          disabled={!has}
          onClick={() => act({ do: locked ? 'unlock' : 'lock', range: stretch }, locked ? 'unlock a stretch' : 'lock a stretch')}
        />
      </Tooltip>
    </Space.Compact>
  )
}
