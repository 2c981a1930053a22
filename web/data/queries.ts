import type { FolderEntry, FolderListing, Job, ProjectState, ProjectSummary, Step, Told } from '@pendolo/api'
import type { Edit } from '@pendolo/core/project'
import { keepPreviousData, type QueryClient, useQuery, useQueryClient } from '@tanstack/react-query'
import { App } from 'antd'
import { useCallback } from 'react'
import { newId } from '../ids.ts'
import { get, getTold, isUnreachable, ServerProblem, send } from './client.ts'
import { ProjectLine } from './line.ts'
import { waits } from './waiting.ts'

const keys = {
  projects: ['projects'] as const,
  project: (id: string) => ['project', id] as const,
  jobs: (id: string) => ['jobs', id] as const,
  proof: (id: string, clipId: string) => ['proof', id, clipId] as const,
}

export const useProjects = () => useQuery({ queryKey: keys.projects, queryFn: () => get<ProjectSummary[]>('/projects') })
export const useProject = (id: string) => useQuery({ queryKey: keys.project(id), queryFn: () => newest(id), structuralSharing: false })

/** An answer that is too old by the time it comes is asked for again so often. */
const TRIES = 5

async function newest(id: string): Promise<ProjectState> {
  for (let n = 1; ; n++) {
    const state = await get<ProjectState>(`/projects/${id}`)
    const shown = lineOf(id).line.fetched(state)
    if (shown) return shown
    if (n === TRIES) return state
  }
}

/** News of jobs that an answer on its way may not know. */
const jobNews: (Extract<Told, { type: 'job' }> & { seq: number })[] = []
const MOST_NEWS = 500

const withJob = (jobs: readonly Job[], job: Job): Job[] => (jobs.some((j) => j.id === job.id) ? jobs.map((j) => (j.id === job.id ? job : j)) : [job, ...jobs])

export const useJobs = (id: string) =>
  useQuery({
    queryKey: keys.jobs(id),
    queryFn: async () => {
      const { value, seq } = await getTold<Job[]>(`/jobs?project=${id}`)
      return jobNews.filter((n) => n.seq > seq && n.job.projectId === id).reduce((jobs, n) => withJob(jobs, n.job), value)
    },
  })

/** Told by the server what became of a job. */
export function hearJob(client: QueryClient, event: Extract<Told, { type: 'job' }>): void {
  jobNews.push(event)
  if (jobNews.length > MOST_NEWS) jobNews.shift()
  client.setQueryData<Job[]>(keys.jobs(event.job.projectId), (jobs) => jobs && withJob(jobs, event.job))
}

export const useRoots = () => useQuery({ queryKey: ['roots'], queryFn: () => get<FolderEntry[]>('/roots') })
export const useFolder = (path: string | null) =>
  useQuery({
    queryKey: ['folder', path],
    queryFn: () => get<FolderListing>(`/folder?path=${encodeURIComponent(path ?? '')}`),
    enabled: path !== null,
    retry: false,
  })

export interface ProofReply {
  verdict: 'sure' | 'check' | 'loose'
  startSeconds: number | null
  rate: number
  why: string
  proof: import('@pendolo/core/lineup').PlaceProof
}
/** A proof changes when its clip is placed anew. */
export const proofStamp = ({ doc }: ProjectState, clipId: string) => doc.proofs[clipId] ?? clipId
export const useProof = (id: string, clipId: string | null, stamp: unknown) =>
  useQuery({
    queryKey: [...keys.proof(id, clipId ?? ''), stamp],
    queryFn: () => get<ProofReply>(`/projects/${id}/proofs/${clipId}`),
    enabled: clipId !== null,
    retry: false,
  })

interface Sending {
  readonly line: ProjectLine
  /** The last of what is on its way to the server; all goes in order. */
  last: Promise<unknown>
}

const lines = new Map<string, Sending>()

function lineOf(id: string): Sending {
  let sending = lines.get(id)
  if (!sending) {
    sending = { line: new ProjectLine(), last: Promise.resolve() }
    lines.set(id, sending)
  }
  return sending
}

function show(client: QueryClient, id: string): void {
  const { shown } = lineOf(id).line
  if (shown) client.setQueryData<ProjectState>(keys.project(id), shown)
}

