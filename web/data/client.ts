import type { Problem } from '@pendolo/api'
import { author } from './author.ts'

/** An error the server explained. */
export class ServerProblem extends Error {
  readonly status: number
  readonly title: string

  constructor(problem: Problem) {
    super(problem.detail)
    this.status = problem.status
    this.title = problem.title
  }
}

async function answer<T>(response: Response): Promise<T> {
  if (response.ok) return response.status === 204 ? (undefined as T) : ((await response.json()) as T)
  const problem = await response
    .json()
    .then((p) => p as Problem)
    .catch((): Problem => ({ type: '', status: response.status, title: 'The server does not answer as it should', detail: `it said ${response.status}` }))
  throw new ServerProblem(problem)
}

/** Whether an error means that nobody answered at all. */
export const isUnreachable = (error: unknown): boolean => error instanceof ServerProblem && error.status === 0

function unreachable(): never {
  throw new ServerProblem({
    type: '',
    status: 0,
    title: 'The server cannot be reached',
    detail: 'is Pendolo still running? Start it again and this page goes on',
  })
}

export async function get<T>(path: string): Promise<T> {
  return answer<T>(await fetch(`/api${path}`, { headers: { 'x-author': author } }).catch(unreachable))
}

/** An answer with the number of the last event that it knows of. */
export async function getTold<T>(path: string): Promise<{ value: T; seq: number }> {
  const response = await fetch(`/api${path}`, { headers: { 'x-author': author } }).catch(unreachable)
  return { value: await answer<T>(response), seq: Number(response.headers.get('x-seq') ?? 0) }
}

const OUTLIVES = 8192

export async function send<T>(method: 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown, headers: Record<string, string> = {}): Promise<T> {
  const init: RequestInit = {
    method,
    headers: { 'x-author': author, ...headers, ...(body !== undefined && { 'content-type': 'application/json' }) },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  }
  // What was just done arrives though its page is left at once; browsers let no more than 64 KiB go on so.
  if (typeof init.body === 'string' && init.body.length < OUTLIVES) init.keepalive = true
  return answer<T>(await fetch(`/api${path}`, init).catch(unreachable))
}

export function mediaUrl(
  contentKey: string,
  artefact: 'tile' | 'sharp' | 'sound' | 'channels' | 'peaks' | 'channelPeaks' | 'onsets' | 'drawing' | 'prepared',
): string {
  return `/api/media/${contentKey}/${artefact}`
}

/** A dropped file where it lies now, with the name it was dropped by. */
export interface Lying {
  readonly path: string
  readonly name: string
}

/** Copies one dropped file to the server, with progress in bytes. @returns where it lies there */
export function upload(path: string, { file, name }: { file: File; name: string }, onProgress: (bytes: number) => void, signal: AbortSignal): Promise<Lying[]> {
  return new Promise((resolve, reject) => {
    const form = new FormData()
    form.append('file', file, name)
    // fetch tells nothing about upload progress.
    const request = new XMLHttpRequest()
    request.open('POST', `/api${path}`)
    request.setRequestHeader('x-author', author)
    request.upload.onprogress = (event) => onProgress(Math.min(file.size, event.loaded))
    request.onload = () =>
      answer<{ files: Lying[] }>(new Response(request.responseText, { status: request.status })).then((told) => resolve(told.files), reject)
    request.onerror = () => reject(new ServerProblem({ type: '', status: 0, title: 'The copying stopped', detail: 'the connection to Pendolo broke' }))
    request.onabort = () => reject(new DOMException('cancelled', 'AbortError'))
    signal.addEventListener('abort', () => request.abort())
    request.send(form)
  })
}
