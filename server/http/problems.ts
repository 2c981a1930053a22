import type { Problem } from '@pendolo/api'
import type { ErrorRequestHandler } from 'express'
import type { Logger } from 'pino'
import { ValidationError } from 'yup'
import { diskWords } from '../disk.ts'

/** An error with the status and words to answer with. */
export class ProblemError extends Error {
  readonly status: number
  readonly title: string

  constructor(status: number, title: string, detail: string) {
    super(detail)
    this.status = status
    this.title = title
  }
}

const BY_CODE: Record<string, [number, string]> = {
  'not-found': [404, 'Not found'],
  edit: [409, 'This change does not fit'],
  cut: [409, 'This change does not fit'],
  path: [403, 'This folder or file cannot be read'],
  media: [422, 'This material cannot be used'],
  hurt: [409, 'This project is damaged'],
  disk: [507, 'No room on the disk'],
  exchange: [409, 'Not ready to hand over'],
  timecode: [400, 'Unreadable timecode'],
}

function toProblem(error: unknown): Problem {
  const make = (status: number, title: string, detail: string): Problem => ({ type: 'about:blank', title, status, detail })
  if (error instanceof ProblemError) return make(error.status, error.title, error.message)
  if (error instanceof ValidationError) return make(400, 'The request is not right', [...new Set(error.errors)].slice(0, 20).join('; ').slice(0, 2000))
  if (error instanceof Error) {
    const disk = diskWords(error)
    if (disk) return make(507, 'Nothing can be written', disk)
    const { code, status, type } = error as Error & { code?: string; status?: number; type?: string }
    if (type === 'entity.too.large') return make(413, 'Too large', 'this request is larger than is allowed')
    // Errors that a check of a body threw are wrapped by what reads bodies.
    if (type === 'entity.verify.failed') return make(400, 'The request is not right', error.message)
    if (type === 'entity.parse.failed') return make(400, 'The request is not right', 'the body is no JSON')
    if (code && Object.hasOwn(BY_CODE, code)) return make(BY_CODE[code][0], BY_CODE[code][1], error.message)
    if (status && status >= 400 && status < 500) return make(status, 'The request is not right', error.message)
  }
  return make(500, 'Something went wrong in the server', 'nothing was changed; the log of the server says more')
}

/** Answers every error as application/problem+json (RFC 9457). */
export function problemHandler(log: Logger): ErrorRequestHandler {
  return (error, request, response, next) => {
    const problem = toProblem(error)
    if (problem.status >= 500) log.error({ err: error, url: request.url }, 'request failed')
    if (response.headersSent) return next(error)
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem))
  }
}
