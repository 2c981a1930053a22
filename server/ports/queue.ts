import type { Detail, Job, JobKind, JobResult, JobState } from '@pendolo/api'
import type { Write } from './store.ts'

/** What a job handler is given: it reports honestly, and stops when the signal fires. */
export interface JobRun {
  readonly jobId: string
  readonly projectId: string
  readonly fileId: string | null
  readonly payload: unknown
  /** Who asked for it. */
  readonly author: string
  readonly signal: AbortSignal
  report(share: number, detail?: Detail): void
}

export interface JobOutcome {
  readonly detail: Detail
  readonly result?: JobResult
}

export type JobHandler = (run: JobRun) => Promise<JobOutcome>

export interface NewJob {
  readonly projectId: string
  readonly kind: JobKind
  /** What it is about, where its kind does not say all. */
  readonly about?: string
  readonly fileId?: string
  readonly payload?: unknown
  readonly author?: string
}

/**
 * Work that outlives the process: whatever waited or ran when it ended is taken up again at the next start.
 * `queue.contract.ts` is what any adapter must pass.
 */
export interface JobQueue {
  handle(kind: JobKind, handler: JobHandler): void
  /** Takes up what an earlier process left and begins to work. */
  resume(): Promise<void>
  /** Adds a job; an equal one that waits or runs already is returned instead (a double click asks twice). */
  add(job: NewJob): Promise<string>
  /** Jobs as writes for somebody's transaction, who then announces them. */
  prepare(list: readonly NewJob[]): { ids: string[]; writes: Write[] }
  /** Tells of jobs that were written, and begins to work. */
  announce(ids: readonly string[]): Promise<void>
  /** The latest state of each kind for each file of a project, by `kind fileId`. */
  latest(projectId: string): Promise<Map<string, JobState>>
  /** The newest jobs, of one project or in one state where that is asked for. */
  list(projectId?: string, state?: JobState): Promise<Job[]>
  get(id: string): Promise<Job | null>
  /** Stops a running job or takes a waiting one out. Ended jobs stay as they are. */
  cancel(id: string): Promise<void>
  /** Failed and cancelled jobs wait anew, with a clean slate. */
  retry(id: string): Promise<void>
  /** Stops all work; what ran waits again, since it was not what ended the process, and is taken up at the next start. */
  stop(): Promise<void>
}
