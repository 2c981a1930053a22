import { EXCHANGE_FORMATS } from '@pendolo/api'
import { layOut, writeEdl, writeOtio } from '@pendolo/core/formats'
import type { Router } from 'express'
import { filmed } from '../../film/parts.ts'
import { safeName } from '../../jobs/handlers.ts'
import { exchangeFiles, type Workshop } from '../../jobs/workshop.ts'
import { ProblemError } from '../problems.ts'

/** Exchange files of a version. */
export function exchangeRoutes(api: Router, { store }: Workshop): void {
  api.get('/projects/:id/exchange/:format', async (request, response) => {
    const { id, format } = request.params as { id: string; format: string }
    if (!(EXCHANGE_FORMATS as readonly string[]).includes(format))
      throw new ProblemError(404, 'Not found', `there is no format ${format}; there are ${EXCHANGE_FORMATS.join(' and ')}`)
    const name = await store.name(id)
    const doc = await store.doc(id)
    const { cut } = request.query
    const cutId = typeof cut === 'string' ? cut : undefined
    const exchange = layOut(name, doc, exchangeFiles(await store.files(id)), filmed(doc, { cutId }))
    response.attachment(`${safeName(name)}.${format}`).type(format === 'otio' ? 'application/json' : 'text/plain')
    response.send(format === 'otio' ? writeOtio(exchange) : writeEdl(exchange))
  })
}
