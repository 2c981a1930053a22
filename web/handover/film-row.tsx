import { detailText, type FilmResult, type Job, sizeText, soundText } from '@pendolo/api'
import { parseRate, printLength, printRate, type Rate } from '@pendolo/core/time'
import { Button, Progress } from 'antd'
import { send } from '../data/client.ts'
import { Failed } from '../ui/failed.tsx'

/** As what a film was made, and when. */
function madeText({ width, height, rate, seconds, version }: NonNullable<FilmResult['made']>, at: number | null): string {
  const when = at === null ? '' : ` · ${new Date(at).toLocaleString(undefined, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}`
  return `${version} · ${width} × ${height} at ${printRate(parseRate(rate) as Rate)} · ${printLength(seconds)}${when}`
}

/** A film that is being made, is ready, or failed. */
export function FilmRow({ job }: { job: Job }) {
  const working = job.state === 'running' || job.state === 'queued'
  return (
    <div style={{ marginBottom: 8 }}>
      {working ? (
        <>
          <Progress percent={Math.round(job.progress * 100)} size="small" aria-label="Making the film" />
          <span className="quiet">{detailText(job.detail)}</span>{' '}
          <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/cancel`)}>
            Cancel
          </Button>
        </>
      ) : job.result && 'path' in job.result ? (
        <>
          <a className="mono" href={`/api/jobs/${job.id}/film`} download>
            {job.result.name}
          </a>{' '}
          <span className="quiet">ready · {sizeText(job.result.bytes)}</span>
          {job.result.made && <div className="quiet">{madeText(job.result.made, job.finishedAt)}</div>}
          {job.result.made?.sound && <div className="quiet">{soundText(job.result.made.sound)}</div>}
        </>
      ) : (
        <>
          {job.state === 'failed' ? <Failed job={job} lead="not made: " /> : 'cancelled'}{' '}
          <Button size="small" onClick={() => void send('POST', `/jobs/${job.id}/retry`)}>
            Try again
          </Button>
        </>
      )}
    </div>
  )
}
