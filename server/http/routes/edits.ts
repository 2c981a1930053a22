import { checkEdits } from '@pendolo/api'
import type { Router } from 'express'
import type { Workshop } from '../../jobs/workshop.ts'
import { authorOf, breather, editName, groupOf } from './asked.ts'

/** Changes of a project, and their ways back. */
export function editRoutes(api: Router, { store }: Workshop): void {
  api.post('/projects/:id/edits', async (request, response) => {
    const edits = await checkEdits(request.body, breather())
    const label = String(request.query.label ?? edits[0].type).slice(0, 120)
    const base = Number(request.query.base ?? Number.NaN)
    const author = authorOf(request)
    const group = groupOf(request)
    const { revision, over } = await store.edit(request.params.id, edits, label, {
      author,
      edit: editName(request),
      again: request.headers['x-again'] !== undefined,
      ...(group !== null && { group }),
      ...(Number.isInteger(base) && { base }),
    })
    response.json({ revision, over })
  })
  api.get('/projects/:id/steps', async (request, response) => void response.json(await store.steps(request.params.id, authorOf(request))))
  for (const direction of ['undo', 'redo'] as const) {
    api.post(`/projects/:id/${direction}`, async (request, response) => {
      const part = request.query.part !== undefined
      response.json({ label: await store.step(request.params.id as string, direction, authorOf(request), part) })
    })
  }
}
