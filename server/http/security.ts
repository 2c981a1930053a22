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
    next()
  }
}

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS'])

/**
 * Lets a request change something only when it cannot be another site's: a browser says that it comes from here, or it
 * carries what another site may not send unasked (a body of JSON, a header of its own).
 */
export function ownRequests(request: Request, _: Response, next: NextFunction): void {
  if (SAFE.has(request.method)) {
    next()
    return
  }
  const { 'sec-fetch-site': site, 'sec-fetch-mode': mode, origin, 'x-author': author, 'content-type': type = '' } = request.headers
  if (site !== undefined && site !== 'same-origin' && site !== 'none')
    throw new ProblemError(403, 'Request from another site', 'other sites may not use this application')
  // The origin, where there is one, has been looked at already.
  // Only this method can be sent by another site without asking first.
  if (request.method === 'POST' && [site, mode, origin, author].every((h) => h === undefined) && !/^(application\/json|multipart\/form-data)/.test(type))
    throw new ProblemError(403, 'This request could be another site’s', 'send a body as application/json, or a header X-Author with any name')
  next()
}

/** A body of JSON that has not come whole after so long is given up, ms; uploads have a limit of their own. */
const BODY_TIME = 30_000

/** @param limit ms */
export const inTime =
  (limit = BODY_TIME) =>
  (request: Request, response: Response, next: NextFunction): void => {
    if (SAFE.has(request.method) || /^multipart/.test(request.headers['content-type'] ?? '')) {
      next()
      return
    }
    const timer = setTimeout(() => {
      if (request.complete) return
      const problem = { type: 'about:blank', title: 'The request took too long', status: 408, detail: 'its body did not come whole in time' }
      if (!response.headersSent) response.status(408).set('connection', 'close').type('application/problem+json').send(JSON.stringify(problem))
      response.once('finish', () => request.destroy())
    }, limit)
    timer.unref()
    request.once('end', () => clearTimeout(timer))
    request.once('close', () => clearTimeout(timer))
    next()
  }

/** Lists in lists and objects in objects, deeper than any request of ours. */
const DEEPEST = 64

/** Refuses JSON that is nested so deeply that walking it would exhaust the stack. */
export function shallow(_: unknown, __: unknown, body: Buffer): void {
  let depth = 0
  let quoted = false
  for (let i = 0; i < body.length; i++) {
    const c = body[i]
    if (quoted) {
      if (c === 0x5c) i++
      else if (c === 0x22) quoted = false
    } else if (c === 0x22) quoted = true
    else if (c === 0x5b || c === 0x7b) {
      if (++depth > DEEPEST) throw new ProblemError(400, 'The request is not right', `the body holds more than ${DEEPEST} lists or objects within each other`)
    } else if (c === 0x5d || c === 0x7d) depth--
  }
}

/** Refuses bodies with an entry called like what every object has (`__proto__`, `constructor`): who copies or asks objects would be misled. */
export function noPrototypes(request: Request, _: Response, next: NextFunction): void {
  const open: unknown[] = [request.body]
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    if (typeof at !== 'object' || at === null) continue
    const odd = Array.isArray(at) ? undefined : Object.keys(at).find((key) => key in Object.prototype)
    if (odd !== undefined) throw new ProblemError(400, 'The request is not right', `nothing may be called ${odd}`)
    for (const value of Array.isArray(at) ? at : Object.values(at)) if (typeof value === 'object' && value !== null) open.push(value)
  }
  next()
}
