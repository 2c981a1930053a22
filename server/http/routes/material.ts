import path from 'node:path'
import { gatherBody, lookBody, takeBody } from '@pendolo/api'
import type { Response, Router } from 'express'
import type { Workshop } from '../../jobs/workshop.ts'
import { ARTEFACTS, type Artefact, artefactPath } from '../../media/artefacts.ts'
import { lieAlready, type Wanted } from '../../project/find-again.ts'
import { type GatherReport, gather } from '../../project/gather.ts'
import { allowedPath, listFolder, listRoots } from '../../project/roots.ts'
import { discard, droppedFound, safeParts, uploadsOf } from '../../project/uploads.ts'
import { ProblemError } from '../problems.ts'
import { receiveUpload, type Settled, turnOf } from '../upload.ts'
import { authorOf, body } from './asked.ts'

/** Looking for dropped files where they lie takes no longer, ms; what is not found by then is copied. */
const LOOK_MS = 20_000

/** Fires when nobody waits for an answer any more. */
function closed(response: Response): AbortSignal {
  const gone = new AbortController()
  response.on('close', () => gone.abort())
  return gone.signal
}

/** Folders that may be read, files that come into a project, and their light copies. */
export function materialRoutes(api: Router, shop: Workshop): void {
  const { config, store, queue } = shop
  api.get('/roots', async (_, response) => void response.json(await listRoots(config)))
  api.get('/folder', async (request, response) => void response.json(await listFolder(config, String(request.query.path ?? ''))))

  api.post('/projects/:id/gather', async (request, response) => {
    const { paths } = body<{ paths: string[] }>(request, gatherBody)
    response.json(await gather(shop, request.params.id, paths, authorOf(request)))
  })
  api.post('/projects/:id/find-again', async (request, response) => {
    await store.doc(request.params.id)
    response.status(202).json({ jobId: await queue.add({ projectId: request.params.id, kind: 'originals', author: authorOf(request) }) })
  })
  // A drop comes in three steps: what lies where it may be read already is found, the rest is copied, then all is taken.
  api.post('/projects/:id/look', async (request, response) => {
    await store.doc(request.params.id)
    const { files } = body<{ files: Wanted[] }>(request, lookBody)
    const patience = AbortSignal.any([AbortSignal.timeout(LOOK_MS), closed(response)])
    response.json({ found: await lieAlready(config, files, patience) })
  })
  api.post('/projects/:id/upload', async (request, response) => {
    await store.doc(request.params.id)
    response.json({ files: await receiveUpload(config, request, request.params.id) })
  })
  api.post('/projects/:id/take', async (request, response) => {
    const { id } = request.params
    await store.doc(id)
    const { files, leave } = body<{ files: Settled[]; leave: string[] }>(request, takeBody)
    const allowed = await Promise.all(files.map(async ({ path, name }) => ({ path: await allowedPath(config, path), parts: safeParts(name) })))
    const copies = [...allowed.map((f) => f.path), ...leave].filter((file) => path.resolve(file).startsWith(uploadsOf(config, id) + path.sep))
    const report = await turnOf(id).runExclusive(async (): Promise<GatherReport> => {
      try {
        const found = droppedFound(allowed)
        if (found.length > 0) return await gather(shop, id, found, authorOf(request))
        if (files.length > 0) throw new ProblemError(400, 'Nothing arrived', 'drop files or folders with pictures or sound')
        return { added: 0, again: [], known: [], refused: [], leftOut: [] }
      } finally {
        await discard(config, copies, await store.allPaths())
      }
    })
    response.json(report)
  })

  // The name of a light copy is its content: it never changes, so browsers may keep it.
  api.get('/media/:key/:artefact', (request, response, next) => {
    const { key, artefact } = request.params
    if (!/^[0-9a-f]{32}$/.test(key) || !Object.hasOwn(ARTEFACTS, artefact)) return next(new ProblemError(404, 'Not found', 'there is no such light copy'))
    response.sendFile(artefactPath(config, key, artefact as Artefact), { maxAge: '1y', immutable: true, dotfiles: 'allow', acceptRanges: true }, (error) => {
      if (!error || response.headersSent) return
      const beyond = (error as { status?: number }).status === 416
      next(
        beyond
          ? new ProblemError(416, 'Nothing there', 'the range asked for lies behind the end')
          : new ProblemError(404, 'Not found', 'this light copy is not made yet'),
      )
    })
  })
}
