import type { Stretch } from '@pendolo/core/mix'
import { PACE_BOUNDS, type Pace } from '@pendolo/core/picture'
import { type Edit, type PictureException, projectRate, type Settings } from '@pendolo/core/project'
import { type Flicks, printTimecode } from '@pendolo/core/time'
import { Button, Segmented, Tooltip } from 'antd'
import { X } from 'lucide-react'
import { newId } from '../ids.ts'
import { Num } from '../ui/num.tsx'
import { driftEdit, exceptionFor, exceptionsOf, moveEdit, paceEdit, type Scope } from './seen-as.ts'

interface Props {
  /** Stands before it. */
  readonly head: React.ReactNode
  readonly settings: Settings
  readonly exceptions: Readonly<Record<string, PictureException>>
  readonly scope: Scope
  /** What of it is changed: its framing, or its look. */
  readonly part: 'framing' | 'look'
  /** The range that is chosen, else the stretch of the cut at the playhead. */
  readonly stretch: () => Stretch | null
  /** The clip that is seen of the angle at the playhead, and all of its time, where there are others; null where not. */
  readonly clip: () => (Stretch & { readonly clipId: string }) | null
  readonly nameOf: (clipId: string) => string
  /** Whether the angle has several clips. */
  readonly several: boolean
  readonly onScope: (exceptionId: string | null, end: Scope['end']) => void
  readonly edit: (edits: Edit[], label: string) => boolean
}

/** Whether all of an angle is changed or one stretch of it, and stretches that are seen in another way. */
export function WhereSeen({ head, settings, exceptions, scope, part, stretch, clip, nameOf, several, onScope, edit }: Props) {
  const { angle, exception, end } = scope
  const list = exceptionsOf({ exceptions }, angle.id)
  const changes = part === 'look' ? exception?.lookTo : exception?.cutoutTo
  const label = (t: Flicks) => printTimecode(t, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)
  const named = (e: PictureException) => (e.clipId === undefined ? `${label(e.from)} – ${label(e.to)}` : nameOf(e.clipId))
  const begin = (range: Stretch | null, clipId?: string) => {
    if (!range) return
    // Pressed twice, it is still one.
    const there = list.find((e) => e.clipId === clipId && e.from === range.from && e.to === range.to)
    if (there) return onScope(there.id, 'start')
    const id = newId()
    const what = clipId === undefined ? 'see a stretch in another way' : 'see a clip in another way'
    if (edit([{ type: 'exceptions', exceptions: [exceptionFor(id, angle, range, clipId)] }], what)) onScope(id, 'start')
  }
  const beginClip = () => {
    const found = clip()
    begin(found, found?.clipId)
  }
  return (
    <div className="where-seen">
      <div className="line wrap" role="group" aria-label={`What of ${angle.name} is changed`}>
        {head}
        <Chip on={!exception} onClick={() => onScope(null, 'start')}>
          all of it
        </Chip>
        {list.map((e) => (
          <span key={e.id} className="chip-pair">
            <Chip on={exception?.id === e.id} onClick={() => onScope(e.id, 'start')}>
              <span className="mono">{named(e)}</span>
            </Chip>
            <Button
              size="small"
              type="text"
              icon={<X size={12} />}
              aria-label={`See ${e.clipId === undefined ? label(e.from) : named(e)} as all of it`}
              onClick={() => edit([{ type: 'removeExceptions', exceptionIds: [e.id] }], 'see a stretch as all of it')}
            />
          </span>
        ))}
        <Tooltip title="the range that is chosen below, else the stretch of the cut at the playhead, is seen in another way">
          <Button size="small" type="dashed" onClick={() => begin(stretch())}>
            + only a stretch
          </Button>
        </Tooltip>
        {several && (
          <Tooltip title="the clip that is seen of it at the playhead, wherever that is seen: one take of several">
            <Button size="small" type="dashed" onClick={beginClip}>
              + only this clip
            </Button>
          </Tooltip>
        )}
      </div>
      {exception && (
        <div className="line">
          <Segmented
            size="small"
            aria-label={`Whether the ${part} changes`}
            value={changes ? 'changes' : 'stands'}
            onChange={(value) => {
              const own = { ...scope, exception }
              const become = value === 'changes'
              if (part === 'look') edit([driftEdit(own, become)], become ? 'let a look change' : 'let a look stand')
              else edit([moveEdit(own, become)], become ? 'let a framing move' : 'let a framing stand')
              onScope(exception.id, 'start')
            }}
            options={[
              { value: 'stands', label: `${part} stands` },
              { value: 'changes', label: part === 'look' ? 'changes' : 'moves' },
            ]}
          />
          {changes && (
            <Segmented
              size="small"
              aria-label="Which end of it is changed"
              value={end}
              onChange={(value) => onScope(exception.id, value)}
              options={[
                { value: 'start' as const, label: 'from' },
                { value: 'end' as const, label: 'to' },
              ]}
            />
          )}
        </div>
      )}
      {exception && (
        <div className="line">
          <span className="quiet">speed, at first and at last</span>
          {(['start', 'end'] as const).map((side) => (
            <Num
              key={side}
              label={`Speed of the pictures at the ${side === 'start' ? 'beginning' : 'end'} of the stretch, %`}
              unit="%"
              value={Math.round(100 * (exception.pace?.[side] ?? 1))}
              min={100 * PACE_BOUNDS[0]}
              max={100 * PACE_BOUNDS[1]}
              step={5}
              onChange={(v) => {
                const now = exception.pace ?? AS_RECORDED
                // What ran evenly goes on doing so when its beginning is changed.
                const pace = side === 'end' ? { end: v / 100 } : { start: v / 100, ...(now.start === now.end && { end: v / 100 }) }
                edit([paceEdit(exception, { ...now, ...pace })], 'speed of a stretch')
              }}
            />
          ))}
          {exception.pace && <Between pace={exception.pace} onChange={(pace) => edit([paceEdit(exception, pace)], 'pictures of a slower stretch')} />}
        </div>
      )}
    </div>
  )
}

const AS_RECORDED: Pace = { start: 1, end: 1 }

/** What is seen between two pictures that last longer than they were recorded. */
function Between({ pace: { blends, ...pace }, onChange }: { readonly pace: Pace; readonly onChange: (pace: Pace) => void }) {
  return (
    <Segmented
      size="small"
      aria-label="Between two pictures"
      value={blends ? 'blend' : 'repeat'}
      onChange={(value) => onChange(value === 'blend' ? { ...pace, blends: true } : pace)}
      options={[
        { value: 'repeat', label: 'pictures repeat' },
        { value: 'blend', label: 'blend' },
      ]}
    />
  )
}

function Chip({ on, onClick, children }: { on: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <Button size="small" type={on ? 'primary' : 'default'} aria-pressed={on} onClick={onClick}>
      {children}
    </Button>
  )
}
