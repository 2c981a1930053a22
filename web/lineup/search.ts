import { detailText, type Job } from '@pendolo/api'
import type { Way } from '@pendolo/core/lineup'
import { FLICKS_PER_SECOND, type Flicks } from '@pendolo/core/time'
import { App } from 'antd'
import { useEffect, useRef, useState } from 'react'
import { send } from '../data/client.ts'
import { useJobs } from '../data/queries.ts'

export type WaysChoice = 'all' | Way

/** A search for places as it is set up, and the one that runs. */
export interface Search {
  readonly ways: WaysChoice
  readonly setWays: (ways: WaysChoice) => void
  readonly thorough: boolean
  readonly setThorough: (thorough: boolean) => void
  /** Waiting or running now. */
  readonly job: Job | undefined
  readonly last: Job | undefined
  /** Searches the named clips, or all; near a time, or at a speed. */
  readonly start: (clipIds: readonly string[] | null, near?: Flicks, speed?: number | 'any') => Promise<void>
}

export function useSearch(projectId: string): Search {
  const { message, notification } = App.useApp()
  const { data: jobs = [] } = useJobs(projectId)
  const [ways, setWays] = useState<WaysChoice>('all')
  const [thorough, setThorough] = useState(false)
  const job = jobs.find((j) => j.kind === 'lineup' && (j.state === 'running' || j.state === 'queued'))
  const last = jobs.find((j) => j.kind === 'lineup')
  const awaited = useRef<string | null>(null)
  useEffect(() => {
    if (job) awaited.current = job.id
    else if (last && awaited.current === last.id) {
      awaited.current = null
      if (last.state === 'done') void message.info(detailText(last.detail))
    }
  }, [job, last, message])

  const start = async (clipIds: readonly string[] | null, near?: Flicks, speed?: number | 'any') => {
    try {
      await send('POST', `/projects/${projectId}/lineup`, {
        thorough,
        ...(ways !== 'all' && { ways: ways === 'light' ? ['sound', 'light'] : [ways] }),
        ...(clipIds && { clipIds }),
        ...(near !== undefined && { nearSeconds: near / FLICKS_PER_SECOND, tolerance: 5 }),
        ...(speed !== undefined && { speed }),
      })
    } catch (error) {
      notification.error({ title: 'Lining up did not start', description: error instanceof Error ? error.message : String(error) })
    }
  }
  return { ways, setWays, thorough, setThorough, job, last, start }
}
