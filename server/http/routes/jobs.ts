import {
  type FilmBody,
  type FindBody,
  filmBody,
  findBody,
  JOB_STATES,
  lineUpBody,
  type PrepareBody,
  prepareBody,
  type SteadyBody,
  steadyBody,
} from '@pendolo/api'
import { layOut } from '@pendolo/core/formats'
import { own } from '@pendolo/core/project'
import type { Router } from 'express'
import { filmed, partOf } from '../../film/parts.ts'
import { rangeName } from '../../jobs/prepare.ts'
import { exchangeFiles, type Workshop } from '../../jobs/workshop.ts'
import { ProblemError } from '../problems.ts'
import { authorOf, body } from './asked.ts'

/** Work that is waited for: begun, listed, cancelled, tried again; films that came of it. */
export function jobRoutes(api: Router, { store, queue, events }: Workshop): void {
  api.post('/projects/:id/lineup', async (request, response) => {
    const payload = body(request, lineUpBody)
    await store.doc(request.params.id)
    response.status(202).json({ jobId: await queue.add({ projectId: request.params.id, kind: 'lineup', payload, author: authorOf(request) }) })
  })
  api.post('/projects/:id/pulse', async (request, response) => {
    const payload = body<FindBody>(request, findBody)
    await store.doc(request.params.id)
    const job = { projectId: request.params.id, kind: 'pulse' as const, about: payload.find, payload, author: authorOf(request) }
    response.status(202).json({ jobId: await queue.add(job) })
  })
  api.post('/projects/:id/film', async (request, response) => {
    const { parts, ...payload } = body<FilmBody>(request, filmBody)
    const projectId = request.params.id
    const doc = await store.doc(projectId)
    const files = exchangeFiles(await store.files(projectId))
    const films = parts ? parts.map((partId) => ({ ...payload, partId })) : [payload]
    // Laid out once now, so that what is missing is said before anything waits in the queue.
    for (const film of films) layOut('check', doc, files, filmed(doc, film))
    const jobIds: string[] = []
    for (const film of films) {
      const about = 'partId' in film && film.partId ? partOf(doc, String(film.partId)).name : ''
      jobIds.push(await queue.add({ projectId, kind: 'film', about, payload: film, author: authorOf(request) }))
    }
    response.status(202).json({ jobId: jobIds[0], jobIds })
  })
  api.post('/projects/:id/loudness', async (request, response) => {
    const projectId = request.params.id
    layOut('check', await store.doc(projectId), exchangeFiles(await store.files(projectId)))
    response.status(202).json({ jobId: await queue.add({ projectId, kind: 'loudness', about: '', payload: {}, author: authorOf(request) }) })
  })
  api.post('/projects/:id/steady', async (request, response) => {
    const { clipIds, seconds } = body<SteadyBody>(request, steadyBody)
    const projectId = request.params.id
    const { clips } = await store.doc(projectId)
    const files = await store.files(projectId)
    const jobs = clipIds.map((clipId) => {
      const file = files.find((f) => f.id === own(clips, clipId)?.fileId)
      if (!file?.facts.video || file.facts.video.still)
        throw new ProblemError(400, 'Nothing to steady', 'a still, a sound or a clip that is gone has no pictures that move')
      return { projectId, kind: 'steady' as const, about: file.name, fileId: file.id, payload: { clipId, seconds }, author: authorOf(request) }
    })
    const jobIds: string[] = []
    for (const job of jobs) jobIds.push(await queue.add(job))
    response.status(202).json({ jobIds })
  })
  api.post('/projects/:id/prepare', async (request, response) => {
    const projectId = request.params.id
    const { ranges } = body<PrepareBody>(request, prepareBody)
    const doc = await store.doc(projectId)
    const jobIds: string[] = []
    for (const range of ranges) {
      if (!doc.cuts.some((c) => c.id === range.cutId)) throw new ProblemError(400, 'Nothing to prepare', 'this version of the cut is gone')
      jobIds.push(await queue.add({ projectId, kind: 'prepare', about: rangeName(doc, range), payload: range, author: authorOf(request) }))
    }
    response.status(202).json({ jobIds })
  })
  api.get('/jobs', async (request, response) => {
    const { seq } = events
    response.set('x-seq', String(seq)).json(
      await queue.list(
        request.query.project ? String(request.query.project) : undefined,
        JOB_STATES.find((s) => s === request.query.state),
      ),
    )
  })
  api.post('/jobs/:id/cancel', async (request, response) => {
    await queue.cancel(request.params.id)
    response.status(204).end()
  })
  api.post('/jobs/:id/retry', async (request, response) => {
    await queue.retry(request.params.id)
    response.status(204).end()
  })
  api.get('/jobs/:id/film', async (request, response) => {
    const job = await queue.get(request.params.id)
    if (!job?.result || !('path' in job.result)) throw new ProblemError(404, 'Not found', 'this film is not ready')
    response.download(job.result.path, job.result.name, { dotfiles: 'allow' })
  })
}
