import { detailText, type Job, jobText } from '@pendolo/api'
import { App, Button, Popover, Progress } from 'antd'
import { send } from '../data/client.ts'
import { Own } from '../ui/own.tsx'

const SHOWN = 40

/** What is being made in the background, with a way to stop or repeat each. */
export function JobsChip({ jobs }: { jobs: readonly Job[] }) {
  const { notification } = App.useApp()
  const making = jobs.filter((j) => j.kind === 'copies' || j.kind === 'sound')
  const open = making.filter((j) => j.state === 'running' || j.state === 'queued')
  const broken = making.filter((j) => j.state === 'failed' || j.state === 'cancelled')
  if (making.length === 0) return null
  const act = (id: string, what: 'cancel' | 'retry') =>
    send('POST', `/jobs/${id}/${what}`).catch((error: Error) => notification.error({ title: 'That did not work', description: error.message }))
  const done = making.length - open.length - broken.length
  return (
    <Popover
      trigger="click"
      placement="bottomRight"
      title="Made in the background"
      content={
        <div style={{ width: 380, maxHeight: 380, overflow: 'auto' }}>
          {open.length + broken.length === 0 && <span className="quiet">All light copies are ready.</span>}
          {open.length > 1 && (
            <Button size="small" onClick={() => void Promise.all(open.map((j) => act(j.id, 'cancel')))}>
              Cancel all
            </Button>
          )}
          {[...open, ...broken].slice(0, SHOWN).map((j) => (
            <div key={j.id} style={{ display: 'grid', gridTemplateColumns: '1fr 110px 88px', gap: 8, alignItems: 'center', padding: '3px 0' }}>
              <span style={{ overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' }} title={detailText(j.detail)}>
                {jobText(j)}
              </span>
              {j.state === 'running' ? (
                <Progress percent={Math.round(j.progress * 100)} size="small" />
              ) : (
                <span className="quiet">{j.state === 'queued' ? 'waiting' : j.state}</span>
              )}
              {j.state === 'running' || j.state === 'queued' ? (
                <Button size="small" onClick={() => void act(j.id, 'cancel')} aria-label={`Cancel ${jobText(j)}`}>
                  Cancel
                </Button>
              ) : (
                <Button size="small" onClick={() => void act(j.id, 'retry')} aria-label={`Try ${jobText(j)} again`}>
                  Try again
                </Button>
              )}
            </div>
          ))}
        </div>
      }
    >
      <button type="button" className="chip" aria-live="polite">
        <Own word="light copy">
          {open.length > 0
            ? `making light copies: ${done} of ${making.length}`
            : broken.length > 0
              ? `light copies: ${broken.length} missing`
              : 'light copies ready'}
        </Own>
      </button>
    </Popover>
  )
}
