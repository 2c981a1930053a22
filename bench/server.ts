import { spawn } from 'node:child_process'
import { once } from 'node:events'
import path from 'node:path'
import type { Readable } from 'node:stream'

export const CLI = 'server/dist/cli.mjs'

/** A server with a project of its own, whose files are gathered and of which nothing is made. */
export interface Served {
  readonly url: string
  readonly id: string
  readonly call: <T>(target: string, body?: unknown) => Promise<T>
  /** For how long at most the server's event loop was held since this was asked last, ms. */
  readonly held: () => Promise<number>
}

const HOLD = './bench/hold.mjs'

/** Starts a server on a home, gathers a folder into a new project without making its copies, lets `act` work with it, and ends it. */
export async function withServer(home: string, folder: string, name: string, act: (served: Served) => Promise<void>): Promise<void> {
  const server = spawn(process.execPath, ['--import', HOLD, CLI, 'start', '--home', home, '--port', '0'], {
    env: { ...process.env, PENDOLO_ROOTS: path.resolve(folder) },
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
  })
  const held = async (): Promise<number> => {
    const told = once(server, 'message')
    server.send('held')
    return ((await told) as [{ held: number }])[0].held
  }
  try {
    const [said] = (await once(server.stdout as Readable, 'data')) as [Buffer]
    const url = /http:\/\/[\d.:]+/.exec(said.toString())?.[0] ?? ''
    const call = async <T>(target: string, body?: unknown): Promise<T> => {
      const init = body === undefined ? {} : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
      const answer = await fetch(`${url}/api${target}`, init)
      if (!answer.ok) throw new Error(`${target}: ${answer.status} ${await answer.text()}`)
      return (answer.status === 204 ? undefined : await answer.json()) as T
    }
    const { id } = await call<{ id: string }>('/projects', { name })
    await call(`/projects/${id}/gather`, { paths: [path.resolve(folder)] })
    for (const job of await call<{ id: string }[]>(`/jobs?project=${id}`))
      await fetch(`${url}/api/jobs/${job.id}/cancel`, { method: 'POST', headers: { 'x-author': 'bench' } })
    await act({ url, id, call, held })
  } finally {
    server.kill('SIGTERM')
    await once(server, 'exit')
  }
}
