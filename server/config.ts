import { existsSync } from 'node:fs'
import os from 'node:os'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

/** Where things are; made once at start and handed down. */
export interface Config {
  readonly home: string
  readonly artefacts: string
  readonly uploads: string
  readonly films: string
  /** What was made of originals and is used in their place. */
  readonly worked: string
  /** Folders whose files may be gathered; nothing outside is ever read for the interface. */
  readonly roots: readonly string[]
  readonly ffmpeg: string
  readonly ffprobe: string
  readonly migrations: string
  readonly web: string
  readonly worker: string
  /** Bytes of the disk that stay free; a share of it when not named. */
  readonly reserveBytes?: number
}

/** Repository root: the bundle lies in server/dist, the sources in server. */
export function repositoryRoot(): string {
  let folder = path.dirname(fileURLToPath(import.meta.url))
  while (!existsSync(path.join(folder, 'pendolo')) && folder !== path.dirname(folder)) folder = path.dirname(folder)
  return folder
}

export function defaultHome(): string {
  if (process.env.PENDOLO_HOME) return path.resolve(process.env.PENDOLO_HOME)
  const base = process.env.XDG_DATA_HOME ?? path.join(os.homedir(), '.local', 'share')
  return path.join(base, 'pendolo')
}

/**
 * @param home data folder
 * @param extraRoots folders that may be gathered from besides the user's home folder and the uploads
 */
export function makeConfig(home: string, extraRoots: readonly string[] = []): Config {
  const root = repositoryRoot()
  const ffmpeg = process.env.PENDOLO_FFMPEG || 'ffmpeg'
  const uploads = path.join(home, 'uploads')
  const fromEnvironment = (process.env.PENDOLO_ROOTS ?? '').split(path.delimiter).filter(Boolean)
  const roots = [...new Set([...extraRoots, ...fromEnvironment, os.homedir(), uploads].map((r) => path.resolve(r)))]
  return {
    home,
    artefacts: path.join(home, 'artefacts'),
    uploads,
    films: path.join(home, 'films'),
    worked: path.join(home, 'worked'),
    roots,
    ffmpeg,
    ffprobe: path.join(path.dirname(ffmpeg), path.basename(ffmpeg).replace('ffmpeg', 'ffprobe')),
    migrations: path.join(root, 'server', 'db', 'migrations'),
    web: path.join(root, 'web', 'dist'),
    worker: path.join(root, 'server', 'dist', 'worker.mjs'),
    ...(process.env.PENDOLO_RESERVE && { reserveBytes: Number(process.env.PENDOLO_RESERVE) }),
  }
}
