import type { FolderEntry, FolderListing, Job, ProjectState, ProjectSummary } from '@pendolo/api'
import { applyEdits, type Edit } from '@pendolo/core/project'
import { type QueryClient, useQuery, useQueryClient } from '@tanstack/react-query'
import { App } from 'antd'
import { useCallback } from 'react'
import { get, ServerProblem, send } from './client.ts'

const keys = {
  projects: ['projects'] as const,
  project: (id: string) => ['project', id] as const,
  jobs: (id: string) => ['jobs', id] as const,
  proof: (id: string, clipId: string) => ['proof', id, clipId] as const,
}

export const useProjects = () => useQuery({ queryKey: keys.projects, queryFn: () => get<ProjectSummary[]>('/projects') })
export const useProject = (id: string) => useQuery({ queryKey: keys.project(id), queryFn: () => get<ProjectState>(`/projects/${id}`) })
export const useJobs = (id: string) => useQuery({ queryKey: keys.jobs(id), queryFn: () => get<Job[]>(`/jobs?project=${id}`) })
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
  proof: import('@pendolo/core/lineup').SoundProof
}
/** A proof changes when its clip is placed anew. */
export const proofStamp = ({ doc }: ProjectState, clipId: string) => `${doc.placements[clipId]?.start}:${doc.loose[clipId]}`
export const useProof = (id: string, clipId: string | null, stamp: unknown) =>
  useQuery({
    queryKey: [...keys.proof(id, clipId ?? ''), stamp],
    queryFn: () => get<ProofReply>(`/projects/${id}/proofs/${clipId}`),
    enabled: clipId !== null,
    retry: false,
  })

/** Edits on their way to the server, project by project, in order. */
const lines = new Map<string, { last: Promise<unknown>; waiting: number; heard: number }>()

function lineOf(id: string) {
  let line = lines.get(id)
  if (!line) {
    line = { last: Promise.resolve(), waiting: 0, heard: 0 }
    lines.set(id, line)
  }
  return line
}

function catchUp(client: QueryClient, id: string): void {
  const line = lineOf(id)
  const state = client.getQueryData<ProjectState>(keys.project(id))
  if (line.waiting === 0 && state && line.heard > state.revision) void client.invalidateQueries({ queryKey: keys.project(id) })
}

/** Told by the server that a project changed; our own edits are known already. */
export function hearRevision(client: QueryClient, id: string, revision: number): void {
  const line = lineOf(id)
  line.heard = Math.max(line.heard, revision)
  catchUp(client, id)
}

/** Shows an edit at once and sends it; when the server refuses it, what it said is shown and the true state comes back. */
export function useEdit(id: string): (edits: Edit[], label: string) => boolean {
  const client = useQueryClient()
  const { notification } = App.useApp()
  return useCallback(
    (edits, label) => {
      const state = client.getQueryData<ProjectState>(keys.project(id))
      if (!state) return false
      try {
        const { doc, forward } = applyEdits(state.doc, edits)
        if (forward.length === 0) return true
        client.setQueryData<ProjectState>(keys.project(id), { ...state, doc, canUndo: label, canRedo: null })
      } catch (error) {
        notification.warning({ title: 'That does not fit', description: error instanceof Error ? error.message : String(error) })
        return false
      }
      const line = lineOf(id)
      line.waiting++
      line.last = line.last
        .then(() => send<{ revision: number }>('POST', `/projects/${id}/edits?label=${encodeURIComponent(label)}`, { edits }))
        .then(({ revision }) => {
          client.setQueryData<ProjectState>(keys.project(id), (now) => (now ? { ...now, revision: Math.max(now.revision, revision) } : now))
          line.waiting--
          catchUp(client, id)
        })
        .catch((error: unknown) => {
          line.waiting--
          notification.error({
            title: error instanceof ServerProblem ? error.title : 'The change was not kept',
            description: error instanceof Error ? error.message : String(error),
          })
          void client.invalidateQueries({ queryKey: keys.project(id) })
        })
      return true
    },
    [client, id, notification],
  )
}

/** Undo and redo wait for edits on their way, so that the order stays the one that was seen. */
export function useStep(id: string): (direction: 'undo' | 'redo') => void {
  const client = useQueryClient()
  const { message } = App.useApp()
  return useCallback(
    (direction) => {
      const line = lineOf(id)
      line.last = line.last
        .then(() => send<{ label: string | null }>('POST', `/projects/${id}/${direction}`))
        .then(({ label }) => {
          void client.invalidateQueries({ queryKey: keys.project(id) })
          void message.info(label ? `${direction === 'undo' ? 'Undone' : 'Done again'}: ${label}` : `Nothing to ${direction}`, 1.6)
        })
        .catch((error: unknown) => void message.error(error instanceof Error ? error.message : String(error)))
    },
    [client, id, message],
  )
}

export { keys }
