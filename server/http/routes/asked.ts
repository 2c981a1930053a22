import { setImmediate } from 'node:timers/promises'
import { isId } from '@pendolo/core/project'
import type { Request } from 'express'
import type { Schema } from 'yup'

/** The body of a request, checked. @throws ValidationError */
export function body<T>(request: Request, schema: Schema): T {
  return schema.validateSync(request.body ?? {}, { abortEarly: false, stripUnknown: false }) as T
}

/** For how long one request computes before others get their turn, ms. */
const TURN = 10

export function breather(): () => Promise<void> {
  let began = performance.now()
  return async () => {
    if (performance.now() - began < TURN) return
    await setImmediate()
    began = performance.now()
  }
}

/** By which name a page knows its edit when it hears of it. */
export function editName(request: Request): string | null {
  const name = request.headers['x-edit']
  return isId(name) ? name : null
}

/** The group that an edit says it belongs to, and its number in it; null where it belongs to none. */
export function groupOf(request: Request): string | null {
  const [group, number, ...more] = String(request.query.group ?? '').split(':')
  return isId(group) && /^\d{1,6}$/.test(number ?? '') && more.length === 0 ? `${group}:${number}` : null
}

/** Who asks: a browser names itself, so that undo takes back one's own steps; scripts need not. */
export function authorOf(request: Request): string {
  const author = request.headers['x-author']
  return isId(author) ? author : ''
}
