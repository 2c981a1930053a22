import { ExchangeFormatError, exchangeFormat, layOut } from '@pendolo/core/formats'
import type { Router } from 'express'
import { filmed } from '../../film/parts.ts'
import { safeName } from '../../jobs/handlers.ts'
import { exchangeFiles, type Workshop } from '../../jobs/workshop.ts'
import { ProblemError } from '../problems.ts'

function formatOf(id: string) {
  try {
    return exchangeFormat(id)
  } catch (error) {
    throw error instanceof ExchangeFormatError ? new ProblemError(404, 'Not found', error.message) : error
  }
}

/** Exchange files of a version. */
export function exchangeRoutes(api: Router, { store }: Workshop): void {
  api.get('/projects/:id/exchange/:format', async (request, response) => {
    const { id } = request.params
    const format = formatOf(request.params.format)
    const { cut } = request.query
    const name = await store.name(id)
    const doc = await store.doc(id)
    const exchange = layOut(name, doc, exchangeFiles(await store.files(id)), filmed(doc, typeof cut === 'string' ? { cutId: cut } : {}))
    response.attachment(`${safeName(name)}.${format.id}`).type(format.mediaType)
    response.send(format.write(exchange))
  })
}
