import { Button, Popover, Spin, Tooltip } from 'antd'
import { History } from 'lucide-react'
import { memo, useState } from 'react'
import { useSteps } from './data/queries.ts'

const clock = new Intl.DateTimeFormat('en', { hour: '2-digit', minute: '2-digit', hour12: false })
const day = new Intl.DateTimeFormat('en', { day: 'numeric', month: 'short' })

function when(at: number): string {
  const [then, now] = [new Date(at), new Date()]
  return then.toDateString() === now.toDateString() ? clock.format(then) : `${day.format(then)} ${clock.format(then)}`
}

interface Props {
  readonly projectId: string
  readonly revision: number
  readonly onStep: (direction: 'undo' | 'redo', count: number, part?: boolean) => void
}

/** All that was done, by its words, in every stage; a click goes back to there, or on again. */
export const Steps = memo(function Steps({ projectId, revision, onStep }: Props) {
  const [open, setOpen] = useState(false)
  const { data: steps } = useSteps(projectId, revision, open)
  const done = steps?.filter((s) => s.done) ?? []
  const back = steps?.filter((s) => !s.done) ?? []
  const list = (
    <div className="steps" role="listbox" aria-label="All steps">
      {!steps && <Spin size="small" />}
      {/* What was taken back last is done again first, so it stands lowest of its kind. */}
      {back.map((s, i) => (
        <button key={s.id} type="button" role="option" aria-selected={false} className="plain back" onClick={() => onStep('redo', back.length - i)}>
          <span>{s.label}</span> <span className="mono quiet">{when(s.at)}</span>
        </button>
      ))}
      {done.map((s, i) => (
        <button
          key={s.id}
          type="button"
          role="option"
          aria-selected={i === 0}
          className={i === 0 ? 'plain now' : 'plain'}
          disabled={i === 0}
          onClick={() => onStep('undo', i)}
        >
          <span>
            {s.label}
            {s.parts > 1 ? `, ${s.parts} presses` : ''}
          </span>{' '}
          <span className="mono quiet">{when(s.at)}</span>
        </button>
      ))}
      {done[0] && done[0].parts > 1 && (
        <Button size="small" type="link" onClick={() => onStep('undo', 1, true)}>
          Take back only its last press
        </Button>
      )}
      {steps && done.length > 0 && (
        <button type="button" role="option" aria-selected={false} className="plain" onClick={() => onStep('undo', done.length)}>
          <span className="quiet">before all of these</span>
        </button>
      )}
      {steps && steps.length === 0 && <p className="quiet">Nothing has been done yet.</p>}
    </div>
  )
  return (
    <Popover content={list} trigger="click" open={open} onOpenChange={setOpen} placement="bottomRight" title="Go back to, or on to">
      <Tooltip title="All steps: go back to any, or on again">
        <Button type="text" size="small" aria-label="All steps" icon={<History size={16} />} />
      </Tooltip>
    </Popover>
  )
})
