import { newProjectBody } from '@pendolo/api'
import type { Router } from 'express'
import type { Workshop } from '../../jobs/workshop.ts'
import { authorOf, body } from './asked.ts'

/** Projects as a whole: listed, made, named, deleted, copied; proofs of their places. */
export function projectRoutes(api: Router, { store }: Workshop): void {
  api.get('/projects', async (_, response) => void response.json(await store.list()))
  api.post('/projects', async (request, response) => {
    const { name } = body<{ name: string }>(request, newProjectBody)
    response.status(201).json({ id: await store.create(name.trim()) })
  })
  api.get('/projects/:id', async (request, response) => void response.json(await store.state(request.params.id, authorOf(request))))
  api.patch('/projects/:id', async (request, response) => {
    await store.rename(request.params.id, body<{ name: string }>(request, newProjectBody).name.trim())
    response.status(204).end()
  })
  api.delete('/projects/:id', async (request, response) => {
    await store.setDeleted(request.params.id, true)
    response.status(204).end()
  })
  api.post('/projects/:id/restore', async (request, response) => {
    await store.setDeleted(request.params.id, false)
    response.status(204).end()
  })
  api.post('/projects/:id/duplicate', async (request, response) => void response.status(201).json({ id: await store.duplicate(request.params.id) }))

  api.get('/projects/:id/proofs/:clipId', async (request, response) => void response.json(await store.proof(request.params.id, request.params.clipId)))
}
