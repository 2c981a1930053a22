import { detailText, type Job } from '@pendolo/api'

/** Why a job failed, in plain words; what the tool itself said is folded away. */
export function Failed({ job, lead = '' }: { job: Pick<Job, 'detail' | 'raw'>; lead?: string }) {
  return (
    <span role="alert" className="failed">
      {lead}
      {detailText(job.detail)}
      {job.raw && (
        <details>
          <summary>details</summary>
          <span className="mono">{job.raw}</span>
        </details>
      )}
    </span>
  )
}
