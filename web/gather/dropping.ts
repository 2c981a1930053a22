import { contentKeyOf } from '@pendolo/api'
import { type Lying, ServerProblem, send, upload } from '../data/client.ts'
import type { Report } from './report.ts'

/** A dropped file, by the path it was dropped with. */
export interface Dropped {
  readonly file: File
  readonly name: string
}

/** What was dropped: what lies in folders that may be read already, and what would have to be copied. */
export interface Looked {
  readonly lying: readonly Lying[]
  readonly toCopy: readonly Dropped[]
  readonly bytes: number
}

/** Looks for dropped files where they lie; a browser does not tell where that is, but their content does. */
export async function lookFor(projectId: string, dropped: readonly Dropped[]): Promise<Looked> {
  const files = []
  for (const { file, name } of dropped) files.push({ name, size: file.size, key: await keyOf(file) })
  const { found } = await send<{ found: (string | null)[] }>('POST', `/projects/${projectId}/look`, { files })
  const lying = dropped.flatMap(({ name }, i) => {
    const path = found[i]
    return path === null ? [] : [{ path, name }]
  })
  const toCopy = dropped.filter((_, i) => found[i] === null)
  return { lying, toCopy, bytes: toCopy.reduce((sum, d) => sum + d.file.size, 0) }
}

const keyOf = (file: File): Promise<string> =>
  contentKeyOf(
    file.size,
    async (at, length) => new Uint8Array(await file.slice(at, at + length).arrayBuffer()),
    (bytes) => crypto.subtle.digest('SHA-256', bytes),
  )

/** Pauses before a broken copy goes on, ms: a server that is started again is there within them. */
const PAUSES = [500, 1000, 2000, 4000, 8000, 15_000, 30_000, 60_000]

export interface Copying {
  /** Share of all bytes, 0..1; `waiting` while the server is away. */
  readonly onProgress: (share: number, waiting: boolean) => void
  readonly signal: AbortSignal
  readonly pauses?: readonly number[]
}

/**
 * Copies files one after the other. Where the connection breaks, it waits and goes on with the file that broke; what had
 * arrived before stays.
 * @throws DOMException when it is cancelled, ServerProblem when the server refuses or stays away
 */
export async function copyAll(projectId: string, files: readonly Dropped[], { onProgress, signal, pauses = PAUSES }: Copying): Promise<Lying[]> {
  const all = Math.max(
    1,
    files.reduce((sum, d) => sum + d.file.size, 0),
  )
  const out: Lying[] = []
  let done = 0
  try {
    for (const one of files) {
      out.push(...(await untilThere(one)))
      done += one.file.size
    }
    return out
  } catch (error) {
    if (signal.aborted) void leave(projectId, out)
    throw error
  }

  async function untilThere(one: Dropped): Promise<Lying[]> {
    for (let tries = 0; ; tries++) {
      try {
        return await upload(`/projects/${projectId}/upload`, one, (bytes) => onProgress((done + bytes) / all, false), signal)
      } catch (error) {
        const broke = error instanceof ServerProblem && error.status === 0
        if (!broke || signal.aborted || tries >= pauses.length) throw error
        onProgress(done / all, true)
        await new Promise((resolve) => setTimeout(resolve, pauses[tries]))
        if (signal.aborted) throw new DOMException('cancelled', 'AbortError')
      }
    }
  }
}

/** Copies of a drop that was given up are not kept. */
const leave = (projectId: string, copies: readonly Lying[]) =>
  send('POST', `/projects/${projectId}/take`, { files: [], leave: copies.map((c) => c.path) }).catch(() => undefined)

/** Takes what lies there into the project. */
export const take = (projectId: string, files: readonly Lying[]): Promise<Report> => send<Report>('POST', `/projects/${projectId}/take`, { files })
