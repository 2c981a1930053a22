import type { NextFunction, Request, Response } from 'express'
import { ProblemError } from './problems.ts'

const LOCAL = new Set(['127.0.0.1', 'localhost', '[::1]'])

function isLocal(host: string, port: number): boolean {
  const match = /^(.*?)(?::(\d+))?$/.exec(host.toLowerCase())
  return match !== null && LOCAL.has(match[1]) && (match[2] === undefined ? 80 : Number(match[2])) === port
}

/**
 * Lets only this machine's own pages in: the Host must be a local one on our port (against name rebinding), and when
 * a browser says where a request comes from, it must be from us.
 */
export function onlyOurselves(port: () => number) {
  return (request: Request, _: Response, next: NextFunction): void => {
    const host = request.headers.host ?? ''
    if (!isLocal(host, port()))
      throw new ProblemError(403, 'This address is not served', `requests must go to 127.0.0.1:${port()}, not to ${host || 'an unnamed host'}`)
    const { origin } = request.headers
    if (origin !== undefined && !(URL.canParse(origin) && isLocal(new URL(origin).host, port()))) {
      throw new ProblemError(403, 'Request from another site', `a page of ${origin} may not use this application`)
    }
    const site = request.headers['sec-fetch-site']
    if (site === 'cross-site' && request.method !== 'GET') throw new ProblemError(403, 'Request from another site', 'other sites may not use this application')
    next()
  }
}
