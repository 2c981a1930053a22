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
    let opened = false
    const source = new EventSource('/api/events')
    source.onopen = () => {
      // After a break anything may have happened.
      if (opened) void client.invalidateQueries()
      opened = true
    }
    source.onmessage = (message) => hear(client, JSON.parse(message.data) as ServerEvent)
    return () => source.close()
  }, [client])
}
