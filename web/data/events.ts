import type { Job, ServerEvent } from '@pendolo/api'
import { type QueryClient, useQueryClient } from '@tanstack/react-query'
import { App } from 'antd'
import { useEffect } from 'react'
import { author } from './author.ts'
import { hearRevision, keys } from './queries.ts'

function hear(client: QueryClient, event: ServerEvent, warn: (text: string) => void): void {
  switch (event.type) {
    case 'projects':
      void client.invalidateQueries({ queryKey: keys.projects })
      return
    case 'project':
      hearRevision(client, event.projectId, event.revision)
      if (event.author !== author && event.over.includes(author)) warn(`Somebody else changed the same after you (${event.label}); theirs came later and holds`)
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
  const { message } = App.useApp()
  useEffect(() => {
    const { port } = new SharedWorker(new URL('./events.shared.ts', import.meta.url), { type: 'module', name: 'pendolo-events' })
    port.onmessage = ({ data: told }: MessageEvent<{ open: true } | { data: string }>) => {
      // Before it was open, and in a break, anything may have happened that nobody told.
      if ('open' in told) void client.invalidateQueries()
      else hear(client, JSON.parse(told.data) as ServerEvent, (text) => void message.warning(text))
    }
    const leave = () => port.postMessage('bye')
    window.addEventListener('pagehide', leave)
    return () => {
      window.removeEventListener('pagehide', leave)
      leave()
      port.close()
    }
  }, [client, message])
}
