import { createWriteStream } from 'node:fs'
import { mkdir, rename, rm } from 'node:fs/promises'
import path from 'node:path'
import { pipeline } from 'node:stream/promises'
import busboy from 'busboy'
import type { Request } from 'express'
import { ProblemError } from './problems.ts'

/** Largest single file taken by drag and drop. Larger ones are better gathered where they lie. */
const MOST_BYTES = 64 * 2 ** 30
const MOST_FILES = 2000

/**
 * Receives dropped files into a folder of the project, below the folder names they were dropped with.
 * @returns the paths to gather: one for each top folder or loose file
 */
export async function receiveUpload(request: Request, into: string): Promise<string[]> {
  if (!/^multipart\/form-data/.test(request.headers['content-type'] ?? ''))
    throw new ProblemError(400, 'The request is not right', 'files must come as multipart/form-data')
  const tops = new Set<string>()
  const writes: Promise<void>[] = []
  const parser = busboy({
    headers: request.headers,
    preservePath: true,
    defParamCharset: 'utf8',
    limits: { files: MOST_FILES, fileSize: MOST_BYTES, fields: 10 },
  })
  parser.on('file', (_, stream, info) => {
    const filename = info.filename ?? ''
    const parts = filename
      .split(/[\\/]+/)
      .map(safePart)
      .filter(Boolean)
    if (parts.length === 0) {
      stream.resume()
      return
    }
    const full = path.join(into, ...parts)
    tops.add(path.join(into, parts[0]))
    writes.push(
      (async () => {
        await mkdir(path.dirname(full), { recursive: true })
        const part = path.join(path.dirname(full), `.part-${process.pid}-${path.basename(full)}`)
        try {
          await pipeline(stream, createWriteStream(part))
          if (stream.truncated) throw new ProblemError(413, 'Too large', `${filename} is too large to be dropped; pick its folder instead`)
          await rename(part, full)
        } finally {
          await rm(part, { force: true })
        }
      })(),
    )
  })
  await pipeline(request, parser)
  await Promise.all(writes)
  return [...tops]
}

function safePart(part: string): string {
  const clean = part.replace(/[\0<>:"|?*]/g, '_').trim()
  return clean === '.' || clean === '..' ? '' : clean.slice(0, 200)
}
