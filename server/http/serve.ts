import { existsSync, mkdirSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import path from 'node:path'
import { type Logger, pino } from 'pino'
import { Analysis } from '../analysis.ts'
import type { Config } from '../config.ts'
import { type HomeLock, lockHome } from '../db/lock.ts'
import { databaseFile, openDatabase } from '../db/open.ts'
import { installHandlers } from '../jobs/handlers.ts'
import { LocalBus } from '../jobs/local-bus.ts'
import { SqliteQueue } from '../jobs/sqlite-queue.ts'
import type { Workshop } from '../jobs/workshop.ts'
import { sweepParts } from '../media/artefacts.ts'
import { SqliteStore } from '../project/sqlite-store.ts'
import { recover } from '../recover.ts'
import { makeApp } from './app.ts'
import { EventStreams } from './event-streams.ts'

export interface OpenWorkshop extends Workshop {
  readonly log: Logger
  /** Present where the data folder is this process's alone. */
  readonly lock: HomeLock | null
  close(): Promise<void>
}

/** A copy of the database is made this long after the last one when something was changed, ms. */
const BACKUP_EVERY = 3_600_000

/**
 * Opens database, queue and workers on a home folder, without listening.
 * @param options.alone takes the folder for this process: only then may anything be changed. The command line reads beside a running server.
 * @param options.backupEvery ms between copies of the database, where something was changed
 * @throws HomeInUse, DamagedDatabase
 */
export async function openWorkshop(
  config: Config,
  log: Logger = pino({ level: process.env.PENDOLO_LOG ?? 'warn' }),
  { alone = true, backupEvery = BACKUP_EVERY }: { alone?: boolean; backupEvery?: number } = {},
): Promise<OpenWorkshop> {
  for (const folder of [config.home, config.artefacts, config.uploads, config.films, config.worked]) mkdirSync(folder, { recursive: true })
  const lock = alone ? await lockHome(config.home) : null
  try {
    if (lock) for (const folder of [config.artefacts, config.films, config.worked, path.join(config.home, 'backups')]) await sweepParts(folder)
    const before = existsSync(databaseFile(config.home))
    const { db, close } = await openDatabase(config.home, config.migrations)
    const events = new LocalBus()
    const store = new SqliteStore(db, config, events)
    const queue = new SqliteQueue(db, events, log)
    const analysis = new Analysis(config)
    const shop: Workshop = { config, store, queue, events, analysis }
    installHandlers(shop)
    const unkept = lock ? keepBackups(shop, log, { atOnce: before, every: backupEvery }) : () => undefined
    let closing: Promise<void> | null = null
    const shut = async () => {
      unkept()
      await queue.stop()
      if (lock) await store.close().catch((error) => log.error(error, 'documents could not be written whole'))
      await analysis.close()
      await close()
      lock?.release()
    }
    return {
      ...shop,
      log,
      lock,
      close() {
        closing ??= shut()
        return closing
      },
    }
  } catch (error) {
    lock?.release()
    throw error
  }
}

/** Copies the database at the start, and then after each time in which something was changed; in a worker thread, so nobody waits. */
function keepBackups({ config, events, analysis }: Workshop, log: Logger, { atOnce, every }: { atOnce: boolean; every: number }): () => void {
  let changed = atOnce
  const listen = events.listen((event) => {
    if (event.type === 'project' || event.type === 'projects') changed = true
  })
  const make = () => {
    if (!changed) return
    changed = false
    analysis.run({ kind: 'backup', home: config.home }).catch((error: unknown) => log.error(error, 'the database could not be copied'))
  }
  make()
  const timer = setInterval(make, every)
  timer.unref()
  return () => {
    listen()
    clearInterval(timer)
  }
}

export interface Serving {
  readonly port: number
  close(): Promise<void>
}

/** Serves the application on 127.0.0.1. @param port 0 takes a free one */
export async function serve(shop: OpenWorkshop, port: number): Promise<Serving> {
  let actual = port
  const streams = new EventStreams(shop.events)
  const app = makeApp(shop, streams, shop.log, () => actual)
  const server: Server = createServer(app)
  // Uploads of hours of material take long; what is read has limits of its own.
  server.requestTimeout = 0
  server.headersTimeout = 20_000
  // A script that computes for a while between two requests finds its connection still there.
  server.keepAliveTimeout = 75_000
  // A connection that breaks is nobody's fault; without a listener it could end the process.
  server.on('clientError', (_, socket) => socket.destroy())
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', resolve)
  })
  actual = (server.address() as AddressInfo).port
  shop.lock?.tell(`http://127.0.0.1:${actual}/`)
  await shop.queue.resume()
  await recover(shop, (error, projectId) => shop.log.error({ err: error, projectId }, 'what was left half done could not be finished'))
  return {
    port: actual,
    async close() {
      streams.closeAll()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
      await shop.close()
    },
  }
}
