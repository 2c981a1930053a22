import type { Job, PreparedResult, ProjectState } from '@pendolo/api'
import { preparedKey } from '@pendolo/core/film'
import { flicks } from '@pendolo/core/time'
import { App } from 'antd'
import { useEffect, useMemo } from 'react'
import { mediaUrl, send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'
import { filmFor } from './film.ts'
import type { ReadyRange } from './types.ts'
import { engine } from './use-engine.ts'

/** More than so many are not looked through at each change; the newest count. */
const MOST = 40

/** Ranges whose pictures were made for playing and are still what is seen there. */
export function readyRanges(project: ProjectState, jobs: readonly Pick<Job, 'kind' | 'state' | 'result'>[]): ReadyRange[] {
  const made = jobs.flatMap((j) => (j.kind === 'prepare' && j.state === 'done' && j.result && 'key' in j.result ? [j.result] : []))
  if (made.length === 0) return []
  const contents = new Map(project.files.map((f) => [f.id, f.contentKey]))
  const film = filmFor(project)
  const still = ({ cutId, from, to, key }: PreparedResult) =>
    project.doc.cuts.some((c) => c.id === cutId) &&
    preparedKey(project.doc, film, (id) => contents.get(id), { cutId, from: flicks(from), to: flicks(to) }) === key
  return made
    .slice(0, MOST)
    .filter(still)
    .map(({ cutId, from, to, key }) => ({ cutId, from: flicks(from), to: flicks(to), url: mediaUrl(key, 'prepared') }))
}

/** Has made in the background what the machine cannot show as it plays, and plays it from there. */
export function usePrepared(project: ProjectState): void {
  const { data: jobs } = useJobs(project.id)
  const { message } = App.useApp()
  const done = jobs?.filter((j) => j.kind === 'prepare' && j.state === 'done')
  const stamp = done?.map((j) => j.id).join(' ') ?? ''
  // biome-ignore lint/correctness/useExhaustiveDependencies: jobs that are done do not change
  const ranges = useMemo(() => readyRanges(project, done ?? []), [project, stamp])
  useEffect(() => engine.showReady(ranges), [ranges])
  useEffect(
    () =>
      engine.onHeavy(({ cutId, from, to }) => {
        send('POST', `/projects/${project.id}/prepare`, { ranges: [{ cutId, from, to }] }).catch((error: unknown) =>
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
