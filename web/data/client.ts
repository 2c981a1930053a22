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

export async function send<T>(method: 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown, headers: Record<string, string> = {}): Promise<T> {
  const init: RequestInit = {
    method,
    headers: { 'x-author': author, ...headers, ...(body !== undefined && { 'content-type': 'application/json' }) },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  }
  return answer<T>(await fetch(`/api${path}`, init).catch(unreachable))
}

export function mediaUrl(contentKey: string, artefact: 'tile' | 'sharp' | 'sound' | 'peaks' | 'onsets'): string {
  return `/api/media/${contentKey}/${artefact}`
}

/** Uploads dropped files with progress 0..1; their relative paths keep the folders they came in. */
export function upload<T>(path: string, files: { file: File; name: string }[], onProgress: (share: number) => void, signal: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    const form = new FormData()
    for (const { file, name } of files) form.append('file', file, name)
    // fetch tells nothing about upload progress.
    const request = new XMLHttpRequest()
    request.open('POST', `/api${path}`)
    request.setRequestHeader('x-author', author)
    request.upload.onprogress = (event) => event.lengthComputable && onProgress(event.loaded / event.total)
    request.onload = () => answer<T>(new Response(request.responseText, { status: request.status })).then(resolve, reject)
    request.onerror = () =>
      reject(new ServerProblem({ type: '', status: 0, title: 'The upload stopped', detail: 'the connection to Pendolo broke; drop the files again' }))
    request.onabort = () => reject(new DOMException('cancelled', 'AbortError'))
    signal.addEventListener('abort', () => request.abort())
    request.send(form)
  })
}
