import { tableBody } from '@pendolo/api'
import type { Router } from 'express'
import type { Workshop } from '../../jobs/workshop.ts'
import { keepTable, TABLE_BYTES, tablePath } from '../../media/tables.ts'
import { ProblemError } from '../problems.ts'
import { body } from './asked.ts'

/** Tables of colours that were read from files. */
export function tableRoutes(api: Router, { config }: Workshop): void {
  api.post('/tables', async (request, response) => {
    const { values } = body<{ values: string }>(request, tableBody)
    const bytes = Buffer.from(values, 'base64')
    if (bytes.length !== TABLE_BYTES) throw new ProblemError(400, 'No table', `a table has ${TABLE_BYTES} bytes, not ${bytes.length}`)
    const numbers = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length))
    if (!numbers.every((x) => x >= 0 && x <= 1)) throw new ProblemError(400, 'No table', 'its numbers lie from 0 to 1')
    response.json({ id: await keepTable(config, bytes) })
  })
  // Its name is what it holds: it never changes, so browsers may keep it.
  api.get('/tables/:id', (request, response, next) => {
    const { id } = request.params
    const missing = () => new ProblemError(404, 'Not found', 'there is no such table of colours; read its .cube file again')
    if (!/^[0-9a-f]{32}$/.test(id)) return next(missing())
    response.type('application/octet-stream')
    response.sendFile(tablePath(config, id), { maxAge: '1y', immutable: true, dotfiles: 'allow' }, (error) => {
      if (error && !response.headersSent) next(missing())
    })
  })
}
