import path from 'node:path'
import express, { type Request } from 'express'
import helmet from 'helmet'
import type { Logger } from 'pino'
import type { Workshop } from '../jobs/workshop.ts'
import type { EventStreams } from './event-streams.ts'
import { ProblemError, problemHandler } from './problems.ts'
import { editRoutes } from './routes/edits.ts'
import { exchangeRoutes } from './routes/exchange.ts'
import { jobRoutes } from './routes/jobs.ts'
import { materialRoutes } from './routes/material.ts'
import { projectRoutes } from './routes/projects.ts'
import { tableRoutes } from './routes/tables.ts'
import { inTime, noPrototypes, onlyOurselves, ownRequests, shallow } from './security.ts'

/** Edits of a long session are small; a pulse of three hours is the largest body. */
const BODY_LIMIT = '4mb'

/** @param port asked at each request, since it is known only after listening */
export function makeApp(shop: Workshop, streams: EventStreams, log: Logger, port: () => number): express.Express {
  const { config } = shop
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
  api.get('/events', (request, response) => streams.open(request, response))

  materialRoutes(api, shop)
  projectRoutes(api, shop)
  editRoutes(api, shop)
  jobRoutes(api, shop)
  tableRoutes(api, shop)
  exchangeRoutes(api, shop)
  api.use((request: Request) => {
    throw new ProblemError(404, 'Not found', `there is nothing at ${request.originalUrl.slice(0, 200)}`)
  })
  app.use('/api', api)
  app.use(express.static(config.web, { index: false, maxAge: '1h' }))
  app.get('/{*any}', (_, response) => response.sendFile(path.join(config.web, 'index.html'), { cacheControl: false, dotfiles: 'allow' }))
  app.use(problemHandler(log))
  return app
}
