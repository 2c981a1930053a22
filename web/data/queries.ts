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
export const useProject = (id: string) => useQuery({ queryKey: keys.project(id), queryFn: () => newest(id) })

/** The project as it is; an answer that is older than what the server told of meanwhile is asked for again. */
async function newest(id: string): Promise<ProjectState> {
  const state = await get<ProjectState>(`/projects/${id}`)
  return state.revision < lineOf(id).heard ? get<ProjectState>(`/projects/${id}`) : state
}

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

interface Line {
  last: Promise<unknown>
  waiting: number
  /** Newest revision that the server told of. */
  heard: number
  /** The document as our last edit left it, and whether an older answer of the server has taken its place since. */
  ours: ProjectState['doc'] | null
  lost: boolean
}

/** Edits on their way to the server, project by project, in order. */
const lines = new Map<string, Line>()

function lineOf(id: string) {
  let line = lines.get(id)
  if (!line) {
    line = { last: Promise.resolve(), waiting: 0, heard: 0, ours: null, lost: false }
    lines.set(id, line)
  }
  return line
}

function catchUp(client: QueryClient, id: string): void {
  const line = lineOf(id)
  const state = client.getQueryData<ProjectState>(keys.project(id))
  if (line.waiting > 0 || !state || !(line.lost || line.heard > state.revision)) return
  line.lost = false
  void client.invalidateQueries({ queryKey: keys.project(id) })
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
  const { message, notification } = App.useApp()
  return useCallback(
    (edits, label) => {
      const state = client.getQueryData<ProjectState>(keys.project(id))
      if (!state) return false
      try {
        const { doc, forward } = applyEdits(state.doc, edits)
        if (forward.length === 0) return true
        client.setQueryData<ProjectState>(keys.project(id), { ...state, doc, canUndo: label, canRedo: null })
        lineOf(id).ours = client.getQueryData<ProjectState>(keys.project(id))?.doc ?? null
      } catch (error) {
        notification.warning({ title: 'That does not fit', description: error instanceof Error ? error.message : String(error) })
        return false
      }
      const line = lineOf(id)
      line.waiting++
      line.last = line.last
        .then(() => {
          const base = client.getQueryData<ProjectState>(keys.project(id))?.revision ?? 0
          return send<{ revision: number; over: string[] }>('POST', `/projects/${id}/edits?base=${base}&label=${encodeURIComponent(label)}`, { edits })
        })
        .then(({ revision, over }) => {
          if (over.length > 0) void message.warning(`Somebody else had just changed the same (${over.join(', ')}); yours came later and holds`)
          line.waiting--
          line.heard = Math.max(line.heard, revision)
          const now = client.getQueryData<ProjectState>(keys.project(id))
          // An answer that was on its way when the edit was made knows nothing of it; then the state is asked for again.
          if (now?.doc === line.ours || line.waiting > 0)
            client.setQueryData<ProjectState>(keys.project(id), (state) => (state ? { ...state, revision: Math.max(state.revision, revision) } : state))
          else line.lost = true
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
    [client, id, message, notification],
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
