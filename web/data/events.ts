import type { Job, ServerEvent } from '@pendolo/api'
import { type QueryClient, useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { hearRevision, keys } from './queries.ts'

function hear(client: QueryClient, event: ServerEvent): void {
  switch (event.type) {
    case 'projects':
      void client.invalidateQueries({ queryKey: keys.projects })
      return
    case 'project':
      hearRevision(client, event.projectId, event.revision)
      return
    case 'files':
      void client.invalidateQueries({ queryKey: keys.project(event.projectId) })
      return
    case 'job':
      // An answer on its way was written before this event and would take its place.
      if (event.job.state !== 'running' && client.isFetching({ queryKey: keys.jobs(event.job.projectId) }) > 0) {
        void client.invalidateQueries({ queryKey: keys.jobs(event.job.projectId) })
      }
      client.setQueryData<Job[]>(keys.jobs(event.job.projectId), (jobs) => {
        if (!jobs) return jobs
        return jobs.some((j) => j.id === event.job.id) ? jobs.map((j) => (j.id === event.job.id ? event.job : j)) : [event.job, ...jobs]
      })
      if (event.job.state === 'done') void client.invalidateQueries({ queryKey: keys.project(event.job.projectId) })
      return
  }
}

/** Keeps every view true while the server or other tabs change things. */
export function useServerEvents(): void {
  const client = useQueryClient()
  useEffect(() => {
    const source = new EventSource('/api/events')
    // Before it was open, and in a break, anything may have happened that nobody told.
    source.onopen = () => void client.invalidateQueries()
    source.onmessage = (message) => hear(client, JSON.parse(message.data) as ServerEvent)
    return () => source.close()
  }, [client])
}
