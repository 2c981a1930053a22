import { createHash, randomUUID } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { mkdir, rm } from 'node:fs/promises'
import path from 'node:path'
import { Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { Busboy, type BusboyInstance } from '@fastify/busboy'
import { MOST_DROPPED } from '@pendolo/api'
import { Mutex } from 'async-mutex'
import type { Request } from 'express'
import type { Config } from '../config.ts'
import { needRoom } from '../disk.ts'
import { PART } from '../media/artefacts.ts'
import { type Arrived, safeParts, settle, uploadsOf } from '../project/uploads.ts'
import { ProblemError } from './problems.ts'

/** Largest single file taken by drag and drop. Larger ones are better gathered where they lie. */
const MOST_BYTES = 64 * 2 ** 30
/** A connection on which nothing arrives for so long is given up, ms. */
const IDLE = 60_000

/** A dropped file where it lies for good, with the names it was dropped with. */
export interface Settled {
  readonly path: string
  readonly name: string
}

const turns = new Map<string, Mutex>()

/** Drops of one project are named and taken one after the other. */
export function turnOf(projectId: string): Mutex {
  const turn = turns.get(projectId) ?? new Mutex()
  turns.set(projectId, turn)
  return turn
}

const broken = () => new ProblemError(400, 'The upload broke off', 'not all of it arrived, so nothing was taken; drop the files again')

/**
 * Receives dropped files whole or not at all: they are written aside, and get their final names only when all of a request
 * have arrived. Whatever breaks on the way leaves nothing behind.
 * @param idle for how long nothing may arrive, ms
 * @returns where each lies until it is taken, with the names it was dropped with
 */
export async function receiveUpload(config: Config, request: Request, projectId: string, idle = IDLE): Promise<Settled[]> {
  if (!/^multipart\/form-data/.test(request.headers['content-type'] ?? ''))
    throw new ProblemError(400, 'The request is not right', 'files must come as multipart/form-data')
  await mkdir(uploadsOf(config, projectId), { recursive: true })
  const length = Number(request.headers['content-length'] ?? 0)
  await needRoom(config, config.uploads, Number.isFinite(length) ? length : 0, 'what is dropped')
  const aside = path.join(uploadsOf(config, projectId), `${PART}-${process.pid}-${randomUUID()}`)
  await mkdir(aside)
  try {
    const arrived = await receive(request, aside, idle)
    return await turnOf(projectId).runExclusive(async () => {
      // Whoever cancelled after the last byte does not want it either.
      if (request.socket.destroyed) throw broken()
      const out: Settled[] = []
      for (const one of arrived) out.push({ path: await settle(config, projectId, one), name: one.parts.join('/') })
      return out
    })
  } catch (error) {
    // What still comes is read and dropped for a while, so that the answer reaches a browser that is still sending.
    request.resume()
    setTimeout(() => request.destroy(), idle / 6).unref()
    throw error
  } finally {
    await rm(aside, { recursive: true, force: true })
  }
}

async function receive(request: Request, aside: string, idle: number): Promise<Arrived[]> {
  let parser: BusboyInstance
  try {
    parser = new Busboy({
      headers: request.headers as { 'content-type': string },
      preservePath: true,
      limits: { files: MOST_DROPPED, fileSize: MOST_BYTES, fields: 10, fieldSize: 65_536, headerPairs: 50 },
    })
  } catch {
    throw new ProblemError(400, 'The request is not right', 'this is no multipart/form-data with a boundary')
  }
  const abort = new AbortController()
  const failures: unknown[] = []
  const fail = (error: unknown) => {
    failures.push(error)
    abort.abort()
  }
  const arrived: Arrived[] = []
  const writes: Promise<void>[] = []
  parser.on('file', (_, stream, filename) => {
    // A stream without a listener would end the server when the request breaks.
    stream.on('error', fail)
    const parts = safeParts(filename ?? '')
    if (parts.length === 0) {
      stream.resume()
      return
    }
    const part = path.join(aside, String(writes.length))
    const hash = createHash('sha256')
    const counted = new Transform({
      transform(chunk, _, next) {
        hash.update(chunk)
        next(null, chunk)
      },
    })
    writes.push(
      pipeline(stream, counted, createWriteStream(part), { signal: abort.signal }).then(() => {
        if (stream.truncated) return fail(new ProblemError(413, 'Too large', `${filename} is too large to be dropped; pick its folder instead`))
        arrived.push({ part, digest: hash.digest('hex'), parts })
      }, fail),
    )
  })
  parser.on('filesLimit', () =>
    fail(new ProblemError(413, 'Too many files', `at most ${MOST_DROPPED} files can be dropped at once; pick their folder instead`)),
  )
  const waiting = setTimeout(() => fail(broken()), idle)
  request.on('data', () => {
    waiting.refresh()
  })
  try {
    await pipeline(request, parser, { signal: abort.signal, end: true })
  } catch (error) {
    fail(failures.length > 0 ? null : error)
  } finally {
    clearTimeout(waiting)
  }
  await Promise.all(writes)
  if (failures.length > 0) throw toProblem(failures)
  return arrived
}

/** The first failure that tells something; the others are what follows from it. */
function toProblem(failures: readonly unknown[]): unknown {
  const told =
    failures.find((f) => f instanceof ProblemError) ??
    failures.find((f) => /^E[A-Z]+$/.test(String((f as NodeJS.ErrnoException | null)?.code)) && (f as NodeJS.ErrnoException).code !== 'ECONNRESET')
  return told ?? broken()
}
