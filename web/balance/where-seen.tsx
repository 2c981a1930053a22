import type { Stretch } from '@pendolo/core/mix'
import { type Edit, type PictureException, projectRate, type Settings } from '@pendolo/core/project'
import { type Flicks, printTimecode } from '@pendolo/core/time'
import { Button, Segmented, Tooltip } from 'antd'
import { X } from 'lucide-react'
import { newId } from '../ids.ts'
import { exceptionFor, exceptionsOf, moveEdit, type Scope } from './seen-as.ts'

interface Props {
  /** Stands before it. */
  readonly head: React.ReactNode
  readonly settings: Settings
  readonly exceptions: Readonly<Record<string, PictureException>>
  readonly scope: Scope
  /** The range that is chosen, else the stretch of the cut at the playhead. */
  readonly stretch: () => Stretch | null
  readonly onScope: (exceptionId: string | null, end: Scope['end']) => void
  readonly edit: (edits: Edit[], label: string) => boolean
}

/** Whether all of an angle is changed or one stretch of it, and stretches that are seen in another way. */
export function WhereSeen({ head, settings, exceptions, scope, stretch, onScope, edit }: Props) {
  const { angle, exception, end } = scope
  const list = exceptionsOf({ exceptions }, angle.id)
  const label = (t: Flicks) => printTimecode(t, { rate: projectRate(settings), dropFrame: settings.dropFrame }, settings.startFrame)
  const begin = () => {
    const range = stretch()
    if (!range) return
    const id = newId()
    if (edit([{ type: 'exceptions', exceptions: [exceptionFor(id, angle, range)] }], 'see a stretch in another way')) onScope(id, 'start')
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
              <span className="mono">
                {label(e.from)} – {label(e.to)}
              </span>
            </Chip>
            <Button
              size="small"
              type="text"
              icon={<X size={12} />}
              aria-label={`See ${label(e.from)} as all of it`}
              onClick={() => edit([{ type: 'removeExceptions', exceptionIds: [e.id] }], 'see a stretch as all of it')}
            />
          </span>
        ))}
        <Tooltip title="the range that is chosen below, else the stretch of the cut at the playhead, is seen in another way">
          <Button size="small" type="dashed" onClick={begin}>
            + only a stretch
          </Button>
        </Tooltip>
      </div>
      {exception && (
        <div className="line">
          <Segmented
            size="small"
            aria-label="Whether the framing moves"
            value={exception.cutoutTo ? 'moves' : 'stands'}
            onChange={(value) => {
              edit([moveEdit({ ...scope, exception }, value === 'moves')], value === 'moves' ? 'let a framing move' : 'let a framing stand')
              onScope(exception.id, 'start')
            }}
            options={[
              { value: 'stands', label: 'framing stands' },
              { value: 'moves', label: 'moves' },
            ]}
          />
          {exception.cutoutTo && (
            <Segmented
              size="small"
              aria-label="Which end of the move is changed"
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
    </div>
  )
}

function Chip({ on, onClick, children }: { on: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <Button size="small" type={on ? 'primary' : 'default'} aria-pressed={on} onClick={onClick}>
      {children}
    </Button>
  )
}
