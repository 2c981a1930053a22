import { gatherBody } from '@pendolo/api'
import type { Router } from 'express'
import type { Workshop } from '../../jobs/workshop.ts'
import { ARTEFACTS, type Artefact, artefactPath } from '../../media/artefacts.ts'
import { type Found, type GatherReport, gather } from '../../project/gather.ts'
import { listFolder, listRoots } from '../../project/roots.ts'
import { discard, droppedFound } from '../../project/uploads.ts'
import { ProblemError } from '../problems.ts'
import { receiveUpload } from '../upload.ts'
import { authorOf, body } from './asked.ts'

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
  api.post('/projects/:id/upload', async (request, response) => {
    await store.doc(request.params.id)
    const report = await receiveUpload(config, request, request.params.id, async (arrived): Promise<GatherReport> => {
      try {
        const found: Found[] = droppedFound(arrived)
        if (found.length === 0) throw new ProblemError(400, 'Nothing arrived', 'drop files or folders with pictures or sound')
        return await gather(shop, request.params.id, found, authorOf(request))
      } finally {
        await discard(
          config,
          arrived.map((a) => a.path),
          await store.allPaths(),
        )
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
