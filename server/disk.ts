import { statfs } from 'node:fs/promises'
import type { Config } from './config.ts'

/** There is no room, or no leave, to write. */
export class DiskError extends Error {
  readonly code = 'disk'
}

/** So much of a disk stays free, so that edits are always kept: the smaller of this and a share of the whole. */
const RESERVE_BYTES = 256 * 2 ** 20
const RESERVE_SHARE = 0.05

async function room(config: Config, folder: string): Promise<{ free: number; reserve: number }> {
  const { bavail, blocks, bsize } = await statfs(folder)
  return { free: bavail * bsize, reserve: config.reserveBytes ?? Math.min(RESERVE_BYTES, RESERVE_SHARE * blocks * bsize) }
}

const megabytes = (bytes: number) => (bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.ceil(Math.max(0, bytes) / 1e6)} MB`)

/** @throws DiskError when so much cannot be written below the folder without filling its disk */
export async function needRoom(config: Config, folder: string, bytes: number, what: string): Promise<void> {
  const { free, reserve } = await room(config, folder)
  if (free - reserve < bytes)
    throw new DiskError(
      `${what} needs about ${megabytes(bytes)}, but only ${megabytes(free - reserve)} of the disk with ${folder} may be filled; make room and try again`,
    )
}

/** How often a disk is looked at while something is written, ms. */
const LOOK_EVERY = 1000

/** Tells once when a disk fills up while something is written. @returns a function that stops looking */
export function watchRoom(config: Config, folder: string, full: (error: DiskError) => void): () => void {
  const timer = setInterval(() => {
    room(config, folder).then(
      ({ free, reserve }) => {
        // Half of the reserve is left to edits and to what else the machine does.
        if (free >= reserve / 2) return
        clearInterval(timer)
        full(new DiskError(`the disk with ${folder} is almost full; make room and try again`))
      },
      () => undefined,
    )
  }, LOOK_EVERY)
  timer.unref()
  return () => clearInterval(timer)
}

const FULL = /SQLITE_FULL|ENOSPC|EDQUOT|No space left|database or disk is full/i
const READ_ONLY = /SQLITE_READONLY|SQLITE_CANTOPEN|EROFS|EACCES|EPERM|readonly database|Read-only file system|unable to open database/i

/** Plain words for an error of the disk, whatever wrapped it; null when it is another error. */
export function diskWords(error: unknown): string | null {
  let said = ''
  for (let at: unknown = error, depth = 0; at instanceof Error && depth < 6; at = at.cause, depth++)
    said += ` ${(at as { code?: string }).code ?? ''} ${at.message.slice(0, 300)}`
  if (FULL.test(said)) return 'the disk with the data folder is full, so nothing was changed; make room and try again'
  if (READ_ONLY.test(said)) return 'the data folder cannot be written, so nothing was changed; check its permissions and whether its disk is read-only'
  return null
}