/** Hears of each state of a project as soon as it is known, before any view is drawn of it. @returns what ends it */
export function hearStates(client: QueryClient, id: string, hear: (state: ProjectState) => void): () => void {
  const wanted = JSON.stringify(keys.project(id))
  return client.getQueryCache().subscribe(({ query, type }) => {
    if (type === 'updated' && query.queryHash === wanted && query.state.data) hear(query.state.data as ProjectState)
  })
}

/** Told by the server of a change; what was missed before it is asked for. */
export function hearProject(client: QueryClient, event: Extract<Told, { type: 'project' | 'file' }>): void {
  const id = event.projectId
  if (lineOf(id).line.heard(event)) show(client, id)
  else void client.invalidateQueries({ queryKey: keys.project(id) })
}

/** A server that cannot be reached is asked again after so long, ms. */
const AGAIN_AFTER = 1000

/** Sends until the server answers, whatever it says; what waits is told. */
async function patiently<T>(task: (again: boolean) => Promise<T>): Promise<T> {
  let done: (() => void) | null = null
  try {
    for (;;) {
      try {
        return await task(done !== null)
      } catch (error) {
        if (!isUnreachable(error)) throw error
        done ??= waits()
        await new Promise((resolve) => setTimeout(resolve, AGAIN_AFTER))
      }
    }
  } finally {
    done?.()
  }
}

/** The event of an edit that the server took comes within so long, or its stream is broken, ms. */
const EVENT_WITHIN = 2000

/** Shows an edit at once and sends it; when the server refuses it, what it said is shown and the true state comes back. */
export function useEdit(id: string): (edits: Edit[], label: string, group?: string) => boolean {
  const client = useQueryClient()
  const { message, notification } = App.useApp()
  return useCallback(
    (edits, label, group) => {
      const sending = lineOf(id)
      const { line } = sending
      const name = newId()
      if (!line.shown) return false
      try {
        if (!line.begin(name, edits, label)) return true
      } catch (error) {
        notification.warning({ title: 'That does not fit', description: error instanceof Error ? error.message : String(error) })
        return false
      }
      show(client, id)
      sending.last = sending.last
        .then(() =>
          patiently((again) =>
            send<{ revision: number; over: string[] }>(
              'POST',
              `/projects/${id}/edits?base=${line.revision}&label=${encodeURIComponent(label)}${group ? `&group=${group}` : ''}`,
              { edits },
              { 'x-edit': name, ...(again && { 'x-again': '1' }) },
            ),
          ),
        )
        .then(({ revision, over }) => {
          if (over.length > 0) void message.warning(`Somebody else had just changed the same (${over.join(', ')}); yours came later and holds`)
          if (line.accepted(name, revision)) show(client, id)
          else
            setTimeout(() => {
              if (!line.accepted(name, revision)) void client.invalidateQueries({ queryKey: keys.project(id) })
            }, EVENT_WITHIN)
        })
        .catch((error: unknown) => {
          line.refused(name)
          show(client, id)
          notification.error({
            title: error instanceof ServerProblem ? error.title : 'The change was not kept',
            description: error instanceof Error ? error.message : String(error),
          })
          void client.invalidateQueries({ queryKey: keys.project(id) })
        })
      return true
    },
    [client, id, message, notification],
  )
}

/**
 * Takes steps back or does them again, as many as are asked for; of a step in parts only the newest part where that is asked for.
 * They wait for edits on their way, so that the order stays the one that was seen.
 */
export function useStep(id: string): (direction: 'undo' | 'redo', count?: number, part?: boolean) => void {
  const { message } = App.useApp()
  return useCallback(
    (direction, count = 1, part = false) => {
      const sending = lineOf(id)
      const steps = async () => {
        let told: string | null = null
        for (let n = 0; n < count; n++) told = (await send<{ label: string | null }>('POST', `/projects/${id}/${direction}${part ? '?part' : ''}`)).label
        const done = direction === 'undo' ? 'Undone' : 'Redone'
        void message.info(told ? (count === 1 ? `${done}: ${told}` : `${count} steps ${done.toLowerCase()}`) : `Nothing to ${direction}`, 1.6)
      }
      sending.last = sending.last.then(steps).catch((error: unknown) => void message.error(error instanceof Error ? error.message : String(error)))
    },
    [id, message],
  )
}

/** Steps of a project while they are looked at. */
export function useSteps(id: string, revision: number, open: boolean) {
  return useQuery({ queryKey: ['steps', id, revision], queryFn: () => get<Step[]>(`/projects/${id}/steps`), enabled: open, placeholderData: keepPreviousData })
}

export { keys }
