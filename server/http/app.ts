import path from 'node:path'
import { setImmediate } from 'node:timers/promises'
import {
  checkEdits,
  EXCHANGE_FORMATS,
  type FilmBody,
  type FindBody,
  filmBody,
  findBody,
  gatherBody,
  JOB_STATES,
  lineUpBody,
  newProjectBody,
} from '@pendolo/api'
import { layOut, writeEdl, writeOtio } from '@pendolo/core/formats'
import { isId } from '@pendolo/core/project'
import express, { type Request } from 'express'
import helmet from 'helmet'
import type { Logger } from 'pino'
import type { Schema } from 'yup'
import { filmed, partOf } from '../film/parts.ts'
import { safeName } from '../jobs/handlers.ts'
import { exchangeFiles, type Workshop } from '../jobs/workshop.ts'
import { ARTEFACTS, type Artefact, artefactPath } from '../media/artefacts.ts'
import { type Found, type GatherReport, gather } from '../project/gather.ts'
import { listFolder, listRoots } from '../project/roots.ts'
import { discard, droppedFound } from '../project/uploads.ts'
import type { EventHub } from './events.ts'
import { ProblemError, problemHandler } from './problems.ts'
import { inTime, noPrototypes, onlyOurselves, ownRequests, shallow } from './security.ts'
import { receiveUpload } from './upload.ts'

/** Edits of a long session are small; a pulse of three hours is the largest body. */
const BODY_LIMIT = '4mb'

function body<T>(request: Request, schema: Schema): T {
  return schema.validateSync(request.body ?? {}, { abortEarly: false, stripUnknown: false }) as T
}

/** For how long one request computes before others get their turn, ms. */
const TURN = 10

function breather(): () => Promise<void> {
  let began = performance.now()
  return async () => {
    if (performance.now() - began < TURN) return
    await setImmediate()
    began = performance.now()
  }
}

/** By which name a page knows its edit when it hears of it. */
function editName(request: Request): string | null {
  const name = request.headers['x-edit']
  return isId(name) ? name : null
}

/** Who asks: a browser names itself, so that undo takes back one's own steps; scripts need not. */
function authorOf(request: Request): string {
  const author = request.headers['x-author']
  return isId(author) ? author : ''
}

/** @param port asked at each request, since it is known only after listening */
export function makeApp(shop: Workshop, events: EventHub, log: Logger, port: () => number): express.Express {
  const { store, queue, config } = shop
  const app = express()
  app.disable('x-powered-by')
  app.use(onlyOurselves(port))
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          // Styles are made at run time by the component library.
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          fontSrc: ["'self'", 'data:'],
          mediaSrc: ["'self'", 'blob:'],
          workerSrc: ["'self'", 'blob:'],
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          frameAncestors: ["'none'"],
        },
      },
      // Isolation gives the playback engine clocks of full precision.
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
    }),
  )
  const api = express.Router()
  api.use(ownRequests)
  api.use(inTime())
  api.use(express.json({ limit: BODY_LIMIT, verify: shallow }))
  api.use(noPrototypes)

  api.get('/health', (_, response) => void response.json({ ok: true }))
  api.get('/events', (_, response) => events.open(response))

  api.get('/roots', async (_, response) => void response.json(await listRoots(config)))
  api.get('/folder', async (request, response) => void response.json(await listFolder(config, String(request.query.path ?? ''))))

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

  api.post('/projects/:id/edits', async (request, response) => {
    const edits = await checkEdits(request.body, breather())
    const label = String(request.query.label ?? edits[0].type).slice(0, 120)
    const base = Number(request.query.base ?? Number.NaN)
    const author = authorOf(request)
    const { revision, over } = await store.edit(request.params.id, edits, label, {
      author,
      edit: editName(request),
      ...(Number.isInteger(base) && { base }),
    })
    response.json({ revision, over })
  })
  for (const direction of ['undo', 'redo'] as const) {
    api.post(
      `/projects/:id/${direction}`,
      async (request, response) => void response.json({ label: await store.step(request.params.id as string, direction, authorOf(request)) }),
    )
  }

  api.post('/projects/:id/gather', async (request, response) => {
    const { paths } = body<{ paths: string[] }>(request, gatherBody)
    response.json(await gather(shop, request.params.id, paths, authorOf(request)))
  })
  api.post('/projects/:id/find-again', async (request, response) => {
    await store.doc(request.params.id)
    response
      .status(202)
      .json({ jobId: await queue.add({ projectId: request.params.id, kind: 'originals', title: 'look for originals', author: authorOf(request) }) })
  })
  api.post('/projects/:id/upload', async (request, response) => {
    await store.doc(request.params.id)
    const arrived = await receiveUpload(config, request, request.params.id)
    let report: GatherReport
    try {
      const found: Found[] = droppedFound(arrived)
      if (found.length === 0) throw new ProblemError(400, 'Nothing arrived', 'drop files or folders with pictures or sound')
      report = await gather(shop, request.params.id, found, authorOf(request))
    } finally {
      await discard(
        config,
        arrived.map((a) => a.path),
        await store.allPaths(),
      )
    }
    response.json(report)
  })

  api.post('/projects/:id/lineup', async (request, response) => {
    const payload = body(request, lineUpBody)
    await store.doc(request.params.id)
    response
      .status(202)
      .json({ jobId: await queue.add({ projectId: request.params.id, kind: 'lineup', title: 'line up', payload, author: authorOf(request) }) })
  })
  api.post('/projects/:id/pulse', async (request, response) => {
    const payload = body<FindBody>(request, findBody)
    await store.doc(request.params.id)
    const title = payload.find === 'beats' ? 'find the pulse' : `find ${payload.find}`
    response.status(202).json({ jobId: await queue.add({ projectId: request.params.id, kind: 'pulse', title, payload, author: authorOf(request) }) })
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
      const title = 'partId' in film && film.partId ? `film of ${partOf(doc, String(film.partId)).name}` : 'film'
      jobIds.push(await queue.add({ projectId, kind: 'film', title, payload: film, author: authorOf(request) }))
    }
    response.status(202).json({ jobId: jobIds[0], jobIds })
  })
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
  api.get('/projects/:id/proofs/:clipId', async (request, response) => void response.json(await store.proof(request.params.id, request.params.clipId)))

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
    if (!job?.result) throw new ProblemError(404, 'Not found', 'this film is not ready')
    response.download(job.result.path, job.result.name, { dotfiles: 'allow' })
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
  api.use((request: Request) => {
    throw new ProblemError(404, 'Not found', `there is nothing at ${request.originalUrl.slice(0, 200)}`)
  })
  app.use('/api', api)
  app.use(express.static(config.web, { index: false, maxAge: '1h' }))
  app.get('/{*any}', (_, response) => response.sendFile(path.join(config.web, 'index.html'), { cacheControl: false, dotfiles: 'allow' }))
  app.use(problemHandler(log))
  return app
}
