import type { ProjectState } from '@pendolo/api'
import { App } from 'antd'
import { useEffect, useMemo, useRef } from 'react'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { eventOf } from './model.ts'
import { readyRanges, widened } from './prepared-ranges.ts'
import { engine } from './use-engine.ts'

/** Has made in the background what the machine cannot show as it plays, and plays it from there. */
export function usePrepared(project: ProjectState): void {
  const { data: jobs } = useJobs(project.id)
  const { message } = App.useApp()
  const latest = useRef(project)
  latest.current = project
  const done = jobs?.filter((j) => j.kind === 'prepare' && j.state === 'done')
  const stamp = done?.map((j) => j.id).join(' ') ?? ''
  // biome-ignore lint/correctness/useExhaustiveDependencies: jobs that are done do not change
  const ranges = useMemo(() => readyRanges(project, done ?? []), [project, stamp])
  useEffect(() => engine.showReady(ranges), [ranges])
  useEffect(
    () =>
      engine.onHeavy((found) => {
        const ranges = [widened(latest.current, found, eventOf(latest.current))]
        send('POST', `/projects/${project.id}/prepare`, { ranges }).catch((error: unknown) =>
          message.warning(`What is too much to show as it plays could not be made in the background: ${String((error as Error).message)}`),
        )
      }),
    [project.id, message],
  )
}

/** Says what is being made because it is too much to show as it plays. */
export function MadeReady({ projectId }: { readonly projectId: string }) {
  const { data: jobs } = useJobs(projectId)
  const busy = jobs?.filter((j) => j.kind === 'prepare' && (j.state === 'queued' || j.state === 'running')) ?? []
  if (busy.length === 0) return null
  const [one] = busy
  const title = `Too much for this machine to show as it plays; it is made in the background and played from there then: ${busy.map((j) => j.about).join(', ')}`
  return (
    <span className="quiet" role="status" title={title}>
      {busy.length === 1 ? `preparing ${one.about}` : `preparing ${busy.length} stretches`} · {Math.round(100 * one.progress)} %
    </span>
  )
}
