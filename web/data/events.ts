import type { Told } from '@pendolo/api'
import { type QueryClient, useQueryClient } from '@tanstack/react-query'
import { App } from 'antd'
import { useEffect } from 'react'
import { author } from './author.ts'
import { hearJob, hearProject, keys } from './queries.ts'

function hear(client: QueryClient, event: Told, warn: (text: string) => void): void {
  switch (event.type) {
    case 'projects':
      void client.invalidateQueries({ queryKey: keys.projects })
      return
    case 'project':
      hearProject(client, event)
      if (event.author !== author && event.over.includes(author)) warn(`Somebody else changed the same after you (${event.label}); theirs came later and holds`)
      return
    case 'file':
      hearProject(client, event)
      return
    case 'files':
      void client.invalidateQueries({ queryKey: keys.project(event.projectId) })
      return
    case 'job':
      hearJob(client, event)
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
      else hear(client, JSON.parse(told.data) as Told, (text) => void message.warning(text))
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
