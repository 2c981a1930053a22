import { mkdirSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { type Logger, pino } from 'pino'
import { Analysis } from '../analysis.ts'
import type { Config } from '../config.ts'
import { openDatabase } from '../db/open.ts'
import { installHandlers } from '../jobs/handlers.ts'
import { JobQueue } from '../jobs/queue.ts'
import type { Workshop } from '../jobs/workshop.ts'
import { sweepParts } from '../media/artefacts.ts'
import { ProjectStore } from '../project/store.ts'
import { makeApp } from './app.ts'
import { EventHub } from './events.ts'

export interface OpenWorkshop extends Workshop {
  readonly events: EventHub
  readonly log: Logger
  close(): Promise<void>
}

/** Opens database, queue and workers on a home folder, without listening. */
export async function openWorkshop(config: Config, log: Logger = pino({ level: process.env.PENDOLO_LOG ?? 'warn' })): Promise<OpenWorkshop> {
  for (const folder of [config.home, config.artefacts, config.uploads, config.films]) mkdirSync(folder, { recursive: true })
  await sweepParts(config.artefacts)
  await sweepParts(config.films)
  const { db, close } = await openDatabase(config.home, config.migrations)
  const events = new EventHub()
  const store = new ProjectStore(db, config, events)
  const queue = new JobQueue(db, events, log)
  const analysis = new Analysis(config)
  const shop: Workshop = { config, store, queue, analysis }
  installHandlers(shop)
  return {
    ...shop,
    events,
    log,
    async close() {
      queue.stop()
      events.closeAll()
      await analysis.close()
      close()
    },
  }
}

export interface Serving {
  readonly port: number
  close(): Promise<void>
}

/** Serves the application on 127.0.0.1. @param port 0 takes a free one */
export async function serve(shop: OpenWorkshop, port: number): Promise<Serving> {
  let actual = port
  const app = makeApp(shop, shop.events, shop.log, () => actual)
  const server: Server = createServer(app)
  // Uploads of hours of material take long; only idle headers time out.
  server.requestTimeout = 0
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', resolve)
  })
  actual = (server.address() as AddressInfo).port
  await shop.queue.resume()
  return {
    port: actual,
    async close() {
      shop.events.closeAll()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
      await shop.close()
    },
  }
}
